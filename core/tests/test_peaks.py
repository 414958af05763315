"""Peaks apart: which pools' hours fit, and which disks fit into another pool's hours."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.tests.builders import small
from movelot_core.balance.group import Group, broken_musts, judge
from movelot_core.balance.peaks import fitting, pairs_apart
from movelot_core.balance.rules import Split
from movelot_core.latency import ServiceCurve


def with_hours(group: Group, *loads: tuple[float, float]) -> Group:
    """Each disk reads so much in the first half of the day, and so much in the second."""
    reads = np.array([[first] * 12 + [second] * 12 for first, second in loads], dtype=float)
    features = np.zeros((4, len(loads), 24))
    features[0] = reads
    # Bears 10 within 5 ms.
    return dataclasses.replace(group, features=features, curves=(ServiceCurve(1.0, 12.5),) * len(group.pools))


def example() -> Group:
    group = small([10, 10, 10], [0, 0, 1], [100, 100], pool_of=[0, 1])
    return with_hours(group, (4, 0), (4, 2), (1, 6))


def test_the_worked_example() -> None:
    group = example()
    (pair,) = pairs_apart(group, group.found, 0)
    assert (pair.joint, pair.total) == (pytest.approx(0.9), pytest.approx(1.4))
    assert pair.apart == pytest.approx(5 / 14)
    (move, *_others) = fitting(group, group.found, 0, 3)
    assert (move.disk, move.store) == (0, 1)
    assert (move.falls, move.rises, move.quiet) == (pytest.approx(0.4), pytest.approx(0), pytest.approx(1))


def test_what_a_rule_keeps_away_or_has_no_room_is_not_offered() -> None:
    group = example()
    apart = dataclasses.replace(group, splits=(Split("apart", (0, 2), (0, 1)),))
    assert 0 not in {move.disk for move in fitting(apart, apart.found, 0, 3)}
    full = dataclasses.replace(group, other_bytes=group.capacity_bytes.copy())
    assert fitting(full, full.found, 0, 3) == []
    pinned = dataclasses.replace(group, pinned=np.array([True, True, False]))
    assert fitting(pinned, pinned.found, 0, 3) == []


HOURS = st.tuples(st.integers(0, 6).map(float), st.integers(0, 6).map(float))


@given(st.lists(st.tuples(HOURS, st.integers(0, 2), st.integers(1, 40)), min_size=1, max_size=6))
def test_each_move_alone_is_lawful_and_changes_peaks_by_what_is_said(
    disks: list[tuple[tuple[float, float], int, int]],
) -> None:
    sizes, place = [size for _, _, size in disks], [at for _, at, _ in disks]
    group = with_hours(small(sizes, place, [100, 100, 60], pool_of=[0, 1, 2]), *(hours for hours, _, _ in disks))
    before = judge(group, group.place).load.max(axis=1)
    for move in fitting(group, group.found, 0, 6):
        after = group.place.copy()
        after[move.disk] = move.store
        assert broken_musts(group, after) == []
        peaks = judge(group, after).load.max(axis=1)
        assert before[0] - peaks[0] == pytest.approx(move.falls * group.load_limit[0])
        other = int(group.pool_of[move.store])
        assert max(peaks[other] - before[other], 0) == pytest.approx(move.rises * group.load_limit[other])
        own = group.load_on(other, np.array([move.disk])).max()
        assert move.quiet == pytest.approx(1 - move.rises * group.load_limit[other] / own)
        # No other pool, all alike here, would take it with less.
        for pool in range(1, 3):
            place_there = group.place.copy()
            place_there[move.disk] = pool
            if not broken_musts(group, place_there):
                rises = (judge(group, place_there).load.max(axis=1) - before)[pool] / group.load_limit[pool]
                assert rises >= move.rises - 1e-9
