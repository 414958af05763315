"""Emptying datastores, against an enumeration of all placements."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from bench.groups import generate
from core.tests.builders import always_in_order, small
from core.tests.test_planners import all_plans, tiny
from movelot_core.balance import exact
from movelot_core.balance.drain import drain
from movelot_core.balance.group import Group, broken_musts
from movelot_core.units import GIB


@st.composite
def with_some_leaving(draw: st.DrawFn) -> tuple[Group, np.ndarray]:
    """A tiny group of which some datastores are to be emptied, but never all."""
    group = draw(tiny())
    stores = len(group.datastores)
    leaving = draw(st.lists(st.booleans(), min_size=stores, max_size=stores).filter(lambda each: not all(each)))
    return group, np.flatnonzero(leaving)


def best_by_enumeration(group: Group, stores: np.ndarray) -> tuple[int, int | None]:
    """Of all lawful placements to which nothing new comes on ``stores``: the fewest disks left there, least moved."""
    came = [
        place
        for place in all_plans(group)
        if not np.isin(place[place != group.place], stores).any() and not broken_musts(group, place)
    ]
    left = min(int(np.isin(place, stores).sum()) for place in came)
    sizes = [int(group.size_bytes[p != group.place].sum()) for p in came if np.isin(p, stores).sum() == left]
    return left, min(sizes)


@settings(max_examples=100, deadline=None)
@given(with_some_leaving())
def test_no_lawful_placement_leaves_fewer_disks_there(case: tuple[Group, np.ndarray]) -> None:
    group, stores = case
    assume(always_in_order(group))
    made = drain(group, stores)
    place = made.plan.place
    assert broken_musts(group, place) == []
    assert not np.isin(place[place != group.place], stores).any()
    left = np.isin(place, stores).sum()
    assert left == len(made.homeless) + len(made.pinned)
    # Margins of the solver may cost a disk whose place is full to the last byte, or a pool loaded to its very limit.
    roomy = dataclasses.replace(group, capacity_bytes=group.capacity_bytes - 2**20, latency_ceiling_ms=4.99)
    assert best_by_enumeration(group, stores)[0] <= left <= best_by_enumeration(roomy, stores)[0]


@settings(max_examples=60, deadline=None)
@given(with_some_leaving())
def test_where_each_has_a_place_nothing_else_moves(case: tuple[Group, np.ndarray]) -> None:
    group, stores = case
    made = drain(group, stores)
    if not made.homeless and made.plan.moved_bytes == made.plan.bound_bytes:
        assert {move.source for move in made.plan.moves} <= set(stores.tolist())
    if not made.homeless:
        assert made.plan.bound_bytes <= best_by_enumeration(group, stores)[1]  # type: ignore[operator]


def test_another_disk_makes_room_where_none_is() -> None:
    """80 of 100 may be held. Of 40 + 30, 60 and 0: the 40 fit nowhere until the 60 have gone to the third."""
    group = small([40, 60, 10], [0, 1, 0], [100, 100, 75])
    reach = np.array([[True, True, False], [True, True, True], [True, True, True]])
    group = dataclasses.replace(group, reach=reach)
    made = drain(group, np.array([0]))
    assert made.homeless == ()
    assert made.plan.place.tolist() == [1, 2, 1]


@pytest.mark.parametrize("most", [exact.VARIABLES_MAX, 0])
def test_what_stays_says_why(most: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(exact, "VARIABLES_MAX", most)
    group = small([60, 70, 5, 8], [0, 1, 0, 0], [100, 100])
    group = dataclasses.replace(group, pinned=np.array([False, True, True, False]))
    made = drain(group, np.array([0]))
    # 75 of 80 would be used with the 5 that are pinned: the 8 go, the 60 lack 58.
    assert made.plan.place.tolist() == [0, 1, 0, 1]
    assert [(each.disk, each.nearest, each.short_bytes) for each in made.homeless] == [(0, 1, 58 * GIB)]
    assert made.pinned == (2,)


def test_a_large_group_is_emptied_of_a_datastore() -> None:
    group = generate(400, 20, 5, 7)
    emptied = np.flatnonzero(~np.isin(np.arange(20), group.place[group.pinned]))[:1]
    made = drain(group, emptied)
    assert broken_musts(group, made.plan.place) == []
    assert np.isin(made.plan.place, emptied).sum() == len(made.homeless)
