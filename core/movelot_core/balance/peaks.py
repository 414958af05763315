"""Peaks apart: pools whose hours fit together, and disks of a pool that would fit into the quiet hours of another.

Two pools fit by how much the peak of both together lies under the sum of their peaks, each as a share of the load that
it bears. A disk fits into another pool as far as its own peak falls into quiet hours there: by what share of that peak
the pool's peak does not rise.

Worked example: at two hours a pool has loads of 8 and 2 of 10 that it bears, another 1 and 6 of 10. Together they peak
at 0.9 (8 + 1 of 10), the sum of their peaks is 1.4: 36 % apart. A disk of 4 and 0 on the first goes to the other, which
has 5 and 6 then and peaks no higher: all of its peak falls into quiet hours. The first falls from 8 to 4.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from movelot_core.balance.group import Bools, Group, Ints, State, broken_musts, limits
from movelot_core.latency import Floats

# A pool that bears nothing has no share that any load could be of.
LEAST_BORNE = 1e-9
# What lowers a peak by a smaller share of what the pool bears is not worth telling.
LEAST_GAIN = 0.01
# Nor is a disk of whose peak a smaller share falls into quiet hours.
LEAST_QUIET = 0.25
# Of the best moves, so many times as are wanted are looked at, as some may break a rule.
LOOKED_AT = 3


@dataclass(frozen=True, slots=True)
class Pair:
    """Two pools by number: the peak of both together, and the sum of their peaks, in shares of what they bear."""

    first: int
    second: int
    joint: float
    total: float

    @property
    def apart(self) -> float:
        """By which share the joint peak lies under the sum; 0 where they peak together or one has no load."""
        return 1 - self.joint / self.total if self.total > 0 else 0.0


@dataclass(frozen=True, slots=True)
class Fitting:
    """A disk and the datastore into whose pool's hours it fits: what it takes from the one peak and adds to the other.

    Both are shares of the load that the pool bears. Of its own peak there the share ``quiet`` falls into quiet hours.
    """

    disk: int
    store: int
    falls: float
    rises: float
    quiet: float


def pairs_apart(group: Group, state: State, pool: int) -> list[Pair]:
    """The other pools that have load, those first whose hours fit best with those of ``pool``."""
    share = state.load / np.maximum(group.load_limit, LEAST_BORNE)[:, None]
    peaks = share.max(axis=1, initial=0.0)
    found = [
        Pair(pool, other, float((share[pool] + share[other]).max()), float(peaks[pool] + peaks[other]))
        for other in range(len(group.pools))
        if other != pool and group.load_limit[other] > 0 and peaks[other] > 0
    ]
    return sorted(found, key=lambda pair: (-pair.apart, pair.second))


def fitting(group: Group, state: State, pool: int, most: int) -> list[Fitting]:
    """Up to ``most`` disks of ``pool``, each with where it fits best, those first that gain most.

    Each move alone breaks no Must: it may lie there, there is room, no pool goes over what it bears.
    """
    there = np.flatnonzero((group.pool_of[group.place] == pool) & ~group.pinned)
    if not there.size or group.load_limit[pool] <= 0:
        return []
    room, load_most = limits(group, state)
    before = state.load.max(axis=1, initial=0.0) / np.maximum(group.load_limit, LEAST_BORNE)
    left = (state.load[pool] - group.load_on(pool, there)).max(axis=1)
    falls = before[pool] - left / group.load_limit[pool]
    best_store, best_rise, best_quiet = np.full(len(there), -1), np.zeros(len(there)), np.full(len(there), -1.0)
    for other in range(len(group.pools)):
        if other == pool or group.load_limit[other] <= 0:
            continue
        own = group.load_on(other, there)
        with_it = state.load[other] + own
        lawful = (with_it <= load_most[other] * (1 + 1e-4)).all(axis=1)
        rises = np.maximum(with_it.max(axis=1) / group.load_limit[other] - before[other], 0.0)
        quiet = 1 - rises / np.maximum(own.max(axis=1) / group.load_limit[other], LEAST_BORNE)
        store = _roomiest(group, state, room, there, group.pool_of == other)
        better = lawful & (store >= 0) & (quiet > best_quiet)
        best_store[better], best_rise[better], best_quiet[better] = store[better], rises[better], quiet[better]
    gains = falls * best_quiet
    fits = (best_store >= 0) & (best_quiet >= LEAST_QUIET) & (falls >= LEAST_GAIN)
    chosen = [n for n in np.lexsort((there, -gains)) if fits[n]][: most * LOOKED_AT]
    found = [
        Fitting(int(there[n]), int(best_store[n]), float(falls[n]), float(best_rise[n]), float(best_quiet[n]))
        for n in chosen
    ]
    return [each for each in found if not _breaks(group, each)][:most]


def _breaks(group: Group, move: Fitting) -> bool:
    place = group.place.copy()
    place[move.disk] = move.store
    return bool(broken_musts(group, place))


def _roomiest(group: Group, state: State, room: Ints, disks: Ints, stores: Bools) -> Ints:
    """[d] Of ``stores`` the one with most room that may have each disk and has room for it; -1 where none has."""
    free: Floats = (room - state.used_bytes).astype(float)
    may = group.reach[disks] & stores & (free >= group.size_bytes[disks][:, None])
    best = np.where(may, free, -np.inf).argmax(axis=1)
    return np.where(may.any(axis=1), best, -1)
