"""Where new disks go: all of them together, under both ceilings, so that the fullest and slowest are relieved most.

Worked example: berth-a is 70 % full and berth-b 50 %, of 1,000 GiB each under a ceiling of 82 %; two new disks of 150
and 100 GiB. The larger would take berth-a to 85 % and goes to berth-b (65 %); the smaller takes berth-a to 80 %,
berth-b to 75 %: it goes to berth-b too.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from scipy.sparse import csr_array, csr_matrix, vstack

from movelot_core import solver
from movelot_core.balance.group import LOAD_SLACK, Bools, Group, Ints, State
from movelot_core.balance.place import Refusal, first_against
from movelot_core.latency import Floats
from movelot_core.solver import Budget, Programme

EXACT_STEPS: Final = 1000.0
NOWHERE: Final = -1


@dataclass(frozen=True)
class NewDisks:
    """Disks that are to be made: ``size_bytes`` [n], ``features`` [4, n, h] of their load, and ``may`` [n, s].

    ``may`` says which datastores serve a disk: its policy fits, and every host that may run its machine mounts it.
    """

    size_bytes: Ints
    features: Floats
    may: Bools

    def __len__(self) -> int:
        return len(self.size_bytes)


@dataclass(frozen=True)
class Place:
    """A datastore for one new disk, all others as proposed, and what it becomes.

    ``against`` is the first reason against it, None where there is none; ``fill`` its share used with the disk,
    ``peak_ms`` its pool's latency at the slowest hour then, ``short_bytes`` what it lacks below its ceiling.
    """

    store: int
    against: Refusal | None
    fill: float
    peak_ms: float
    short_bytes: int


class _Books:
    """Use and load as disks are placed one after the other.

    Unlike a balance's Ledger it lets a disk on a pool that is over its ceiling at hours at which the disk asks nothing:
    an empty disk without measured load has to go somewhere.
    """

    def __init__(self, group: Group, state: State) -> None:
        self.group = group
        self.used, self.load = state.used_bytes.copy(), state.load.copy()
        self.limit = group.bearable_load[:, None]

    def own(self, disks: NewDisks, n: int) -> Floats:
        """[p, h] Load of a disk on each pool."""
        return np.asarray(self.group.weights @ disks.features[:, n])

    def tests(self, size: int, own: Floats) -> tuple[Bools, Bools]:
        """[s] Whether there is room, and whether its pool stays under the ceiling at hours that the disk adds to."""
        room: Bools = np.asarray(self.used + size <= self.group.room_bytes)
        loaded = self.load + own
        quick: Bools = np.asarray(((own <= 0) | (loaded <= self.limit * (1 + LOAD_SLACK))).all(axis=1))
        return room, quick[self.group.pool_of]

    def strain(self, size: int, own: Floats) -> Floats:
        """[s] How near its nearest ceiling each datastore comes: 1 is at it."""
        room = np.maximum(self.group.room_bytes, 1)
        by_pool = ((self.load + own) / np.maximum(self.limit, 1e-9)).max(axis=1)
        return np.asarray(np.maximum((self.used + size) / room, by_pool[self.group.pool_of]))

    def put(self, store: int, size: int, own: Floats) -> None:
        pool = self.group.pool_of[store]
        self.used[store] += size
        self.load[pool] += own[pool]


def advise(group: Group, state: State, disks: NewDisks) -> Ints:
    """[n] The datastore for each new disk, NOWHERE for one without; the same answer for the same input.

    Those with fewest places go first, of them the largest: each to where it comes least near a ceiling. Where that
    leaves some without, an exact search over disks that are alike looks for a way to place more bytes.
    """
    if not len(disks) or not group.datastores:
        return np.full(len(disks), NOWHERE, dtype=np.int64)
    place = _one_by_one(group, state, disks)
    if (place != NOWHERE).all():
        return place
    exact = _exact(group, state, disks)
    return max(place, exact, key=lambda each: _placed_bytes(disks, each))


def _placed_bytes(disks: NewDisks, place: Ints) -> int:
    return int(disks.size_bytes[place != NOWHERE].sum())


def _one_by_one(group: Group, state: State, disks: NewDisks) -> Ints:
    books = _Books(group, state)
    place = np.full(len(disks), NOWHERE, dtype=np.int64)
    order = sorted(range(len(disks)), key=lambda n: (int(disks.may[n].sum()), -int(disks.size_bytes[n]), n))
    for n in order:
        size, own = int(disks.size_bytes[n]), books.own(disks, n)
        room, quick = books.tests(size, own)
        may = disks.may[n] & room & quick
        if may.any():
            strain = np.where(may, books.strain(size, own), np.inf)
            place[n] = int(np.argmin(strain))
            books.put(int(place[n]), size, own)
    return place


def _exact(group: Group, state: State, disks: NewDisks) -> Ints:
    """Most bytes placed under both ceilings, by whole numbers of disks that are alike, as far as EXACT_STEPS go."""
    first, which = _alike(disks)
    counts = np.bincount(which, minlength=len(first))
    kind, store = np.nonzero(disks.may[first])
    nowhere = np.full(len(disks), NOWHERE, dtype=np.int64)
    if not len(kind):
        return nowhere
    size = disks.size_bytes[first].astype(float)
    own = np.stack([group.weights @ disks.features[:, n] for n in first])
    pool, column = group.pool_of[store], np.arange(len(kind))
    each_once = csr_array((np.ones(len(kind)), (kind, column)), shape=(len(first), len(kind)))
    room = csr_array((size[kind], (store, column)), shape=(len(group.datastores), len(kind)))
    # A row for each pool and hour, as _Books tests them.
    hours = own.shape[2]
    at = (pool * hours + np.arange(hours)[:, None]).ravel()
    loaded = own[kind, pool].T.ravel()
    quick = csr_array((loaded, (at, np.tile(column, hours))), shape=(len(group.pools) * hours, len(kind)))
    most = np.concatenate(
        [
            counts,
            np.maximum(0, group.room_bytes - state.used_bytes),
            np.maximum(0.0, group.bearable_load[:, None] - state.load).ravel(),
        ]
    )
    programme = Programme(
        -size[kind] / max(1.0, size.max()),
        csr_matrix(vstack([each_once, room, quick])),
        np.full(len(most), -np.inf),
        most,
        counts[kind].astype(float),
        np.ones(len(kind), dtype=bool),
    )
    found = solver.solved(programme, Budget(EXACT_STEPS), start=np.zeros(len(kind)))
    if found.x is None:
        return nowhere
    place = _dealt(which, kind, store, np.rint(found.x).astype(np.int64))
    return place if _lawful(group, state, disks, place) else nowhere


def _alike(disks: NewDisks) -> tuple[list[int], Ints]:
    """The first disk of each kind of those that are alike, and [n] the kind of each."""
    known: dict[bytes, int] = {}
    first, which = [], []
    for n in range(len(disks)):
        told = disks.size_bytes[n].tobytes() + disks.features[:, n].tobytes() + disks.may[n].tobytes()
        if told not in known:
            known[told] = len(known)
            first.append(n)
        which.append(known[told])
    return first, np.array(which, dtype=np.int64)


def _dealt(which: Ints, kind: Ints, store: Ints, shares: Ints) -> Ints:
    """[n] The disks of each kind dealt out in order: ``shares`` of ``kind`` go to ``store``, NOWHERE what is left."""
    place = np.full(len(which), NOWHERE, dtype=np.int64)
    for k in range(int(kind.max()) + 1):
        mine = np.flatnonzero(which == k)
        there = np.repeat(store[kind == k], shares[kind == k])[: len(mine)]
        place[mine[: len(there)]] = there
    return place


def _lawful(group: Group, state: State, disks: NewDisks, place: Ints) -> bool:
    """Whether disks at ``place`` keep to both ceilings: a solver works within a tolerance, which is none here."""
    books = _Books(group, state)
    for n in np.flatnonzero(place != NOWHERE):
        size, own = int(disks.size_bytes[n]), books.own(disks, int(n))
        room, quick = books.tests(size, own)
        if not (disks.may[n] & room & quick)[place[n]]:
            return False
        books.put(int(place[n]), size, own)
    return True


def places(group: Group, state: State, disks: NewDisks, place: Ints, chosen: int) -> list[Place]:
    """Every datastore for the disk ``chosen``, all others at ``place``: the one that strains it least first.

    Those that stand against nothing come first, then those that lack least.
    """
    books = _Books(group, state)
    for n in np.flatnonzero(place != NOWHERE):
        if n != chosen:
            books.put(int(place[n]), int(disks.size_bytes[n]), books.own(disks, int(n)))
    size, own = int(disks.size_bytes[chosen]), books.own(disks, chosen)
    room, quick = books.tests(size, own)
    strain = books.strain(size, own)
    found = []
    for s in range(len(group.datastores)):
        pool = int(group.pool_of[s])
        peak = float(group.curves[pool].latency_ms(books.load[pool] + own[pool]).max())
        fill = float((books.used[s] + size) / max(1, int(group.capacity_bytes[s])))
        short = max(0, int(books.used[s] + size - group.room_bytes[s]))
        loaded, limit = books.load[pool] + own[pool], float(group.load_limit[pool])
        fast = bool(((own[pool] <= 0) | (loaded <= limit * (1 + LOAD_SLACK))).all())
        against = first_against(disks.may[chosen, s], True, room[s], fast, quick[s])
        found.append(Place(s, against, fill, peak, short))
    # What lacks a ceiling could still be made to fit: the later a test it fails, the less is against it.
    rank = {why: n for n, why in enumerate((None, *reversed(Refusal)))}
    return sorted(found, key=lambda each: (rank[each.against], float(strain[each.store]), each.store))
