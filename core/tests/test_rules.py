"""Splits and bonds: kept by every plan, mended where they were found broken, beside an enumeration of all plans."""

from __future__ import annotations

import dataclasses
import itertools
from collections import Counter

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from core.tests.builders import always_in_order, small
from movelot_core.balance import exact
from movelot_core.balance.clear import clear
from movelot_core.balance.drain import drain
from movelot_core.balance.group import Group, broken_musts, judge
from movelot_core.balance.model import SPACE_MARGIN
from movelot_core.balance.place import Ledger, Refusal
from movelot_core.balance.rules import Bond, Split, left_by_rules, side_by_side
from movelot_core.errors import GroupError
from movelot_core.units import GIB


def split(*disks: int, sites: tuple[int, ...] = (0, 1, 2)) -> tuple[Split, ...]:
    return (Split("db nodes apart", disks, sites),)


def moves_of(group: Group) -> list[tuple[int, int]]:
    return [(move.disk, move.target) for move in clear(group).moves]


def test_the_smaller_of_two_disks_that_are_to_be_apart_leaves_for_where_no_third_one_is() -> None:
    group = small([10, 20, 30, 40], [0, 0, 1, 2], [100, 100, 100], splits=split(0, 1, 2))
    plan = clear(group)
    assert [(move.disk, move.target) for move in plan.moves] == [(0, 2)]
    assert (plan.moved_bytes, plan.over_bound) == (10 * GIB, pytest.approx(1.0))
    gain = plan.moves[0].gains[0]
    assert (gain.kind, gain.subject, gain.before, gain.after) == ("rule", "db nodes apart", 1, 0)


def test_a_ceiling_is_not_cleared_by_a_move_that_brings_two_side_by_side() -> None:
    # 15 GiB of the first datastore have to leave; the disk of 15 may not go to the second, where its partner is.
    group = small([60, 15, 20, 10], [0, 0, 0, 1], [100, 100], splits=split(1, 3, sites=(0, 1)))
    assert moves_of(group) == [(2, 1)]
    assert moves_of(dataclasses.replace(group, splits=())) == [(1, 1)]
    assert Ledger.found(group).refusals(1)[1] is Refusal.SPLIT


def test_disks_out_of_a_rule_on_machines_are_counted_once_however_many_pairs_they_are_in() -> None:
    # Two disks of each of three machines on one datastore: the two of one may stay, and four have to leave.
    pairs = [(a, b) for a, b in itertools.combinations(range(6), 2) if a // 2 != b // 2]
    splits = [Split("apart", pair, (0, 1, 2)) for pair in pairs]
    assert side_by_side(splits, np.zeros(6, dtype=np.int64)) == 4
    assert side_by_side(splits, np.array([0, 0, 1, 1, 2, 2])) == 0
    assert side_by_side(splits, np.array([0, 0, 1, 1, 1, 2])) == 1


def test_pools_can_be_what_is_kept_apart() -> None:
    group = small([10, 20, 5], [0, 1, 2], [100, 100, 100], pool_of=[0, 0, 1], splits=split(0, 1, sites=(0, 0, 1)))
    assert moves_of(group) == [(0, 2)]


def test_a_bond_that_was_found_apart_comes_together_where_least_has_to_move() -> None:
    group = small([10, 20, 30, 40], [0, 0, 1, 2], [100, 100, 100], bonds=(Bond("one app", (0, 1, 2)),))
    plan = clear(group)
    assert {(move.disk, move.target) for move in plan.moves} == {(2, 0)} or plan.moved_bytes == 30 * GIB
    assert group.out_of_rule(plan.place) == 0


def test_disks_of_a_bond_move_together_or_not_at_all() -> None:
    # 15 GiB have to leave: 20 would do, but it is bonded to 50, and both together find room nowhere.
    group = small([50, 20, 25], [0, 0, 0], [100, 60], bonds=(Bond("one app", (0, 1)),))
    assert moves_of(group) == [(2, 1)]
    assert moves_of(dataclasses.replace(group, capacity_bytes=np.array([100, 200]) * GIB)) == [(2, 1)]
    assert moves_of(dataclasses.replace(group, bonds=())) == [(1, 1)]
    wide = small([10, 8, 75], [0, 0, 0], [100, 100], bonds=(Bond("one app", (0, 1)),))
    assert moves_of(wide) == [(0, 1), (1, 1)]


def test_a_datastore_is_emptied_by_the_rules() -> None:
    group = small([10, 20, 30], [0, 0, 1], [100, 100, 100], splits=split(0, 2), bonds=(Bond("one app", (0, 1)),))
    found = drain(group, np.array([0]))
    assert list(found.plan.place) == [2, 2, 1]
    assert (found.homeless, found.pinned) == ((), ())


def test_a_rule_that_cannot_be_kept_is_left_as_it_was_found() -> None:
    group = small([10, 20, 30], [0, 0, 1], [100, 100], splits=split(0, 1, 2, sites=(0, 1)))
    assert moves_of(group) == []
    (broken,) = broken_musts(group, np.array([0, 0, 0]))
    assert broken == "db nodes apart would be broken: 3 of its disks would lie side by side"
    bonded = small([10, 20], [0, 1], [100, 100], pinned=np.array([True, True]), bonds=(Bond("one app", (0, 1)),))
    assert moves_of(bonded) == []


@pytest.mark.parametrize(
    ("disks", "sites"), [((0, 0), (0, 1, 2)), ((0, 9), (0, 1, 2)), ((0, 1), (0, 1)), ((0, 1), (0, 1, 7))]
)
def test_a_rule_of_what_there_is_not_is_refused(disks: tuple[int, ...], sites: tuple[int, ...]) -> None:
    group = small([10, 20], [0, 1], [100, 100, 100], splits=(Split("wrong", disks, sites),))
    with pytest.raises(GroupError, match="wrong"):
        clear(group)


@st.composite
def ruled(draw: st.DrawFn) -> Group:
    """Up to five disks on three datastores of two pools, with a split and a bond that share no two disks."""
    disks = draw(st.integers(2, 5))
    group = small(
        draw(st.lists(st.integers(1, 60), min_size=disks, max_size=disks)),
        draw(st.lists(st.integers(0, 2), min_size=disks, max_size=disks)),
        draw(st.lists(st.integers(60, 160), min_size=3, max_size=3)),
        iops=draw(st.lists(st.integers(0, 400).map(float), min_size=disks, max_size=disks)),
        pool_of=[0, 1, 0],
        pinned=np.array(draw(st.lists(st.sampled_from([False, False, True]), min_size=disks, max_size=disks))),
    )
    numbers = draw(st.permutations(range(disks)))
    apart = numbers[: draw(st.integers(2, min(3, disks)))]
    bonded = [numbers[0], *numbers[len(apart) :]]
    sites = draw(st.sampled_from([(0, 1, 2), (0, 1, 0)]))
    bonds = (Bond("together", tuple(bonded)),) if len(bonded) > 1 and draw(st.booleans()) else ()
    return dataclasses.replace(group, splits=(Split("apart", tuple(apart), sites),), bonds=bonds)


def kept(group: Group, place: np.ndarray) -> bool:
    """Whether all rules hold, counted anew."""
    apart = all(max(Counter(each.sites[place[d]] for d in each.disks).values()) == 1 for each in group.splits)
    return apart and all(len({int(place[d]) for d in each.disks}) == 1 for each in group.bonds)


def least_bytes(group: Group, large: bool) -> int | None:
    """The fewest bytes with which every rule and ceiling holds, within the planner's margin, found by trying all.

    In ``large`` groups no datastore is filled up to the last of its room.
    """
    found = group.used(group.place)
    room = np.maximum(group.room_bytes * (1 - SPACE_MARGIN * large), found)
    limits = np.array([curve.bearable(group.latency_ceiling_ms) for curve in group.curves]) * (1 - 2e-4)
    lawful = []
    for each in itertools.product(range(len(group.datastores)), repeat=len(group.disks)):
        place = np.array(each, dtype=np.int64)
        state = judge(group, place)
        holds = (state.load.max(axis=1) <= limits).all() and state.clear and kept(group, place)
        holds = holds and (state.used_bytes <= room).all()
        if holds and not broken_musts(group, place):
            lawful.append(int(group.size_bytes[place != group.place].sum()))
    return min(lawful, default=None)


@settings(max_examples=150, deadline=None)
@given(ruled(), st.booleans())
def test_rules_and_ceilings_are_kept_wherever_any_plan_keeps_them(group: Group, large: bool) -> None:
    assume(always_in_order(group))
    with pytest.MonkeyPatch.context() as patched:
        if large:
            patched.setattr(exact, "VARIABLES_MAX", 0)
        plan = clear(group)
    assert broken_musts(group, plan.place) == []
    assert group.out_of_rule(plan.place) <= group.out_of_rule(group.place)
    least = least_bytes(group, large)
    whole = all(len({int(group.place[d]) for d in bond.disks}) == 1 for bond in group.bonds)
    if least is not None and whole:
        assert kept(group, plan.place)
        assert plan.after.clear
        assert plan.bound_bytes <= least
        assert large or plan.moved_bytes <= least


def test_a_datastore_is_filled_up_to_the_last_of_its_room_where_nothing_else_clears() -> None:
    """Of 60, 62 and 75 GiB at 80 %: 48 and 12 are all that the third has room for."""
    split = Split("apart", (0, 3), (0, 1, 2))
    plan = clear(small([12, 48, 49, 12], [0] * 4, [60, 62, 75], pool_of=[0, 1, 0], splits=(split,)))
    assert plan.after.clear
    assert plan.after.used_bytes[2] == 60 * GIB


def test_a_pool_that_is_hardly_over_is_cleared_beside_a_rule() -> None:
    """801 of 800: the solver took what it was told to begin with for the best there is."""
    split = Split("apart", (4, 1), (0, 1, 2))
    group = small([1] * 5, [0, 0, 0, 0, 1], [60] * 3, [398.0, 25.0, 73.0, 305.0, 108.0], [0, 1, 0], splits=(split,))
    plan = clear(group)
    assert plan.after.clear
    assert plan.moved_bytes == group.size_bytes[0]


def test_what_rules_leave_a_disk_that_is_to_come() -> None:
    """Disks 0 and 1 lie on datastores 0 and 2, of sites 0 and 1; disk 2 is to come."""
    split, bond = Split("apart", (0, 1, 2), (0, 0, 1, 2)), Bond("together", (1, 2))
    other = Split("others", (0, 1), (0, 1, 2, 3))
    found = left_by_rules([split, other], [bond], 2, [0, 2], 4)
    assert [(name, left.tolist()) for name, left in found] == [
        ("apart", [False, False, False, True]),
        ("together", [False, False, True, False]),
    ]
    # Apart from both and together with one: no datastore is left.
    assert not (found[0][1] & found[1][1]).any()
