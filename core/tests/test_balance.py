"""Plans: worked examples, and what must hold for any group, checked by the independent list of Musts."""

import dataclasses
import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bench.groups import generate
from bench.instances import on_the_way
from core.tests.builders import small
from movelot_core.balance import exact
from movelot_core.balance.clear import clear
from movelot_core.balance.copies import CopyRates
from movelot_core.balance.group import Group, broken_musts, judge
from movelot_core.balance.order import order_moves
from movelot_core.balance.plan import plan_for
from movelot_core.errors import GroupError
from movelot_core.units import GIB

RATES = CopyRates(offloaded=GIB, over_hosts=GIB / 4)


def test_the_smallest_disk_that_clears_the_breach_moves() -> None:
    # 95 of 100 GiB used, 80 allowed: 15 must go. 15 fits exactly; 20 or 60 would be more than needed.
    plan = clear(small([60, 20, 15], [0, 0, 0], [100, 100]))
    assert [move.disk for move in plan.moves] == [2]
    assert (plan.moved_bytes, plan.over_bound) == (15 * GIB, pytest.approx(1.0))
    assert plan.after.clear


def test_a_slow_pool_is_cleared_by_its_densest_disk() -> None:
    # Limit at 5 ms: 1000*(1-1/5) = 800. 900 IOPS on pool 0: 100 must leave; the 10 GiB disk with 300 is cheapest.
    plan = clear(small([100, 10, 40], [0, 0, 0], [400, 400], iops=[300, 300, 300], pool_of=[0, 1]))
    assert [(move.disk, move.target) for move in plan.moves] == [(1, 1)]
    assert plan.before.peak_ms[0] == pytest.approx(10.0)
    assert plan.after.peak_ms[0] == pytest.approx(2.5)
    assert plan.moves[0].gains[0].kind == "latency"


def test_disks_that_peak_at_different_hours_may_share_a_pool() -> None:
    group = small([10, 10], [0, 0], [100, 100], iops=[700, 700], pool_of=[0, 1])
    by_hour = group.features.copy()
    by_hour[:, 0, 12:], by_hour[:, 1, :12] = 0, 0
    assert clear(dataclasses.replace(group, features=by_hour)).moves == ()
    assert len(clear(group).moves) == 1


def test_pins_and_reach_are_kept_and_named_when_nothing_is_left() -> None:
    group = small([60, 35], [0, 0], [100, 100], pinned=np.array([True, False]))
    unreachable = np.array([[True, False], [True, False]])
    plan = clear(dataclasses.replace(group, reach=unreachable))
    assert plan.moves == ()
    assert [(u.kind, u.subject) for u in plan.unresolved] == [("fill", "store-0")]
    assert dict(plan.unresolved[0].refusals) == {"pinned": 1, "unreached": 1}


def test_what_cannot_be_cleared_is_bettered_as_far_as_it_can() -> None:
    # 95 used of 100, 80 allowed; the other datastore takes 10 at most: the 10 GiB disk goes, 5 stay over.
    plan = clear(small([60, 25, 10, 70], [0, 0, 0, 1], [100, 100]))
    assert [move.disk for move in plan.moves] == [2]
    assert plan.after.used_bytes[0] == 85 * GIB
    assert (plan.unresolved[0].subject, plan.unresolved[0].over) == ("store-0", 5 * GIB)


@st.composite
def groups(draw: st.DrawFn) -> Group:
    disks, stores = draw(st.integers(1, 14)), draw(st.integers(1, 4))
    pick = st.integers(0, stores - 1)
    group = small(
        draw(st.lists(st.integers(1, 40), min_size=disks, max_size=disks)),
        draw(st.lists(pick, min_size=disks, max_size=disks)),
        draw(st.lists(st.integers(40, 160), min_size=stores, max_size=stores)),
        iops=draw(st.lists(st.floats(0, 300), min_size=disks, max_size=disks)),
        pool_of=[n % 2 for n in range(stores)],
    )
    reach = np.array(draw(st.lists(st.booleans(), min_size=disks * stores, max_size=disks * stores)))
    pinned = np.array(draw(st.lists(st.booleans(), min_size=disks, max_size=disks)))
    return dataclasses.replace(group, reach=reach.reshape(disks, stores), pinned=pinned)


@settings(max_examples=60, deadline=None)
@given(groups(), st.booleans())
def test_any_plan_keeps_every_must_and_never_beats_the_bound(group: Group, decomposed: bool) -> None:
    with pytest.MonkeyPatch.context() as patch:
        if decomposed:
            patch.setattr(exact, "VARIABLES_MAX", 0)
        plan, again = clear(group), clear(group)
    assert broken_musts(group, plan.place) == []
    assert (plan.place == again.place).all()
    if plan.after.clear:
        assert plan.moved_bytes >= plan.bound_bytes
    if plan.before.clear:
        assert plan.moves == ()


@settings(max_examples=60, deadline=None)
@given(groups(), st.randoms(use_true_random=False))
def test_the_order_has_room_at_every_instant(group: Group, random: object) -> None:
    """Replays the order with copy times drawn anew: needs alone must guarantee room, whatever a copy takes."""
    plan = clear(group)
    ordered = order_moves(group, plan.moves, RATES)
    used = group.used(group.place)
    most = np.maximum(group.room_bytes, used)
    done: set[int] = set()
    started: set[int] = set()
    while len(done) < len(ordered):
        ready = [n for n, step in enumerate(ordered) if n not in started and set(step.needs) <= done]
        # The worst case starts all that may start before anything ends.
        for n in ready:
            used[ordered[n].move.target] += ordered[n].move.size_bytes
            started.add(n)
            assert used[ordered[n].move.target] <= most[ordered[n].move.target]
        ended = random.choice(sorted(started - done))  # type: ignore[attr-defined]
        used[ordered[ended].move.source] -= ordered[ended].move.size_bytes
        done.add(ended)
    final = {step.move.disk: step.move.target for step in ordered}
    if len(final) == len(plan.moves):
        assert final == {move.disk: move.target for move in plan.moves}


def test_two_disks_that_change_places_are_staged_through_a_third_datastore() -> None:
    group = small([70, 70, 5], [0, 1, 2], [100, 100, 100])
    swap = group.place.copy()
    swap[[0, 1]] = [1, 0]
    ordered = order_moves(group, plan_for(group, swap, 0.0).moves, RATES)
    assert [step.staging for step in ordered] == [True, False, False]
    assert {step.move.disk: step.move.target for step in ordered} == {0: 1, 1: 0}
    assert ordered[0].move.target == 2


def test_a_move_that_no_order_has_room_for_stages_nothing_and_takes_its_followers_along() -> None:
    # Disk 0 finds store 1 full for good; disk 2 waits for the space that disk 0 would free; disk 3 can go.
    group = small([70, 70, 60, 5], [0, 1, 2, 2], [100, 100, 100, 100])
    wish = group.place.copy()
    wish[[0, 2, 3]] = [1, 0, 3]
    ordered = order_moves(group, plan_for(group, wish, 0.0).moves, RATES)
    assert [(step.move.disk, step.move.target, step.staging) for step in ordered] == [(3, 3, False)]


def test_a_move_waits_for_the_load_that_has_to_leave_its_pool_first() -> None:
    # A pool bears 800; disk 0 brings 300 to one that has 600, so that disk 1 has to leave first, though room is plenty.
    group = small([10, 20, 5], [0, 1, 2], [200] * 3, iops=[300, 600, 10], pool_of=[0, 1, 2])
    wish = group.place.copy()
    wish[[0, 1]] = [1, 2]
    ordered = order_moves(group, plan_for(group, wish, 0.0).moves, RATES)
    first, second = sorted(ordered, key=lambda step: -step.move.disk)
    assert [ordered[n] for n in second.needs] == [first]
    assert on_the_way(group, ordered) <= 1


def test_disks_whose_loads_wait_for_one_another_still_change_places() -> None:
    # Each pool bears 800 and has 700: whichever goes first leaves 1,300 at its target for a while.
    group = small([10, 20], [0, 1], [200] * 2, iops=[700, 600], pool_of=[0, 1])
    ordered = order_moves(group, plan_for(group, group.place[::-1].copy(), 0.0).moves, RATES)
    assert {step.move.disk: step.move.target for step in ordered} == {0: 1, 1: 0}
    assert on_the_way(group, ordered) == pytest.approx(1300 / 800)


@settings(max_examples=60, deadline=None)
@given(groups(), st.data())
def test_any_wish_is_ordered_whole_or_left_out_and_staged_once_at_most(group: Group, data: st.DataObject) -> None:
    stores = st.integers(0, len(group.datastores) - 1)
    wish = np.array([data.draw(stores) for _ in group.disks])
    ordered = order_moves(group, plan_for(group, wish, 0.0).moves, RATES)
    legs: dict[int, list[int]] = {}
    for step in ordered:
        legs.setdefault(step.move.disk, [step.move.source]).append(step.move.target)
        assert set(step.needs) <= set(range(len(ordered)))
    for disk, way in legs.items():
        assert (way[0], way[-1]) == (group.place[disk], wish[disk])
        assert len(way) <= 3


@given(groups(), st.data())
def test_estates_have_one_digest_only_if_all_their_values_are_equal(group: Group, data: st.DataObject) -> None:
    again = dataclasses.replace(group, size_bytes=group.size_bytes.copy())
    assert again.digest == group.digest
    disk = data.draw(st.integers(0, len(group.disks) - 1))
    pinned = group.pinned.copy()
    pinned[disk] = not pinned[disk]
    assert dataclasses.replace(group, pinned=pinned).digest != group.digest
    assert dataclasses.replace(group, fill_ceiling=group.fill_ceiling / 2).digest != group.digest


def test_an_array_copy_takes_its_size_over_the_rate() -> None:
    ordered = order_moves(*(lambda e: (e, clear(e).moves))(small([60, 20, 15], [0, 0, 0], [100, 100])), RATES)
    assert ordered[0].slot.end == pytest.approx(15.0)


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_twenty_thousand_disks_are_planned_near_the_bound(seed: int) -> None:
    group = generate(20_000, 200, 40, seed)
    start = time.perf_counter()
    plan = clear(group)
    assert time.perf_counter() - start < 10
    assert judge(group, group.place).over_fill.any()
    assert plan.after.clear
    assert plan.over_bound <= 1.05
    assert broken_musts(group, plan.place) == []


@pytest.mark.parametrize("wrong", [np.nan, np.inf])
def test_a_load_that_is_no_number_is_refused_and_does_not_pass_for_clear(wrong: float) -> None:
    with pytest.raises(GroupError, match="other_load"):
        small([10], [0], [100], other_load=np.full((1, 24), wrong))
    features = small([10], [0], [100]).features
    with pytest.raises(GroupError, match="features"):
        small([10], [0], [100], features=features + wrong)


def test_a_group_without_datastores_has_nothing_that_is_over() -> None:
    empty = small([], [], [], pools=(), curves=(), array_of=(), other_load=np.zeros((0, 24)))
    state = judge(empty, empty.place)
    assert state.clear
    assert (state.peak_ms.shape, state.load.shape) == ((0,), (0, 24))
    assert clear(empty).moves == ()
