"""*Even out*: clears a group and lowers its highest fill and its highest load, as far as that is worth its bytes.

It is the same planner: with ceilings lowered to some level, *clear* finds the least bytes that bring all under that
level. Of levels between what is highest and what is even, that one is taken where the points by which the highest
falls, less ``least_gain`` points for each TiB moved beyond what clearing takes, are most: what comes on top of it gains
less for a TiB than that. First levels of fill are tried, then, with the best of these held, levels of load; points that
the one loses count against those that the other gains.

Worked example: two datastores of 1 TiB are 70 and 10 % full, all in disks of 0.1 TiB. Each disk that moves lowers the
highest by 10 points, 100 points per TiB, until both are 40 % full. With a least gain of 150 points nothing moves.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from movelot_core.balance.clear import NO_DISKS, OVER_MARGIN, STEPS, clear
from movelot_core.balance.group import Group, Ints
from movelot_core.balance.plan import Plan, plan_for
from movelot_core.balance.standing import Standing, reached
from movelot_core.solver import Budget
from movelot_core.units import TIB

# Points of the highest fill or load for each TiB: below that evening out is not worth the copies.
LEAST_GAIN = 1.0
# Levels between the highest and even that are tried first, in eighths; then the two beside the best. With both fill and
# load there are so many tries at most, each with such a share of the steps that clearing gets; all takes so many times
# these.
FIRST_LEVELS, EIGHTHS = (2, 4, 6), 8
TRIES_MAX, LEVEL_SHARE = 10, 0.25
TIMES = 1 + TRIES_MAX * LEVEL_SHARE
# What differs by less is even.
EVEN = 0.01


@dataclass(frozen=True, slots=True)
class Highest:
    """The highest fill of a datastore, and the highest load of a pool as a share of what it bears within its ceiling.

    What no move can lower does not count: where nothing lies that may live elsewhere.
    """

    fill: float
    load: float

    @property
    def points(self) -> float:
        """Both together, in hundredths."""
        return 100 * (self.fill + self.load)


@dataclass(frozen=True, slots=True)
class Evened:
    """A plan that clears and evens out, beside what clearing alone takes and leaves."""

    plan: Plan
    cleared: Plan
    before: Highest
    after: Highest


def even_out(
    group: Group, budget: Budget | None = None, least_gain: float = LEAST_GAIN, out: Ints = NO_DISKS
) -> Evened:
    """The plan that clears ``group`` and evens it out while that gains ``least_gain`` points for each TiB.

    Disks ``out`` may not stay where they lie. It leaves no more over the ceilings than clearing does. The bound on its
    bytes is for plans that even out as far. The same answer for the same input and budget.
    """
    budget = budget or Budget(TIMES * STEPS)
    cleared = clear(group, out, budget.part(budget.steps / TIMES))
    held = highest(group, cleared.place)
    search = _Search(group, cleared, budget, least_gain, out)
    used = float(group.found.used_bytes.sum()) / max(float(group.capacity_bytes.sum()), 1.0)
    search.lower(held.fill, used, lambda within, level: replace(within, fill_ceiling=min(level, group.fill_ceiling)))
    peaks = group.pool_load(search.best.place).max(axis=1, initial=0.0)
    even = float(peaks.sum()) / max(float(np.maximum(group.load_limit, 0).sum()), 1e-9)
    search.lower(held.load, even, lambda within, level: replace(within, load_share=min(level, 1.0)))
    return Evened(search.best, cleared, held, highest(group, search.best.place))


def highest(group: Group, place: Ints) -> Highest:
    """What is highest with disks at ``place``."""
    standing = Standing.of(group, place)
    elsewhere = group.reach & ~group.pinned[:, None]
    elsewhere[np.arange(len(place)), place] = False
    beyond = np.zeros((len(place), len(group.pools)), dtype=bool)
    for pool in range(len(group.pools)):
        beyond[:, pool] = elsewhere[:, group.pool_of == pool].any(axis=1)
    beyond[np.arange(len(place)), group.pool_of[place]] = False
    stores = np.unique(place[elsewhere.any(axis=1)])
    lowered = np.unique(group.pool_of[place[beyond.any(axis=1)]])
    fill = standing.used_bytes / np.maximum(group.capacity_bytes, 1)
    peak = standing.load.max(axis=1, initial=0.0)
    # A pool that is too slow without any load is helped by nothing.
    lowered = lowered[group.load_limit[lowered] > 0]
    share = peak[lowered] / group.load_limit[lowered]
    return Highest(float(fill[stores].max(initial=0.0)), float(share.max(initial=0.0)))


class _Search:
    """The best plan so far, and the group with the ceilings that it was made for."""

    def __init__(self, group: Group, cleared: Plan, budget: Budget, least_gain: float, out: Ints) -> None:
        self.group, self.cleared, self.budget, self.least_gain = group, cleared, budget, least_gain
        self.best, self.within, self.score, self.out = cleared, group, 0.0, out

    def lower(self, most: float, even: float, lowered: Callable[[Group, float], Group]) -> None:
        """Try levels between the highest there is and ``even``: some far apart, then those beside the best."""
        within, best = self.within, 0
        for levels in (lambda _best: FIRST_LEVELS, lambda best: (best - 1, best + 1)):
            for level in levels(best):
                if 0 < level < EIGHTHS and most - even >= EVEN and self.budget.left:
                    found = self._tried(lowered(within, most - (most - even) * level / EIGHTHS))
                    best = level if found else best

    def _tried(self, within: Group) -> bool:
        """Whether a plan for lowered ceilings is the best so far; it leaves no more over than clearing does."""
        steps = self.budget.steps * LEVEL_SHARE / TIMES
        lowered = clear(within, self.out, self.budget.part(steps))
        settled, left, _stays = reached(self.group, self.out, lowered.place)
        least, most_left, _stays = reached(self.group, self.out, self.cleared.place)
        gained = highest(self.group, self.cleared.place).points - highest(self.group, lowered.place).points
        score = gained - self.least_gain * (lowered.moved_bytes - self.cleared.moved_bytes) / TIB
        if score <= self.score or settled < least or left < most_left - OVER_MARGIN:
            return False
        plan = plan_for(self.group, lowered.place, lowered.bound_bytes)
        self.best, self.within, self.score = replace(plan, least_over=self.cleared.least_over), within, score
        return True
