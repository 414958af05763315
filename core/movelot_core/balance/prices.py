"""Betters a placement by the prices of the relaxation: the exact model for the moves that are worth most at these."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from movelot_core.balance import exact
from movelot_core.balance.group import Ints, broken_musts
from movelot_core.balance.order import left_out
from movelot_core.balance.relaxation import relaxation
from movelot_core.balance.standing import Part, Standing, better, problem_of
from movelot_core.solver import Budget

# Finding prices gets no more than this share of the steps.
RELAXATION_SHARE = 0.5
# So many of the moves that are worth most are tried together, with so many steps for each.
COLUMNS, COLUMN_STEPS = (100, 200, 400, 800, 1600), 2.5


def bettered_by_prices(
    best: Standing, out: Ints, budget: Budget, ends: float, *, bytes_only: bool = False
) -> tuple[Standing, float]:
    """``best``, or what is better with the moves that prices say are worth most; and the least cost there can be.

    Ever more such moves are tried, as far as the ``budget`` goes up to ``ends``. The cost is what is over and, weighed
    little, what moves (see ``Standing.over_and_moved``); with ``bytes_only`` no more is over than at ``best``.
    """
    group = best.group
    until = budget.spent + RELAXATION_SHARE * (ends - budget.spent)
    found = relaxation(best, out, budget, until, bytes_only=bytes_only)
    if found is None:
        return best, 0.0
    most = min(COLUMNS[-1], found.added.size)
    worth = np.argpartition(found.added, most - 1, axis=None)[:most]
    worth = worth[np.lexsort((worth, found.added.ravel()[worth]))]
    worth = worth[np.isfinite(found.added.ravel()[worth])]
    every = np.arange(len(group.disks))
    for count in COLUMNS:
        if not budget.left or budget.spent >= ends:
            break
        may = found.used.copy()
        may.ravel()[worth[:count]] = True
        elsewhere = may.copy()
        elsewhere[every, best.place] = False
        disks = np.flatnonzero(elsewhere.any(axis=1) & ~group.pinned)
        problem = problem_of(best, out, Part(disks, np.arange(len(group.datastores))))
        problem = replace(problem, may=problem.may & may[disks])
        steps = min(ends - budget.spent, COLUMN_STEPS * count)
        best = if_better(best, best.after(disks, exact.solved(problem, budget, steps, found.hours).place), out)
        if count >= len(worth):
            break
    return best, found.bound


def if_better(best: Standing, after: Standing, out: Ints) -> Standing:
    """``after`` where it is better and lawful; without those of its moves that no order has room for."""
    if not better(after.reached(out), best.reached(out)):
        return best
    stuck = left_out(best.group, after.place)
    if stuck.size:
        after = after.after(stuck, best.group.place[stuck])
        if left_out(best.group, after.place).size or not better(after.reached(out), best.reached(out)):
            return best
    return best if broken_musts(best.group, after.place) else after
