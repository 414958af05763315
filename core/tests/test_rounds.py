"""What wants attention: each from its own computation, with its evidence."""

from __future__ import annotations

import numpy as np
import pytest

from core.tests.builders import small
from movelot_core.balance.group import judge
from movelot_core.balance.heat import FAIR_LEVEL, heat, levels
from movelot_core.fabric.causes import Access, Cause
from movelot_core.fabric.paths import PathVerdict
from movelot_core.rounds import (
    Urgency,
    grouped_by_cause,
    growth_bytes_per_day,
    missing_paths,
    over_fill,
    runway_days,
    slow_pools,
)
from movelot_core.units import GIB


def test_growth_is_the_median_slope_and_needs_five_days() -> None:
    assert growth_bytes_per_day([0, 1, 2, 3, 4, 5], [0, 2, 4, 600, 8, 10]) == pytest.approx(2.0)
    assert growth_bytes_per_day([0, 1, 2, 3], [0, 1, 2, 3]) is None


def test_the_runway_is_free_space_over_growth_and_unknown_without_growth() -> None:
    assert runway_days(62 * GIB, 12.4 * GIB) == pytest.approx(5.0)
    assert runway_days(GIB, None) is None
    assert runway_days(GIB, -GIB) is None


def test_a_full_datastore_says_by_how_much_and_how_long_it_lasts() -> None:
    group = small([95], [0], [100, 100])
    found = over_fill(group, judge(group, group.place), {0: 1.0 * GIB})
    assert list(found) == [0]
    assert found[0].over_bytes == 15 * GIB
    assert found[0].runway_days == pytest.approx(5.0)


def test_a_quiet_estate_has_no_finding() -> None:
    group = small([10], [0], [100, 100], iops=[100])
    state = judge(group, group.place)
    assert over_fill(group, state, {}) == {}
    assert slow_pools(group, state) == {}


def test_a_slow_pool_names_the_fewest_disks_that_make_half_of_its_load() -> None:
    # 500 + 300 + 100 = 900 over the limit of 800; 500 alone is 56 %.
    group = small([10, 10, 10], [0, 0, 0], [100], iops=[300, 500, 100])
    found = slow_pools(group, judge(group, group.place))[0]
    assert found.heavy_disks == (1,)
    assert found.heavy_share == pytest.approx(500 / 900)
    assert found.peak_ms == pytest.approx(10.0)
    assert found.slots_over == 24


def path(port: str, portal: str, seen: bool, cause: Cause | None = None) -> PathVerdict:
    return PathVerdict("quay-03", port, portal, True, seen, Access.OPTIMIZED, cause)


def test_half_of_the_paths_gone_needs_somebody_now() -> None:
    found = missing_paths([path("storage-a", "A1", True), path("storage-b", "A2", False, Cause.STANDBY_UPLINK)])
    assert found is not None
    assert (found.urgency, found.causes) == (Urgency.NOW, ((Cause.STANDBY_UPLINK, "storage-b"),))
    assert (found.seen, found.expected, found.ports_left) == (1, 2, 1)


def test_one_path_of_four_gone_can_wait_and_none_gone_is_no_finding() -> None:
    seen = [path(f"storage-{n}", "A1", True) for n in range(3)]
    found = missing_paths([*seen, path("storage-9", "A1", False, Cause.PORTAL_DOWN)])
    assert found is not None
    assert found.urgency is Urgency.SOON
    assert missing_paths(seen) is None


def test_one_cause_of_missing_paths_to_two_arrays_is_one_finding() -> None:
    lost, there = path("storage-b", "A2", False, Cause.TWO_UPLINKS), path("storage-a", "A1", True)
    told = {
        "basalt": missing_paths([there, lost]),
        "granite": missing_paths([there, lost, lost]),
        "chalk": missing_paths([path("nvme-b", "A2", False, Cause.FRAME)]),
    }
    both, alone = grouped_by_cause([("quay-03", array, found) for array, found in told.items() if found])
    host, arrays, evidence, urgency = both
    # The lot that settles it is drafted for the array that misses most.
    assert (host, arrays, urgency) == ("quay-03", ["granite", "basalt"], Urgency.NOW)
    assert (evidence.seen, evidence.expected) == (2, 5)
    assert alone == ("quay-03", ["chalk"], told["chalk"], Urgency.NOW)


def test_heat_is_load_per_gib_at_the_peak_hour_and_levels_double() -> None:
    # Room is 80 GiB, the pool bears 800: 10 per GiB is fair and begins level 3.
    group = small([10, 10, 10], [0, 0, 0], [100], iops=[100, 199, 400])
    state = judge(group, group.place)
    heats = heat(group, state)
    assert heats == pytest.approx([10.0, 19.9, 40.0])
    assert list(levels(group, heats)) == [FAIR_LEVEL, FAIR_LEVEL, 5]


def test_an_idle_disk_is_cool_whatever_its_size() -> None:
    group = small([1, 500], [0, 0], [1000], iops=[0, 0])
    assert list(levels(group, heat(group, judge(group, group.place)))) == [0, 0]
    assert not np.isnan(heat(group, judge(group, group.place))).any()
