"""Every planner against an enumeration of all plans, and against the relaxation that bounds them."""

from __future__ import annotations

import dataclasses
import itertools

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from bench.groups import generate
from core.tests.builders import always_in_order, small
from movelot_core.balance import cover, exact
from movelot_core.balance.clear import STEPS, clear
from movelot_core.balance.group import Group, broken_musts, judge, limits
from movelot_core.balance.place import Ledger, Refusal, place_chosen
from movelot_core.balance.plan import Plan, plan_for
from movelot_core.errors import GroupError
from movelot_core.solver import Budget
from movelot_core.units import GIB


def all_plans(group: Group) -> list[np.ndarray]:
    """Every placement there is; for groups of a handful of disks only."""
    stores = range(len(group.datastores))
    return [np.array(place, dtype=np.int64) for place in itertools.product(stores, repeat=len(group.disks))]


def least_bytes_that_clear(group: Group, share_of_limit: float = 1.0) -> int | None:
    """The fewest bytes with which every ceiling holds and no Must is broken, found by trying everything.

    No pool may then carry more than this share of the load at which it reaches its ceiling.
    """
    limits = np.array([curve.bearable(group.latency_ceiling_ms) for curve in group.curves])
    lawful = []
    for place in all_plans(group):
        state = judge(group, place)
        keeps = share_of_limit == 1.0 or bool((state.load.max(axis=1) <= limits * share_of_limit).all())
        if keeps and state.clear and not broken_musts(group, place):
            lawful.append(int(group.size_bytes[place != group.place].sum()))
    return min(lawful, default=None)


@st.composite
def tiny(draw: st.DrawFn) -> Group:
    """Up to five disks on up to three datastores of two pools, with loads, reach and pins at random."""
    disks, stores = draw(st.integers(1, 5)), draw(st.integers(2, 3))
    group = small(
        draw(st.lists(st.integers(1, 60), min_size=disks, max_size=disks)),
        draw(st.lists(st.integers(0, stores - 1), min_size=disks, max_size=disks)),
        draw(st.lists(st.integers(60, 160), min_size=stores, max_size=stores)),
        iops=draw(st.lists(st.integers(0, 500).map(float), min_size=disks, max_size=disks)),
        pool_of=[n % 2 for n in range(stores)],
    )
    reach = draw(st.lists(st.booleans(), min_size=disks * stores, max_size=disks * stores))
    pinned = draw(st.lists(st.booleans(), min_size=disks, max_size=disks))
    return dataclasses.replace(group, reach=np.array(reach).reshape(disks, stores), pinned=np.array(pinned))


def test_a_plan_that_leaves_a_pool_at_its_very_limit_is_not_taken() -> None:
    """850 IOPS where 800 reach the ceiling: moving 50 away is the least, and leaves nothing for what is measured."""
    group = small([60, 2, 1], [0, 0, 0], [160, 160], iops=[400.0, 400.0, 50.0], pool_of=[0, 1])
    assert least_bytes_that_clear(group) == GIB
    assert clear(group).moved_bytes == least_bytes_that_clear(group, 1 - 2e-4) == 2 * GIB


@settings(max_examples=60, deadline=None)
@given(tiny())
def test_no_plan_that_clears_moves_fewer_bytes_than_the_exact_one(group: Group) -> None:
    assume(always_in_order(group))
    least = least_bytes_that_clear(group)
    plan = clear(group)
    if least is None:
        assert not plan.after.clear
    else:
        assert plan.after.clear
        # The planner keeps a ten-thousandth of the load limit as margin: where only a plan within it moves less, it may
        # move what a plan without needs.
        roomy = least_bytes_that_clear(group, 1 - 2e-4)
        assert plan.moved_bytes == least or plan.moved_bytes == roomy
        assert plan.bound_bytes <= least


@settings(max_examples=60, deadline=None)
@given(tiny())
def test_the_cover_bounds_every_plan_that_clears(group: Group) -> None:
    least = least_bytes_that_clear(group)
    bound = cover.choose(group, Budget(STEPS)).bound_bytes
    if least is not None:
        assert bound <= least * (1 + 1e-6) + 1


@pytest.mark.parametrize("seed", [4, 5, 6])
def test_both_planners_clear_the_same_estate_close_to_each_other(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    group = generate(60, 6, 3, seed)
    best = clear(group)
    monkeypatch.setattr(exact, "VARIABLES_MAX", 0)
    by_pool = clear(group)
    assert best.after.clear
    assert by_pool.after.clear
    assert best.moved_bytes <= by_pool.moved_bytes <= best.moved_bytes * 1.15 + GIB


def test_a_disk_of_a_quiet_pool_is_left_alone_by_both_planners(monkeypatch: pytest.MonkeyPatch) -> None:
    group = small([60, 30, 40], [0, 0, 1], [100, 100, 100], pool_of=[0, 1, 1])
    moved = {move.disk for move in clear(group).moves}
    monkeypatch.setattr(exact, "VARIABLES_MAX", 0)
    assert {move.disk for move in clear(group).moves} == moved == {1}


def ledger_of(group: Group) -> Ledger:
    return Ledger.found(group)


def test_each_refusal_has_its_reason_in_the_order_of_the_tests() -> None:
    # Pool 1 bears 800 and has 700: a disk with 200 would make it too slow. Datastore 2 has no room, 3 is out of reach.
    group = small(
        [30, 70, 75, 10],
        [0, 1, 2, 3],
        [100, 200, 100, 100],
        iops=[200, 700, 0, 0],
        pool_of=[0, 1, 0, 0],
    )
    reach = group.reach.copy()
    reach[0, 3] = False
    refused = ledger_of(dataclasses.replace(group, reach=reach)).refusals(0)
    assert refused == [None, Refusal.TOO_SLOW, Refusal.NO_ROOM, Refusal.UNREACHED]


def test_a_booked_move_takes_room_and_load_from_one_place_to_the_other() -> None:
    group = small([30, 20], [0, 0], [100, 100], iops=[100, 50], pool_of=[0, 1])
    ledger = ledger_of(group)
    ledger.move(0, 1)
    assert list(ledger.used // GIB) == [20, 30]
    assert ledger.load[:, 0] == pytest.approx([50, 100])
    ledger.move(0, 0)
    assert (ledger.place == group.place).all()
    assert ledger.load == pytest.approx(judge(group, group.place).load)


def test_the_best_place_has_most_slack_and_stays_on_the_array_when_it_can() -> None:
    group = small([10, 60], [0, 1], [100, 100, 400, 100], pool_of=[0, 0, 1, 1])
    far = dataclasses.replace(group, array_of=("granite", "basalt"))
    # On granite itself only datastore 1 is another one, though basalt's has far more room.
    assert ledger_of(far).best(0, leave_pool=False) == 1
    assert ledger_of(far).best(0, leave_pool=True) == 2
    assert ledger_of(dataclasses.replace(far, reach=np.zeros_like(far.reach))).best(0, leave_pool=False) is None


def test_chosen_disks_find_homes_largest_first_and_the_rest_are_named() -> None:
    group = small([50, 45, 40], [0, 0, 0], [100, 100, 60], pool_of=[0, 0, 0])
    ledger, homeless = place_chosen(group, np.array([0, 1, 2]), np.zeros(3, dtype=bool))
    # 80 may be held by datastore 1 and 48 by datastore 2: 50 goes to one, 45 to the other, 40 finds nothing.
    assert (list(ledger.place), homeless) == ([1, 2, 0], [2])


@settings(max_examples=40, deadline=None)
@given(tiny(), st.lists(st.integers(0, 2), min_size=5, max_size=5))
def test_a_person_s_placement_is_judged_like_any_plan(group: Group, wanted: list[int]) -> None:
    place = np.minimum(np.array(wanted[: len(group.disks)], dtype=np.int64), len(group.datastores) - 1)
    plan = plan_for(group, place, 0.0)
    assert plan.moved_bytes == sum(move.size_bytes for move in plan.moves)
    assert {move.disk for move in plan.moves} == set(np.flatnonzero(place != group.place))
    assert (plan.after.used_bytes == group.used(place)).all()
    stays_over = {entry.subject for entry in plan.unresolved if entry.kind == "fill"}
    assert stays_over == {group.datastores[s] for s in np.flatnonzero(plan.after.over_fill)}


def test_gains_say_what_a_move_does_by_itself() -> None:
    group = small([30, 30, 30], [0, 0, 0], [100, 200], iops=[500, 300, 50], pool_of=[0, 1])
    plan = plan_for(group, np.array([1, 0, 0]), 0.0)
    latency, fill = plan.moves[0].gains
    # 850 of 1000 busy is 6.7 ms; without 500 it is 350: 1/(1-0.35) = 1.54 ms.
    assert (latency.kind, latency.subject) == ("latency", "pool-0")
    assert (latency.before, latency.after) == (pytest.approx(1 / 0.15), pytest.approx(1 / 0.65))
    assert (fill.kind, fill.before, fill.after) == ("fill", pytest.approx(0.9), pytest.approx(0.6))


def test_a_copy_inside_the_array_is_offloaded_and_one_to_another_is_not() -> None:
    group = small([30, 20], [0, 0], [100, 100, 100], pool_of=[0, 0, 1])
    far = dataclasses.replace(group, array_of=("granite", "basalt"))
    plan = plan_for(far, np.array([1, 2]), 0.0)
    assert [move.offloaded for move in plan.moves] == [True, False]


def test_the_plan_prefers_an_offloaded_copy_among_equals() -> None:
    group = small([60, 30], [0, 0], [100, 100, 100], pool_of=[0, 1, 0])
    far = dataclasses.replace(group, array_of=("granite", "basalt"))
    plan: Plan = clear(far)
    assert [(move.disk, move.target, move.offloaded) for move in plan.moves] == [(1, 2, True)]


def test_what_was_over_already_may_stay_so_but_takes_nothing_more() -> None:
    group = small([95, 10], [0, 1], [100, 100])
    most_bytes, most_load = limits(group, judge(group, group.place))
    assert list(most_bytes // GIB) == [95, 80]
    assert (most_load >= 800).all()
    assert broken_musts(group, np.array([0, 1])) == []
    assert broken_musts(group, np.array([0, 0])) == ["store-0 would be over its fill ceiling"]


def test_a_pool_that_was_over_its_ceiling_is_not_filled_up_again(monkeypatch: pytest.MonkeyPatch) -> None:
    """900 IOPS where 800 reach the ceiling: what leaves makes room for what comes up to 800, not up to 900."""
    monkeypatch.setattr(exact, "VARIABLES_MAX", 0)
    iops = [500.0, 400.0, 350.0]
    group = small([10, 10, 100], [0, 0, 1], [200, 110, 200], iops=iops, pool_of=[0, 1, 2])
    ledger = Ledger.found(group)
    ledger.move(1, 2)
    # 500 are left on the pool: 350 more would be less than the 900 that were found there, and too slow all the same.
    assert ledger.refusals(2)[0] is Refusal.TOO_SLOW
    plan = clear(group)
    assert not plan.after.over_latency.any()


def test_no_plan_of_large_datastores_is_over_a_ceiling_by_a_few_megabytes() -> None:
    """The solver keeps a ceiling to a millionth of a datastore: of 100 TiB that is 100 MiB, of which 8 are missing."""
    tib, short = 1024, 8 * 1024**2
    group = small([60 * tib, 30 * tib, 50 * tib], [0, 0, 1], [100 * tib, 100 * tib])
    group = dataclasses.replace(group, other_bytes=np.array([0, short]), pinned=np.array([True, False, True]))
    plan = clear(group)
    assert broken_musts(group, plan.place) == []
    assert plan.moves == ()


def test_a_plan_that_breaks_a_must_is_left_out_and_said(
    monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    group = small([95, 10], [0, 1], [100, 100, 200])
    wrong = exact.Exact(np.array([1, 1]), 0.0)
    monkeypatch.setattr(exact, "solve", lambda group, *rest: wrong)
    plan = clear(group)
    assert broken_musts(group, plan.place) == []
    assert plan.after.clear
    assert "store-1 would be over its fill ceiling" in caplog.text
    monkeypatch.setattr("movelot_core.balance.clear._without_idle_moves", lambda group, ledger: wrong.place)
    # What betters plans finds one even from nothing.
    assert clear(group).after.clear
    monkeypatch.setattr("movelot_core.balance.clear.bettered", lambda group, out, place, *rest: (place, 0.0))
    assert clear(group).moves == ()


def test_arrays_that_do_not_fit_one_another_are_refused_by_name() -> None:
    with pytest.raises(GroupError, match="reach"):
        small([10], [0], [100], reach=np.ones((2, 2), dtype=bool))


def test_among_plans_of_the_same_bytes_the_one_with_fewer_moves_wins() -> None:
    # 100 of 100 GiB, 80 allowed: 20 at once, or 8 and 12, which are the same bytes in two moves.
    plan = clear(small([60, 8, 12, 20], [0, 0, 0, 0], [100, 200]))
    assert [move.disk for move in plan.moves] == [3]


@pytest.mark.parametrize(("larger", "by_array"), [(1, True), (3, False)])
def test_hosts_copy_where_that_saves_more_than_a_fifth_of_a_percent(larger: int, by_array: bool) -> None:
    """One of two disks has to leave: one of 1,000 GiB, for another array only, or a larger one within its own."""
    group = small([1000, 1000 + larger], [0, 0], [2000, 3000, 3000], pool_of=[0, 1, 2])
    reach = np.array([[True, False, True], [True, True, False]])
    plan = clear(dataclasses.replace(group, array_of=("granite", "granite", "basalt"), reach=reach))
    assert [(move.disk, move.offloaded) for move in plan.moves] == [(1, True) if by_array else (0, False)]
