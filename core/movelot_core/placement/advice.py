"""Where new disks go: all of them together, under both ceilings, so that the fullest and slowest are relieved most.

Worked example: berth-a is 70 % full and berth-b 50 %, of 1,000 GiB each under a ceiling of 82 %; two new disks of 150
and 100 GiB. The larger would take berth-a to 85 % and goes to berth-b (65 %); the smaller takes berth-a to 80 %,
berth-b to 75 %: it goes to berth-b too.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Final

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp

from movelot_core.balance.group import LOAD_SLACK, Bools, Group, Ints, State
from movelot_core.latency import Floats

EXACT_SECONDS: Final = 1.0
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


class Against(StrEnum):
    """What stands against a datastore."""

    NOT_SERVED = "not served"
    NO_ROOM = "no room"
    TOO_SLOW = "too slow"


@dataclass(frozen=True)
class Place:
    """A datastore for one new disk, all others as proposed: what stands against it (None for nothing), what it becomes.

    ``fill`` is its share used with the disk, ``peak_ms`` its pool's latency at the slowest hour then, ``short_bytes``
    what it lacks below its ceiling.
    """

    store: int
    against: Against | None
    fill: float
    peak_ms: float
    short_bytes: int


class _Books:
    """Use and load as disks are placed one after the other."""

    def __init__(self, group: Group, state: State) -> None:
        self.group = group
        self.used, self.load = state.used_bytes.copy(), state.load.copy()
        self.limit = group.load_limit[:, None]

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
    better = exact is not None and _placed_bytes(disks, exact) > _placed_bytes(disks, place)
    return exact if better and exact is not None else place


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


def _exact(group: Group, state: State, disks: NewDisks) -> Ints | None:
    """Most bytes placed under both ceilings, by whole numbers of disks that are alike; None where the time is up."""
    kinds, which = _alike(disks)
    counts = np.bincount(which, minlength=len(kinds))
    stores, hours = len(group.datastores), disks.features.shape[2]
    pairs = [(k, s) for k, n in enumerate(kinds) for s in np.flatnonzero(disks.may[n])]
    if not pairs:
        return None
    rows, most = [], []
    for k in range(len(kinds)):
        rows.append([float(pair[0] == k) for pair in pairs])
        most.append(float(counts[k]))
    for s in range(stores):
        rows.append([float(disks.size_bytes[kinds[k]]) if pair_s == s else 0.0 for k, pair_s in pairs])
        most.append(float(max(0, group.room_bytes[s] - state.used_bytes[s])))
    own = [np.asarray(group.weights @ disks.features[:, n]) for n in kinds]
    left = np.maximum(0.0, group.load_limit[:, None] - state.load)
    for p in range(len(group.pools)):
        for h in range(hours):
            rows.append([float(own[k][p, h]) if group.pool_of[s] == p else 0.0 for k, s in pairs])
            most.append(float(left[p, h]))
    gain = np.array([-float(disks.size_bytes[kinds[k]]) for k, _ in pairs])
    top = np.array([float(counts[k]) for k, _ in pairs])
    found = milp(
        gain / max(1.0, float(-gain.min())),
        constraints=LinearConstraint(np.array(rows), ub=np.array(most)),
        bounds=Bounds(0, top),
        integrality=np.ones(len(pairs), dtype=np.int64),
        options={"time_limit": EXACT_SECONDS, "mip_rel_gap": 0.0, "disp": False},
    )
    if found.x is None:
        return None
    shares = {pair: round(float(x)) for pair, x in zip(pairs, found.x, strict=True)}
    place = _dealt(which, shares, len(disks))
    return place if _lawful(group, state, disks, place) else None


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


def _dealt(which: Ints, shares: dict[tuple[int, int], int], count: int) -> Ints:
    """The disks of each kind dealt out to their datastores, in order."""
    place = np.full(count, NOWHERE, dtype=np.int64)
    for n in range(count):
        store = next((s for (k, s), left in sorted(shares.items()) if k == which[n] and left > 0), None)
        if store is not None:
            place[n] = store
            shares[int(which[n]), store] -= 1
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
        tests = zip((disks.may[chosen, s], room[s], quick[s]), Against, strict=True)
        against = next((why for holds, why in tests if not holds), None)
        found.append(Place(s, against, fill, peak, short))
    order = list(Against)
    rank = {each.store: -1 if each.against is None else order[::-1].index(each.against) for each in found}
    return sorted(found, key=lambda each: (rank[each.store], float(strain[each.store]), each.store))
