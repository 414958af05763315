"""Evening out: lower, lawful, no more over than clearing leaves, and only while it is worth its bytes."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest

from bench.instances import family, told
from core.tests.builders import small
from movelot_core.balance.clear import clear
from movelot_core.balance.even import Highest, even_out, highest
from movelot_core.balance.order import left_out
from movelot_core.solver import Budget


def test_the_worked_example() -> None:
    group = small([100] * 8, [0] * 7 + [1], [1000, 1000])
    evened = even_out(group)
    assert (evened.before.fill, evened.after.fill) == (0.7, 0.4)
    assert evened.cleared.moves == ()
    assert evened.plan.moved_bytes == 3 * group.size_bytes[0] >= evened.plan.bound_bytes > 0
    # 10 points for each 0.1 TiB.
    assert even_out(group, least_gain=150).plan.moves == ()


def test_a_busy_pool_is_eased_at_the_cost_of_some_fill_where_that_gains_more() -> None:
    """One of two disks that ask for 350 goes: 44 points of load for 20 of fill, and 100 GiB."""
    group = small([100, 100, 100, 100], [0, 0, 1, 1], [500, 500], [350, 350, 50, 50], [0, 1])
    evened = even_out(group)
    assert (evened.before.fill, evened.before.load) == (0.4, pytest.approx(700 / 800))
    assert (evened.after.fill, evened.after.load) == (0.6, pytest.approx(450 / 800))
    assert evened.plan.moved_bytes == group.size_bytes[0]


def test_what_nothing_can_lower_does_not_count_as_highest() -> None:
    group = small([100, 100], [0, 1], [1000, 1000], other_bytes=np.array([0, 850]) * 1024**3)
    pinned = dataclasses.replace(group, pinned=np.array([False, True]))
    assert highest(pinned, pinned.place).fill == 0.1
    assert even_out(pinned).plan.moves == ()


@pytest.mark.parametrize("name", ["loose", "shared", "rules", "infeasible", "tail"])
@pytest.mark.parametrize("seed", range(2))
def test_it_is_lawful_and_never_leaves_more_over_than_clearing(name: str, seed: int) -> None:
    group = family(name, seed, 60, 6, 3)
    evened = even_out(group)
    found, cleared = told(group, evened.plan.place), told(group, evened.cleared.place)
    assert found.wrong == []
    assert found.excess <= cleared.excess + 1e-3
    assert found.unruly <= cleared.unruly
    assert not left_out(group, evened.plan.place).size
    assert evened.after.points <= evened.before.points + 1e-9
    more = (evened.plan.moved_bytes - evened.cleared.moved_bytes) / 1024**4
    assert evened.before.points - evened.after.points >= more * 1.0 - 1e-9
    assert evened.plan.bound_bytes <= evened.plan.moved_bytes


def test_what_is_told_of_its_steps_only_grows_and_it_ends_when_asked() -> None:
    group, said = family("loose", 0, 60, 6, 3), list[float]()

    def told_and_ended(share: float) -> bool:
        said.append(share)
        return len(said) > 40

    budget = Budget(2000, told_and_ended)
    evened = even_out(group, budget)
    assert budget.halted
    assert said == sorted(said)
    assert said[-1] <= 1
    assert told(group, evened.plan.place).wrong == []


def test_the_same_group_gives_the_same_plan() -> None:
    group = family("shared", 1, 60, 6, 3)
    assert (even_out(group).plan.place == even_out(group).plan.place).all()


def test_a_plan_says_the_least_that_any_leaves_over() -> None:
    group = family("infeasible", 1, 40, 5, 2)
    plan = clear(group)
    assert 0 < plan.least_over <= plan.over == pytest.approx(told(group, plan.place).excess, abs=1e-4)


def test_a_group_without_datastores_is_even() -> None:
    nothing = dataclasses.replace(
        small([], [], []), pools=(), curves=(), array_of=(), other_load=np.zeros((0, 24)), reach=np.ones((0, 0), bool)
    )
    evened = even_out(nothing)
    assert (evened.plan.moves, evened.before, evened.after) == ((), Highest(0.0, 0.0), Highest(0.0, 0.0))
