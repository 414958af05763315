"""Programmes that are solved in steps: the best within them, the same each time, and never worse than the start."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import sparse

from movelot_core.solver import Budget, Programme, solved

NO_LIMIT = -np.inf


def knapsack(values: list[int], sizes: list[int], room: int) -> Programme:
    """As much value as fits into a room."""
    count = len(values)
    return Programme(
        -np.array(values, dtype=float),
        sparse.csr_matrix(np.array([sizes], dtype=float)),
        np.array([NO_LIMIT]),
        np.array([float(room)]),
        np.ones(count),
        np.ones(count, dtype=bool),
    )


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(st.integers(1, 30), st.integers(1, 30)), min_size=1, max_size=8), st.integers(0, 90))
def test_a_small_programme_is_solved_as_by_trying_everything(things: list[tuple[int, int]], room: int) -> None:
    values, sizes = [value for value, _size in things], [size for _value, size in things]
    best = max(
        sum(itertools.compress(values, chosen))
        for chosen in itertools.product((0, 1), repeat=len(things))
        if sum(itertools.compress(sizes, chosen)) <= room
    )
    found = solved(knapsack(values, sizes, room), Budget(1000))
    assert found.proven
    assert found.x is not None
    assert float(np.array(values) @ found.x) == pytest.approx(best)
    assert found.bound <= -best + 1e-6


def hard() -> Programme:
    """Twenty knapsacks at once, too many to be proven in a few steps."""
    rng = np.random.default_rng(5)
    rows = rng.integers(20, 100, (20, 120)).astype(float)
    return Programme(
        -rng.integers(40, 60, 120).astype(float),
        sparse.csr_matrix(rows),
        np.full(20, NO_LIMIT),
        rows.sum(axis=1) * 0.4,
        np.ones(120),
        np.ones(120, dtype=bool),
    )


def test_the_same_steps_give_the_same_answer_and_end_it() -> None:
    answers, spent = [], []
    for _ in range(2):
        budget = Budget(150)
        answers.append(solved(hard(), budget))
        spent.append(budget.spent)
    assert not answers[0].proven
    assert answers[0].x is not None
    assert answers[1].x is not None
    assert (answers[0].x == answers[1].x).all()
    assert spent[0] == spent[1]
    assert spent[0] < 1000


def test_an_answer_is_never_worse_than_its_start() -> None:
    programme = hard()
    best = solved(programme, Budget(300)).x
    assert best is not None
    again = solved(programme, Budget(1), start=best)
    assert again.x is not None
    assert float(programme.cost @ again.x) <= float(programme.cost @ best) + 1e-6


def test_who_stops_a_budget_ends_what_runs_and_all_that_would_follow() -> None:
    told: list[float] = []

    def stop(share: float) -> bool:
        told.append(share)
        return len(told) >= 2

    budget = Budget(1e9, stop)
    assert not solved(hard(), budget).proven
    assert budget.halted
    assert budget.left == 0
    assert budget.more(1.0).left == 0
    assert all(0 <= share <= 1 for share in told)


def test_a_programme_that_cannot_be_solved_says_so() -> None:
    programme = knapsack([1], [1], 5)
    impossible = Programme(
        programme.cost, programme.matrix, np.array([3.0]), programme.high, programme.most, programme.whole
    )
    assert solved(impossible, Budget(100)).x is None
