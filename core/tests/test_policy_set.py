"""Policies together: which allow the same places, and how long the room of each lasts."""

from __future__ import annotations

import pytest

from movelot_core.placement.policy_set import alike, days_left
from movelot_core.units import GIB


def test_the_worked_example() -> None:
    room = {1: 400 * GIB, 2: 600 * GIB, 3: 300 * GIB}
    growth = {1: 10.0 * GIB, 2: 15.0 * GIB, 3: 2.0 * GIB}
    assert days_left({1, 2}, room, growth) == pytest.approx(40)
    assert days_left({3}, room, growth) == pytest.approx(150)


def test_what_shrinks_gives_no_room_to_the_others_and_what_is_over_takes_none() -> None:
    assert days_left({1, 2}, {1: 100, 2: 100}, {1: 10.0, 2: -50.0}) == pytest.approx(20)
    assert days_left({1, 2}, {1: -500, 2: 100}, {1: 10.0}) == pytest.approx(10)
    assert days_left({1}, {1: 100}, {1: 0.0}) is None
    assert days_left(set(), {}, {}) is None


def test_policies_alike_are_told_together_and_those_served_nowhere_are_not() -> None:
    served: dict[int, set[int]] = {4: {1, 2}, 2: {2, 1}, 3: {1}, 7: set(), 8: set(), 9: {1}}
    assert alike(served) == [[2, 4], [3, 9]]
