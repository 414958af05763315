"""The relaxation by columns, against one programme of all columns that is built otherwise; and what it leads to."""

from __future__ import annotations

import numpy as np
import pytest

from bench.instances import family, least_by_shares, told
from movelot_core.balance.prices import bettered_by_prices
from movelot_core.balance.relaxation import relaxation
from movelot_core.balance.standing import BYTES_WEIGHT, Standing
from movelot_core.solver import Budget

NO_DISKS = np.array([], dtype=np.int64)


@pytest.mark.parametrize("name", ["infeasible", "shared", "tight"])
@pytest.mark.parametrize("seed", [0, 1])
def test_prices_tell_the_least_that_is_left_over(name: str, seed: int) -> None:
    group = family(name, seed, 150, 8, 3)
    found = relaxation(Standing.of(group, group.place), NO_DISKS, Budget(1e6), 1e6, bytes_only=False)
    assert found is not None
    least = least_by_shares(group, BYTES_WEIGHT)
    # Rows keep a margin of a ten-thousandth, each pool its own.
    assert found.bound <= least + 5e-4
    assert found.bound >= least * (1 - 2e-3) - 1e-4
    # Nothing that is worth a move is left out, as far as is worth a look.
    assert float(np.minimum(found.added.min(axis=1), 0).sum()) >= -2e-3 * max(least, 1e-3)


@pytest.mark.parametrize("seed", [0, 1, 2])
def test_what_prices_lead_to_is_lawful_and_near_what_is_left_over_at_least(seed: int) -> None:
    group = family("infeasible", seed, 300, 14, 4)
    start = Standing.of(group, group.place)
    budget = Budget(4000)
    best, least = bettered_by_prices(start, NO_DISKS, budget, budget.steps)
    found = told(group, best.place)
    assert found.wrong == []
    assert found.excess == pytest.approx(best.over, abs=1e-4)
    assert least <= best.over_and_moved <= least * 1.35
    assert best.over < start.over
    again, _least = bettered_by_prices(start, NO_DISKS, Budget(4000), budget.steps)
    assert (again.place == best.place).all()


def test_without_room_for_a_look_at_prices_nothing_changes() -> None:
    group = family("infeasible", 0, 300, 14, 4)
    start = Standing.of(group, group.place)
    assert bettered_by_prices(start, NO_DISKS, Budget(1), 1.0) == (start, 0.0)
