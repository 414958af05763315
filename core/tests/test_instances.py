"""Plans of seven families of groups, by an account that shares nothing with the planner and a model of its own."""

from __future__ import annotations

import numpy as np
import pytest

from bench.instances import FAMILIES, family, reference, told
from movelot_core.balance import exact
from movelot_core.balance.clear import clear
from movelot_core.balance.copies import CopyRates
from movelot_core.balance.drain import drain
from movelot_core.balance.order import left_out, order_moves
from movelot_core.balance.search import bettered
from movelot_core.balance.standing import reached
from movelot_core.solver import Budget

NO_DISKS = np.array([], dtype=np.int64)


@pytest.mark.parametrize("name", FAMILIES)
@pytest.mark.parametrize("seed", range(2))
def test_a_plan_is_lawful_ordered_and_leaves_no_more_than_was_found(name: str, seed: int) -> None:
    group = family(name, seed, 60, 6, 3)
    plan = clear(group)
    found = told(group, plan.place)
    assert found.wrong == []
    assert found.excess <= told(group, group.place).excess + 1e-9
    # Both accounts of what is over agree.
    assert -reached(group, NO_DISKS, plan.place)[1] == pytest.approx(found.excess, abs=1e-4)
    # Each of its moves is in the order, and none is dropped later.
    ordered = order_moves(group, plan.moves, CopyRates(4e8, 1e8))
    assert {move.disk for move in plan.moves} == {each.move.disk for each in ordered}
    assert plan.bound_bytes <= found.moved_bytes


@pytest.mark.parametrize("name", ["loose", "shared", "rules", "huge", "tail"])
def test_what_an_exact_model_clears_is_cleared_for_as_few_bytes(name: str) -> None:
    group = family(name, 3, 40, 5, 2)
    least = reference(group)
    assert least is not None
    found = told(group, clear(group).place)
    assert found.excess <= least.excess + 1e-4
    assert found.moved_bytes <= least.moved_bytes * 1.01


def test_parts_better_what_was_placed_by_rules_and_leave_what_is_best() -> None:
    """From nothing moved at all, part by part, as much is cleared as by the exact model of all."""
    group = family("rules", 1, 60, 6, 3)
    place, _least = bettered(group, NO_DISKS, group.place, Budget(8000))
    assert told(group, place).wrong == []
    assert reached(group, NO_DISKS, place)[1] == pytest.approx(-told(group, clear(group).place).excess, abs=1e-3)
    assert (bettered(group, NO_DISKS, place, Budget(8000))[0] == place).all()


def test_disks_that_have_to_leave_make_room_for_themselves() -> None:
    group = family("rules", 0, 120, 8, 3)
    found = drain(group, np.array([1]))
    assert told(group, found.plan.place).wrong == []
    # All leave but those that no other datastore serves.
    assert [each.nearest for each in found.homeless] == [None] * len(found.homeless)
    assert not left_out(group, found.plan.place).size


@pytest.mark.parametrize("seed", range(2))
def test_rules_that_were_found_broken_are_mended_in_groups_too_large_for_one_model(seed: int) -> None:
    group = family("rules", seed, 600, 20, 6)
    assert not exact.fits(group)
    assert told(group, group.place).unruly > 0
    found = told(group, clear(group).place)
    assert (found.unruly, found.wrong) == (0, [])
    assert found.excess < told(group, group.place).excess / 10
