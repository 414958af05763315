"""The part of a plan that fits into a window: within its bytes and its time, and lawful by itself."""

from __future__ import annotations

import dataclasses
from functools import lru_cache
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bench.instances import family
from core.tests.builders import small
from movelot_core.balance.beginning import Window, beginning, bytes_of
from movelot_core.balance.clear import clear
from movelot_core.balance.copies import CopyRates
from movelot_core.balance.group import Group, broken_musts, judge
from movelot_core.balance.moves import Move
from movelot_core.balance.order import order_moves
from movelot_core.balance.plan import Plan, plan_for
from movelot_core.balance.rules import Bond
from movelot_core.solver import Budget
from movelot_core.units import GIB

RATES = CopyRates(float(GIB), float(GIB))


def names(group: Group, window: Window, moves: tuple[Move, ...]) -> list[str]:
    return [group.disks[step.move.disk] for step in beginning(group, moves, RATES, window)]


def four() -> tuple[Group, tuple[Move, ...]]:
    """Four disks that all leave one datastore for another, at a GiB in a second, one at a time."""
    group = small([300, 900, 200, 500], [0] * 4, [4000, 4000], None, [0, 1])
    return group, plan_for(group, np.ones(4, dtype=np.int64), 0.0).moves


def test_what_does_not_fit_the_bytes_or_the_time_waits() -> None:
    group, moves = four()
    assert len(names(group, Window(), moves)) == 4
    one_by_one = Window(most_bytes=1024 * GIB, at_once=1)
    # The largest first; nothing else fits the bytes beside it.
    assert names(group, one_by_one, moves) == ["disk-1"]
    slow = CopyRates(100 * 2**20, 100 * 2**20)
    two_hours = dataclasses.replace(one_by_one, most_seconds=7200.0)
    assert [step.move.disk for step in beginning(group, moves, slow, two_hours)] == [3, 2]
    assert beginning(group, moves, RATES, Window(most_seconds=100.0, at_once=1)) == []


def test_no_more_copies_run_at_once_than_said() -> None:
    group, moves = four()
    ordered = order_moves(group, moves, RATES, 1)
    ends = sorted((step.slot.start, step.slot.end) for step in ordered)
    assert all(before[1] <= after[0] for before, after in pairwise(ends))
    gentle = dataclasses.replace(RATES, offloaded_iops=10.0, over_hosts_iops=10.0)
    assert order_moves(group, moves, gentle)[1].slot.start == 0.0


def test_disks_of_a_bond_go_together_or_not_at_all() -> None:
    group, moves = four()
    bonded = dataclasses.replace(group, bonds=(Bond("pair", (0, 1)),))
    for most in (1150, 1250):
        found = set(names(bonded, Window(most_bytes=most * GIB), moves))
        assert ("disk-0" in found) == ("disk-1" in found), most


def test_moves_in_a_ring_go_together_or_not_at_all() -> None:
    """Two full datastores trade their disks by way of a third."""
    group = small([90, 90, 10], [0, 1, 2], [100, 100, 200], None, [0, 0, 0])
    moves = plan_for(group, np.array([1, 0, 2]), 0.0).moves
    whole = beginning(group, moves, RATES, Window())
    assert [len({step.move.disk for step in whole}), len(whole)] == [2, 3]
    assert bytes_of(whole) == 270 * GIB
    assert beginning(group, moves, RATES, Window(most_bytes=200 * GIB)) == []


@lru_cache
def planned(name: str, seed: int) -> tuple[Group, Plan]:
    group = family(name, seed, 60, 6, 3)
    return group, clear(group, budget=Budget(400.0))


@pytest.mark.parametrize("name", ["loose", "tight", "shared", "rules", "infeasible"])
@given(
    seed=st.integers(0, 3), share=st.floats(0.0, 1.0), time=st.floats(0.0, 1.0), at_once=st.sampled_from([None, 1, 3])
)
def test_every_beginning_is_lawful_by_itself(
    name: str, seed: int, share: float, time: float, at_once: int | None
) -> None:
    group, made = planned(name, seed)
    whole = order_moves(group, made.moves, RATES, at_once)
    takes = max((step.slot.end for step in whole), default=0.0)
    window = Window(int(share * bytes_of(whole)), time * takes, at_once)
    found = beginning(group, made.moves, RATES, window)
    place = group.place.copy()
    for step in found:
        place[step.move.disk] = step.move.target
        assert step.slot.end <= window.most_seconds + 1e-6  # type: ignore[operator]
    assert bytes_of(found) <= window.most_bytes  # type: ignore[operator]
    assert broken_musts(group, place) == []
    most = np.maximum(group.room_bytes, group.found.used_bytes)
    assert (judge(group, place).used_bytes <= most).all()
    if share == 1.0 and time == 1.0:
        assert (place == made.place).all()
