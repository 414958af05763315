"""How many datastores a space is cut into, with figures worked by hand."""

from __future__ import annotations

import dataclasses
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.attach import COUNT_MAX
from movelot_core.sizing import DRAIN_HOURS, QUEUE_SHARE, Habits, advise
from movelot_core.units import GIB, TIB

CALM = Habits(
    largest_disk_bytes=200 * GIB,
    held_bytes=10 * TIB,
    peak_iops=10 * 1024.0,
    growth_bytes_per_day=0.0,
    hosts=2,
    queue_depth=32,
    latency_ms=10.0,
    copy_bytes_per_second=float(GIB),
    fill_ceiling=0.82,
)


def reasons(habits: Habits, total: int) -> dict[str, dict[str, float]]:
    return {reason.code: reason.figures for reason in advise(total, habits).reasons}


def test_the_queue_of_the_hosts_sets_the_number() -> None:
    """12 TiB · 0.82 at 1 IOPS per GiB are 10,076 IOPS; in 10 ms 101 I/Os; 2 hosts · 16 take 32 of them: 4."""
    advice = advise(12 * TIB, CALM)
    assert (advice.count, advice.size_bytes) == (4, 3 * TIB)
    figures = reasons(CALM, 12 * TIB)["queue"]
    assert figures["iops"] == pytest.approx(10_076, abs=1)
    assert figures["outstanding"] == pytest.approx(100.8, abs=0.1)
    assert (figures["per_store"], figures["count"]) == (32, 4)
    assert advice.reasons[0].code == "queue"


def test_slow_copies_set_the_number_where_a_full_one_must_go_in_a_night() -> None:
    """At 0.05 GiB/s a night moves 1,440 GiB, which is what 1,756 GiB hold at 82 %: 12 TiB need 7."""
    slow = dataclasses.replace(CALM, copy_bytes_per_second=0.05 * GIB, queue_depth=4000)
    advice = advise(12 * TIB, slow)
    assert advice.count == 7
    figures = reasons(slow, 12 * TIB)["drain"]
    assert figures["most_bytes"] / GIB == pytest.approx(1756, abs=1)
    assert figures["hours_whole"] == pytest.approx(12 * 1024 * 0.82 / 0.05 / 3600)
    assert advice.reasons[0].code == "drain"


def test_the_largest_disk_twice_keeps_them_from_being_too_small() -> None:
    """Two disks of 2 TiB need 4.9 TiB at 82 %: 12 TiB make two, though the queues would like four."""
    large = dataclasses.replace(CALM, largest_disk_bytes=2 * TIB)
    advice = advise(12 * TIB, large)
    assert (advice.count, advice.size_bytes) == (2, 6 * TIB)
    assert advice.reasons[0].code == "largest_disk"
    assert reasons(large, 12 * TIB)["largest_disk"]["least_bytes"] / TIB == pytest.approx(4.88, abs=0.01)


def test_growth_tells_how_long_it_lasts_and_changes_no_number() -> None:
    growing = dataclasses.replace(CALM, growth_bytes_per_day=32.0 * GIB)
    assert reasons(growing, 12 * TIB)["growth"]["days"] == pytest.approx(12 * 1024 * 0.82 / 32)
    assert advise(12 * TIB, growing).count == advise(12 * TIB, CALM).count
    assert "growth" not in reasons(CALM, TIB)


def test_a_cluster_without_disks_gets_one() -> None:
    new = Habits(0, 0, 0.0, 0.0, 3, 0, 1.0, 0.0, 0.82)
    assert (advise(5 * TIB, new).count, advise(5 * TIB, new).size_bytes) == (1, 5 * TIB)


@given(
    st.integers(1, 400),
    st.integers(0, 20_000),
    st.floats(0, 200_000),
    st.integers(1, 64),
    st.floats(0.1, 50),
    st.floats(0.01, 4),
)
def test_the_advice_is_the_fewest_that_keeps_its_bounds(
    total: int, largest: int, iops: float, hosts: int, latency: float, rate: float
) -> None:
    habits = Habits(largest * GIB, 50 * TIB, iops, 0.0, hosts, 32, latency, rate * GIB, 0.82)
    advice = advise(total * TIB, habits)
    assert 1 <= advice.count <= COUNT_MAX
    assert advice.count * advice.size_bytes >= total * TIB
    assert advice.size_bytes % GIB == 0
    outstanding = iops / (50 * TIB) * 0.82 * total * TIB * latency / 1000
    least = math.ceil(2 * largest * GIB / 0.82)

    def holds(count: int, slack: float) -> bool:
        queued = outstanding / count <= hosts * 32 * QUEUE_SHARE * slack
        return queued and total * TIB * 0.82 / count <= rate * GIB * DRAIN_HOURS * 3600 * slack

    if holds(advice.count, 1 + 1e-9):
        assert advice.count == 1 or not holds(advice.count - 1, 1 - 1e-9)
    else:
        # Only the largest disk, or how many one lot makes, keeps it from being cut further.
        assert advice.count == COUNT_MAX or total * TIB // (advice.count + 1) < least
