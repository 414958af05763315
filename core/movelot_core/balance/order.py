"""The order of a plan's moves: room at every instant, limits per datastore, pool and array, start and end of each."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from movelot_core.balance.copies import COPIES_PER_ARRAY, CopyRates, beside_copies, pools_of
from movelot_core.balance.group import LOAD_SLACK, Group, Ints, limits
from movelot_core.balance.moves import Move
from movelot_core.latency import Floats
from movelot_core.lots import Slot, StepGraph, StepNode


@dataclass(frozen=True, slots=True)
class OrderedMove:
    """A move with the earlier ones it waits for (positions in the order) and when it is expected to run.

    ``stated_seconds``: how long it should take by rates as devices state them.
    """

    move: Move
    needs: tuple[int, ...]
    slot: Slot
    staging: bool = False
    stated_seconds: float = 0.0


# A move, the positions of those it waits for, and whether it is the first leg of a staged one.
Entry = tuple[Move, tuple[int, ...], bool]
COPIES_PER_DATASTORE = 2
# What every copy occupies where no more than so many of all may run at once.
ALL_COPIES = "copies"


def order_moves(group: Group, moves: Sequence[Move], rates: CopyRates, at_once: int | None = None) -> list[OrderedMove]:
    """Moves in an order in which every target has room when its copy starts, however long each copy takes.

    Nor is a pool over the load it bears (or what was found, if that is more) between any two moves, as far as there is
    such an order: a move waits for others that leave the pool it goes to. Where there is none room alone decides.
    A copy holds its full size at the target from its start, and its source until its end. A target may be filled
    to its ceiling (or what was found, if that is more), but the order never counts on space that no needed move
    has freed. No more copies run at once than pools bear beside their own load (see ``copies``), nor than ``at_once``
    of all. Moves that wait for one another in a ring are broken by staging one through a datastore with room.
    Raises nothing: a move for which no order exists is left out, with all that would need the space it frees.
    """
    entries, lost = _entries(group, moves)
    return _scheduled(group, _without(lost, entries), rates, at_once)


def left_out(group: Group, place: Ints) -> Ints:
    """The disks that would move to ``place`` and for which no order of all such moves has room at every instant."""
    moved = np.flatnonzero(place != group.place)
    # Who copies is no matter here.
    moves = [Move(int(d), int(group.place[d]), int(place[d]), int(group.size_bytes[d]), offloaded=False) for d in moved]
    entries, lost = _entries(group, moves)
    kept = {move.disk for move, _needs, _staging in _without(lost, entries)}
    return np.array(sorted({move.disk for move in moves} - kept), dtype=np.int64)


def _entries(group: Group, moves: Sequence[Move]) -> tuple[list[Entry], set[int]]:
    """The moves in their order, and the disks of those that found no place in it."""
    books = _Books(group)
    staged: set[int] = set()
    waiting = sorted(moves, key=lambda move: (-move.size_bytes, move.disk))
    while waiting:
        found = next(
            (
                (move, needs)
                for by_load in (True, False)
                for move in waiting
                if (needs := books.needs(move, by_load=by_load)) is not None
            ),
            None,
        )
        if found is not None:
            placed, needs = found
            waiting.remove(placed)
            books.add(placed, needs, staging=False)
            continue
        legs = _stage(group, waiting, staged, books.taken, books.most)
        if legs is None:
            break
        ring, first, second = legs
        staged.add(ring.disk)
        waiting.remove(ring)
        books.add(first, (), staging=True)
        waiting.append(second)
    return books.ordered, {move.disk for move in waiting}


class _Books:
    """What was ever booked at each datastore and pool and nothing that left, the worst instant there is; and what left.

    Bytes by datastore, load by pool and hour.
    """

    def __init__(self, group: Group) -> None:
        self.group = group
        most_bytes, self.most_load = limits(group, group.found)
        self.taken, self.most = [int(each) for each in group.found.used_bytes], [int(each) for each in most_bytes]
        self.load = group.found.load.copy()
        self.ordered: list[Entry] = []
        self.leaving: dict[int, list[int]] = defaultdict(list)
        # Of each pool what left it: position and load.
        self.relieving: dict[int, list[tuple[int, Floats]]] = defaultdict(list)
        self.legs: dict[int, list[int]] = defaultdict(list)
        # Moves that were asked in vain, and how many had left their target then: nothing changed until others do.
        self.refused: dict[tuple[Move, bool], tuple[int, int]] = {}

    def needs(self, move: Move, *, by_load: bool) -> tuple[int, ...] | None:
        """Earlier moves that must have left ``move``'s target; None while even all of them free too little.

        Unless ``by_load`` only bytes count.
        """
        left = len(self.leaving[move.target]), len(self.relieving[self._pool(move.target)])
        if self.refused.get((move, by_load)) == left:
            return None
        found = self._needs_for_room(move)
        if found is not None and by_load:
            found = self._needs_for_load(move, found)
        if found is None:
            self.refused[move, by_load] = left
        return found

    def _needs_for_room(self, move: Move) -> tuple[int, ...] | None:
        over = self.taken[move.target] + move.size_bytes - self.most[move.target]
        found = []
        for n in self.leaving[move.target]:
            if over <= 0:
                break
            found.append(n)
            over -= self.ordered[n][0].size_bytes
        return tuple(found) if over <= 0 else None

    def _needs_for_load(self, move: Move, found: tuple[int, ...]) -> tuple[int, ...] | None:
        pool = self._pool(move.target)
        if pool == self._pool(move.source):
            return found
        over = self.load[pool] + self._own(move, pool) - self.most_load[pool] * (1 + LOAD_SLACK)
        needs = list(found)
        for n, relief in self.relieving[pool]:
            if n in found:
                over = over - relief
        for n, relief in self.relieving[pool]:
            if (over <= 0).all():
                break
            if n not in found and (relief[over > 0] > 0).any():
                needs.append(n)
                over = over - relief
        return tuple(needs) if (over <= 0).all() else None

    def _pool(self, store: int) -> int:
        return int(self.group.pool_of[store])

    def _own(self, move: Move, pool: int) -> Floats:
        own: Floats = self.group.load_on(pool, np.array([move.disk]))[0]
        return own

    def add(self, move: Move, needs: tuple[int, ...], staging: bool) -> None:
        """Book a move after those it needs and, for the second leg of a staged one, its first leg."""
        position = len(self.ordered)
        self.ordered.append((move, tuple(sorted({*needs, *self.legs[move.disk]})), staging))
        self.leaving[move.source].append(position)
        self.legs[move.disk].append(position)
        self.taken[move.target] += move.size_bytes
        source, target = self._pool(move.source), self._pool(move.target)
        if source != target:
            self.load[target] += self._own(move, target)
            self.relieving[source].append((position, self._own(move, source)))


def _without(lost: set[int], ordered: Sequence[Entry]) -> list[Entry]:
    """``ordered`` without any leg of the disks ``lost`` and of those that would need space which they free."""
    while True:
        kept: list[Entry] = []
        position: dict[int, int] = {}
        dropped: set[int] = set()
        for n, (move, needs, staging) in enumerate(ordered):
            if move.disk in lost or not position.keys() >= set(needs):
                dropped.add(move.disk)
            else:
                position[n] = len(kept)
                kept.append((move, tuple(position[need] for need in needs), staging))
        if dropped <= lost:
            return kept
        lost = lost | dropped


def _stage(
    group: Group, waiting: Sequence[Move], staged: set[int], taken: Sequence[int], most: Sequence[int]
) -> tuple[Move, Move, Move] | None:
    """The smallest move that others wait for and that fits through a third datastore, with its two legs.

    A disk is staged once: to send it round again would free nothing.
    """
    awaited = {move.target for move in waiting}
    for move in sorted(waiting, key=lambda move: (move.size_bytes, move.disk)):
        if move.disk in staged or move.source not in awaited:
            continue
        for store in range(len(group.datastores)):
            if store in (move.source, move.target) or not group.reach[move.disk, store]:
                continue
            if taken[store] + move.size_bytes <= most[store]:
                arrays = [group.array_of[group.pool_of[s]] for s in (move.source, store, move.target)]
                first = Move(move.disk, move.source, store, move.size_bytes, arrays[0] == arrays[1], move.gains)
                second = Move(move.disk, store, move.target, move.size_bytes, arrays[1] == arrays[2], move.gains)
                return move, first, second
    return None


def _scheduled(group: Group, ordered: Sequence[Entry], rates: CopyRates, copies: int | None) -> list[OrderedMove]:
    at_once = {f"datastore {s}": COPIES_PER_DATASTORE for s in range(len(group.datastores))}
    at_once |= {ALL_COPIES: copies} if copies else {}
    for pool, beside in beside_copies(group, [move for move, _needs, _staging in ordered], rates).items():
        at_once[f"pool {pool}"] = beside.at_once
    nodes = []
    for n, (move, needs, _staging) in enumerate(ordered):
        source, target = pools_of(group, move)
        nodes.append(
            StepNode(
                key=str(n),
                lane=f"array {group.array_of[target]}",
                seconds=rates.seconds(move, (source, target)),
                needs=frozenset(str(need) for need in needs),
                slots=(
                    f"datastore {move.source}",
                    f"datastore {move.target}",
                    *(f"pool {pool}" for pool in sorted({source, target})),
                    *((ALL_COPIES,) if copies else ()),
                ),
            )
        )
    slots = StepGraph(tuple(nodes), at_once, COPIES_PER_ARRAY).schedule()
    return [
        OrderedMove(move, needs, slots[str(n)], staging, rates.stated_seconds(move))
        for n, (move, needs, staging) in enumerate(ordered)
    ]
