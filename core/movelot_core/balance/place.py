"""Where chosen disks go: every datastore judged for each disk, with the first reason that refuses it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from movelot_core.balance.group import Bools, Group, Ints
from movelot_core.latency import Floats

EXCHANGES_MAX = 40


class Refusal(StrEnum):
    """Why a datastore cannot take a disk, in the order they are tested.

    SPLIT: a rule keeps it apart from a disk that lies there.
    UNKNOWN: its pool would have more load than is known of it, though by its curve it stays under its ceiling.
    """

    UNREACHED = "unreached"
    SPLIT = "split"
    NO_ROOM = "no_room"
    TOO_SLOW = "too_slow"
    UNKNOWN = "unknown"


def first_against(*holds: bool | np.bool_) -> Refusal | None:
    """The first reason against a datastore, of tests in the order of the reasons; None where all hold."""
    return next((why for held, why in zip(holds, Refusal, strict=True) if not held), None)


@dataclass
class Ledger:
    """Use and load as moves are booked; starts from the found state and never lets a limit be passed."""

    group: Group
    place: Ints
    used: Ints
    load: Floats
    most_bytes: Ints
    most_load: Floats

    @classmethod
    def found(cls, group: Group) -> Ledger:
        """The ledger of a group as it is now, before any move."""
        before = group.found
        # A target has to stay under its ceiling; being over already is no licence to take more.
        return cls(
            group,
            group.place.copy(),
            before.used_bytes.copy(),
            before.load.copy(),
            group.room_bytes,
            group.bearable_load[:, None],
        )

    def refusals(self, disk: int) -> list[Refusal | None]:
        """[s] The first reason against each datastore for ``disk``, None where it may go."""
        room, known = self._tests(disk)
        reach, quick = self.group.reach[disk], self._within(disk, self.group.load_limit[:, None])
        apart = ~self.group.apart.taken(disk, self.place)
        return [
            first_against(reach[s], apart[s], room[s], quick[s], known[s]) for s in range(len(self.group.datastores))
        ]

    def reasons(self, disks: Ints) -> dict[Refusal, int]:
        """How many of ``disks`` each reason keeps from some datastore that they are not on."""
        group = self.group
        elsewhere = np.arange(len(group.datastores)) != self.place[disks][:, None]
        reach = group.reach[disks]
        room = self.used + group.size_bytes[disks][:, None] <= self.most_bytes
        quick, known = np.zeros((2, len(disks), len(group.pools)), dtype=bool)
        for pool in range(len(group.pools)):
            load = self.load[pool] + group.load_on(pool, disks)
            quick[:, pool] = (load <= group.load_limit[pool]).all(axis=1)
            known[:, pool] = (load <= self.most_load[pool]).all(axis=1)
        home = group.pool_of[self.place[disks]]
        quick[np.arange(len(disks)), home] = known[np.arange(len(disks)), home] = True
        quick, known = quick[:, group.pool_of], known[:, group.pool_of]
        apart = np.ones_like(reach)
        for n, disk in enumerate(disks):
            apart[n] = ~group.apart.taken(int(disk), self.place)
        allowed = reach & apart
        refused = (
            (Refusal.UNREACHED, ~reach),
            (Refusal.SPLIT, reach & ~apart),
            (Refusal.NO_ROOM, allowed & ~room),
            (Refusal.TOO_SLOW, allowed & room & ~quick),
            (Refusal.UNKNOWN, allowed & room & quick & ~known),
        )
        counts = {reason: int((where & elsewhere).any(axis=1).sum()) for reason, where in refused}
        return {reason: count for reason, count in counts.items() if count}

    def _tests(self, disk: int) -> tuple[Bools, Bools]:
        room: Bools = np.asarray(self.used + self.group.size_bytes[disk] <= self.most_bytes)
        return room, self._within(disk, self.most_load)

    def _within(self, disk: int, most: Floats) -> Bools:
        """[s] Whether the pool of each datastore has no more than ``most`` [p, h] with ``disk``."""
        group = self.group
        within: Bools = np.asarray((self.load + group.loads_anywhere(disk) <= most).all(axis=1))
        within[group.pool_of[self.place[disk]]] = True
        return within[group.pool_of]

    def best(self, disk: int, leave_pool: bool) -> int | None:
        """The datastore with the most slack left after taking ``disk``; copies inside an array win ties of kind."""
        group, here = self.group, int(self.place[disk])
        room, quick = self._tests(disk)
        may: Bools = np.asarray(group.reach[disk] & room & quick & ~group.apart.taken(disk, self.place))
        may[here] = False
        if leave_pool:
            may &= group.pool_of != group.pool_of[here]
        if not may.any():
            return None
        own = group.loads_anywhere(disk)
        space_left = 1 - (self.used + group.size_bytes[disk]) / np.maximum(group.capacity_bytes, 1)
        load_left = (1 - (self.load + own) / np.maximum(group.bearable_load[:, None], 1e-9)).min(axis=1)
        arrays = np.array(group.array_of)
        same_array = arrays[group.pool_of] == arrays[group.pool_of[here]]
        score = np.minimum(space_left, load_left[group.pool_of]) + same_array
        return int(np.argmax(np.where(may, score, -np.inf)))

    def move(self, disk: int, target: int) -> None:
        """Book ``disk`` at ``target``."""
        group, here = self.group, int(self.place[disk])
        self.used[here] -= group.size_bytes[disk]
        self.used[target] += group.size_bytes[disk]
        own = group.loads_anywhere(disk)
        self.load[group.pool_of[here]] -= own[group.pool_of[here]]
        self.load[group.pool_of[target]] += own[group.pool_of[target]]
        self.place[disk] = target


def place_chosen(group: Group, disks: Ints, off_pool: Bools) -> tuple[Ledger, list[int]]:
    """Targets for ``disks``, largest first. Returns the booked ledger and the disks that fit nowhere.

    A disk that fits nowhere is tried once more after all others, then against room made by other chosen disks.
    """
    ledger = Ledger.found(group)
    order = np.lexsort((disks, -group.size_bytes[disks]))
    homeless: list[tuple[int, bool]] = []
    for n in order:
        disk, leave = int(disks[n]), bool(off_pool[n])
        target = ledger.best(disk, leave)
        if target is None:
            homeless.append((disk, leave))
        else:
            ledger.move(disk, target)
    left = []
    for disk, leave in homeless:
        target = ledger.best(disk, leave)
        if target is None:
            left.append(disk)
        else:
            ledger.move(disk, target)
    return ledger, left


def replace_homeless(ledger: Ledger, homeless: list[int]) -> list[int]:
    """Move other disks out of the breached place instead of ``homeless`` ones; returns those left after all.

    For each homeless disk, the smallest set of its neighbours (largest first, never larger than it) that do find
    a home is moved until as many bytes as it has are gone, or nothing more fits.
    """
    group, left = ledger.group, []
    # What found no home once is not asked again: those that would leave a full place would be asked by each.
    stuck = set(homeless)
    for disk in homeless:
        here, wanted = int(ledger.place[disk]), int(group.size_bytes[disk])
        near = np.flatnonzero((ledger.place == here) & ~group.pinned)
        near = near[np.lexsort((near, -group.size_bytes[near]))]
        tried = 0
        for other in near:
            if wanted <= 0 or tried >= EXCHANGES_MAX:
                break
            if int(other) in stuck or ledger.place[other] != group.place[other]:
                continue
            tried += 1
            target = ledger.best(int(other), leave_pool=False)
            if target is not None:
                ledger.move(int(other), target)
                wanted -= int(group.size_bytes[other])
            else:
                stuck.add(int(other))
        if wanted > 0:
            left.append(disk)
    return left


def take_apart(ledger: Ledger) -> None:
    """Move disks that lie beside others of their split to places without any, the smallest of each crowd first."""
    group = ledger.group
    for crowd in group.apart.crowds(ledger.place):
        too_many = len(crowd.disks) - 1
        for disk in crowd.disks[np.lexsort((crowd.disks, group.size_bytes[crowd.disks]))]:
            if too_many and not group.pinned[disk]:
                target = ledger.best(int(disk), leave_pool=False)
                if target is not None:
                    ledger.move(int(disk), target)
                    too_many -= 1


def make_room(ledger: Ledger, disk: int) -> bool:
    """Move others off a datastore that ``disk`` may live on, and it there; nothing is booked where that fails.

    Datastores are tried by the bytes they are short of. Of the disks there the smallest that is enough by itself goes,
    else the largest ones; what moved already, or is pinned, stays.
    """
    group, size = ledger.group, int(ledger.group.size_bytes[disk])
    short = ledger.used + size - ledger.most_bytes
    served = np.flatnonzero(group.reach[disk])
    for store in served[np.lexsort((served, short[served]))]:
        there = np.flatnonzero((ledger.place == store) & ~group.pinned & (group.place == store))
        sizes = group.size_bytes[there]
        enough = sizes >= short[store]
        before = replace(ledger, place=ledger.place.copy(), used=ledger.used.copy(), load=ledger.load.copy())
        for other in there[np.lexsort((there, np.where(enough, sizes, -sizes), ~enough))][:EXCHANGES_MAX]:
            target = ledger.best(int(other), leave_pool=False)
            if target is not None and target != store:
                ledger.move(int(other), target)
                if ledger.refusals(disk)[store] is None:
                    ledger.move(disk, int(store))
                    return True
        ledger.place, ledger.used, ledger.load = before.place, before.used, before.load
    return False
