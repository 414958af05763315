"""Moves that give too little where something stays over its ceiling all the same."""

from __future__ import annotations

import dataclasses

import numpy as np

from core.tests.builders import small
from movelot_core.balance.clear import clear
from movelot_core.balance.plan import Spared
from movelot_core.balance.worth import GAIN_FLOOR, worthwhile
from movelot_core.units import TIB

NO_DISKS = np.array([], dtype=np.int64)


def test_a_large_disk_that_asks_for_little_stays_in_a_pool_that_is_too_slow_all_the_same() -> None:
    """A pool bears 800 and has 1,001, of which 850 are pinned; a disk of 2 TiB with 1 would bring 0.125 % for 2 TiB."""
    group = small([100, 100, 2048], [0, 0, 0], [9000, 9000], [850, 150, 1], [0, 1])
    group = dataclasses.replace(group, pinned=np.array([True, False, False]))
    plan = clear(group)
    assert [move.disk for move in plan.moves] == [1]
    assert plan.spared is not None
    assert plan.spared == Spared(1, 2 * TIB, plan.spared.over)
    assert 0 < plan.spared.over < 2 * GAIN_FLOOR
    assert plan.over == plan.before.load[0, 0] / 800 - 1 - 150 / 800


def test_the_same_disk_moves_where_it_clears_the_pool() -> None:
    group = small([100, 100, 2048], [0, 0, 0], [9000, 9000], [800, 150, 1], [0, 1])
    group = dataclasses.replace(group, pinned=np.array([True, False, False]))
    plan = clear(group)
    assert sorted(move.disk for move in plan.moves) == [1, 2]
    assert (plan.spared, plan.over, plan.least_over) == (None, 0, 0)


def test_disks_that_may_not_stay_where_they_lie_go_whatever_they_gain() -> None:
    group = small([100, 100, 2048], [0, 0, 0], [9000, 9000], [850, 150, 1], [0, 1])
    group = dataclasses.replace(group, pinned=np.array([True, False, False]))
    out = np.array([2])
    assert sorted(move.disk for move in clear(group, out).moves) == [1, 2]


def test_what_gives_way_to_another_stays_where_that_has_to_come() -> None:
    """A small disk went to the slow pool for a large busy one: neither is taken back."""
    group = small([100, 400, 400], [0, 0, 1], [9000, 900], [850, 150, 10], [0, 1])
    group = dataclasses.replace(group, pinned=np.array([True, False, False]))
    place, spared = worthwhile(group, NO_DISKS, np.array([0, 1, 0]))
    assert (list(place), spared) == ([0, 1, 0], None)
