"""The linear relaxation of a whole group, and the moves that its prices say are worth most.

With disks that may lie in several places by shares, the best placement of any group is found quickly, and nearly all of
its disks lie in one place. It gives a price to the room of each datastore and to the load of each pool at each hour. A
move costs what it weighs, and at these prices what it takes at its target less what it frees at its source: those that
cost least are tried with the exact model.

Columns (a disk at a datastore) are made as prices ask for them, so that 20,000 disks and 200 datastores are no larger a
programme than the moves that matter. *Column generation*: Dantzig and Wolfe, Operations Research 8, 1960.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from movelot_core import solver
from movelot_core.balance.group import Bools, Ints
from movelot_core.balance.model import SPACE_MARGIN, Hours, Model
from movelot_core.balance.standing import BYTES_WEIGHT, Part, Standing, problem_of
from movelot_core.latency import Floats
from movelot_core.solver import Basis, Budget

# In a round so many columns are made, or a share of the disks if those are more; rounds there are at most.
COLUMNS_ROUND, DISKS_SHARE, ROUNDS_MAX = 200, 0.05, 40
# It ends where no placement can cost less than by this share.
NEAR = 1e-3
# Prices swing from round to round: columns are made by those of the rounds before, with a share of this round's.
CALM = 0.85
# A column that betters less than this is none.
WORTH = 1e-7
# Steps for pricing each million columns twice, and rounds that have to be had for prices to say anything.
PRICING_STEPS, ROUNDS_LEAST = 200.0, 12


# What a row is about: ("disk", number, 0, False), or as a model tells it, with whether it has a slack.
Key = tuple[str, int, int, bool]


@dataclass(frozen=True)
class Relaxation:
    """What each column adds to the best by shares [d, s], infinite where a disk may not go; those it ``used`` [d, s].

    No placement costs less than ``bound``. ``hours``: those of pools that matter.
    """

    added: Floats
    used: Bools
    bound: float
    hours: Hours


def relaxation(best: Standing, out: Ints, budget: Budget, ends: float, *, bytes_only: bool) -> Relaxation | None:
    """Of a group as it stands at ``best``, with disks ``out`` that are to leave; None where ``budget`` had no room.

    What is over is made least, with few bytes; ``bytes_only``: bytes, with no more over than there is at ``best``.
    """
    group = best.group
    may: Bools = np.asarray(group.reach & ~group.pinned[:, None])
    pricing = PRICING_STEPS * may.size / 1e6
    if ends - budget.spent < ROUNDS_LEAST * pricing:
        return None
    columns, member = np.zeros_like(may), np.zeros(len(group.disks), dtype=bool)
    member[out] = True
    # Only disks of the programme have rows that say what it costs to lie beside another of their split.
    for crowd in group.apart.crowds(best.place):
        member[crowd.disks] = True
    member |= (best.place != group.place) & bytes_only
    hours: Hours = {}
    known = _Known(np.zeros_like(may), {})
    calm: dict[Key, float] = {}
    found, bound = None, 0.0
    for _ in range(ROUNDS_MAX):
        if not budget.left or budget.spent >= ends:
            break
        master = _Master(best, out, np.flatnonzero(member), columns, hours, bytes_only)
        answer = solver.solved(master.programme, budget, start=known.basis(master))
        budget.spend(pricing)
        if answer.x is None or answer.basis is None:
            break
        known = _Known.of(master, answer.basis, may.shape)
        prices = dict(zip(master.keys, map(float, answer.prices), strict=True))
        added = master.added(prices, may)
        calm = {key: CALM * calm.get(key, price) + (1 - CALM) * price for key, price in prices.items()}
        # Each disk could at most go where that betters most.
        bound = max(bound, answer.bound + float(np.minimum(added.min(axis=1), 0.0).sum()))
        more_hours, hours = master.model.broken_by(answer.x), master.model.hours
        found = Relaxation(added, master.used(answer.x, may.shape), bound, hours)
        fresh = _least_of_each(np.where(columns | (added > -WORTH), np.inf, master.added(calm, may)))
        if not more_hours and (not len(fresh[0]) or answer.bound - bound < NEAR * bound):
            break
        columns[fresh] = True
        member[fresh[0]] = True
    return found


def _least_of_each(added: Floats) -> tuple[Ints, Ints]:
    """Of each disk the column that adds least, of these the least; none that is infinite."""
    store = added.argmin(axis=1)
    least = added[np.arange(len(added)), store]
    order = np.argsort(least, kind="stable")[: max(COLUMNS_ROUND, int(DISKS_SHARE * len(added)))]
    disks = order[np.isfinite(least[order])]
    return disks, store[disks]


@dataclass(frozen=True)
class _Known:
    """What was basic in the last round: columns [d, s], and rows by what they are about."""

    columns: Bools
    rows: dict[Key, bool]

    @classmethod
    def of(cls, master: _Master, basis: Basis, shape: tuple[int, ...]) -> _Known:
        """Of a programme that was solved."""
        model, free = master.model, master.free
        columns = np.zeros(shape, dtype=bool)
        columns[free[model.disk], model.store] = basis.columns[: model.count]
        rows = dict(zip(master.keys, map(bool, basis.rows), strict=True))
        rows |= {("slack", n, 0, False): bool(basic) for n, basic in enumerate(basis.columns[model.count :])}
        return cls(columns, rows)

    def basis(self, master: _Master) -> Basis:
        """For the next programme: a disk that is new is basic where it lies, a row that is new is not tight."""
        model, free = master.model, master.free
        columns = self.columns[free[model.disk], model.store]
        fresh = np.array([key not in self.rows for key in master.keys[: len(free)]], dtype=bool)
        columns = columns | (fresh[model.disk] & (model.now > 0))
        slacks = [self.rows.get(("slack", n, 0, False), False) for n in range(model.slacks)]
        rows = [self.rows.get(key, key[0] != "disk") for key in master.keys]
        return Basis(np.concatenate([columns, slacks]).astype(bool), np.array(rows, dtype=bool))


class _Master:
    """The programme of some disks at some datastores; all other disks lie where they are."""

    def __init__(self, best: Standing, out: Ints, free: Ints, columns: Bools, hours: Hours, bytes_only: bool) -> None:
        self.best, self.free = best, free
        problem = problem_of(best, out, Part(free, np.arange(len(best.group.datastores))))
        self.model = model = Model(replace(problem, may=columns[free]), SPACE_MARGIN, hours)
        group = best.group
        self.weight = 1.0 if bytes_only else BYTES_WEIGHT
        self.all_bytes = group.movable_bytes
        slack = np.zeros(model.slacks) if bytes_only else np.ones(model.slacks)
        slack[model.ceilings :] *= 1.0 + float(model.caps[: model.ceilings].sum())
        caps = model.start(problem.now)[model.count :] + WORTH if bytes_only else model.caps
        cost = model.size * model.moved * self.weight / self.all_bytes
        programme = model.programme(np.concatenate([cost, slack]), caps)
        self.programme = replace(programme, whole=np.zeros_like(programme.whole))
        # Of a pool that was found over an hour has two rows: with its slack, and without.
        slack_rows = [of is not None for of in model.of]
        self.keys: list[Key] = [("disk", int(disk), 0, False) for disk in free]
        self.keys += [(*about, slack) for about, slack in zip(model.about, slack_rows, strict=True)]
        self.out = np.isin(np.arange(len(group.disks)), out)

    def used(self, x: Floats, shape: tuple[int, ...]) -> Bools:
        """[d, s] The columns that a solution has a share of."""
        found, shares = np.zeros(shape, dtype=bool), x[: self.model.count] > WORTH
        found[self.free[self.model.disk[shares]], self.model.store[shares]] = True
        return found

    def added(self, prices: dict[Key, float], may: Bools) -> Floats:
        """[d, s] What a disk at a datastore would add to the cost, at these prices; infinite where it may not go.

        It is compared with where it lies and the columns that there are.
        """
        group, best, model = self.best.group, self.best, self.model
        size, every = group.size_bytes.astype(float), np.arange(len(group.disks))
        # Datastores come first here, so that each writes a row at one go.
        by_store, stay = np.zeros((len(group.datastores), len(group.disks))), 0.0
        for kind, number, at, slack in self.keys[len(self.free) :]:
            price = prices[kind, number, at, slack]
            if price == 0:
                continue
            if kind == "store":
                by_store[number] -= price / max(int(group.room_bytes[number]), 1) * size
            elif kind == "pool":
                own = price / model.scale(number, at) * group.load_at_hour(number, at)
                for store in np.flatnonzero(group.pool_of == number):
                    by_store[store] -= own
            elif kind == "split":
                stores = np.flatnonzero(group.apart.sites[number] == at)
                by_store[np.ix_(stores, group.apart.members[number])] -= price
            else:
                stay = price
        moving = size * self.weight / self.all_bytes
        by_store += moving
        by_store[group.place, every] -= moving + stay * self.out
        least = by_store[best.place, every]
        np.minimum.at(least, self.free[model.disk], by_store[model.store, self.free[model.disk]])
        by_store[best.place, every] = np.inf
        return np.where(may, (by_store - least).T, np.inf)
