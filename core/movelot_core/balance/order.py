"""The order of a plan's moves: room at every instant, limits per datastore and array, start and end of each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from movelot_core.balance.clear import Move
from movelot_core.balance.group import Group
from movelot_core.lots import Slot, StepGraph, StepNode


@dataclass(frozen=True, slots=True)
class CopyRates:
    """Bytes per second of one copy: by the array itself, and over hosts."""

    offloaded: float
    over_hosts: float

    def seconds(self, move: Move) -> float:
        """Seconds that the copy of ``move`` takes by itself."""
        return move.size_bytes / (self.offloaded if move.offloaded else self.over_hosts)


@dataclass(frozen=True, slots=True)
class OrderedMove:
    """A move with the earlier ones it waits for (positions in the order) and when it is expected to run."""

    move: Move
    needs: tuple[int, ...]
    slot: Slot
    staging: bool = False


# A move, the positions of those it waits for, and whether it is the first leg of a staged one.
Entry = tuple[Move, tuple[int, ...], bool]
COPIES_PER_DATASTORE = 2
COPIES_PER_ARRAY = 4


def order_moves(group: Group, moves: Sequence[Move], rates: CopyRates) -> list[OrderedMove]:
    """Moves in an order in which every target has room when its copy starts, however long each copy takes.

    A copy holds its full size at the target from its start, and its source until its end. A target may be filled
    to its ceiling (or what was found, if that is more), but the order never counts on space that no needed move
    has freed. Moves that wait for one another in a ring are broken by staging one through a datastore with room.
    Raises nothing: a move for which no order exists is left out, with all that would need the space it frees.
    """
    used = group.used(group.place)
    most = [max(int(room), int(found)) for room, found in zip(group.room_bytes, used, strict=True)]
    taken = [int(value) for value in used]
    ordered: list[Entry] = []
    staged: set[int] = set()
    waiting = sorted(moves, key=lambda move: (-move.size_bytes, move.disk))
    while waiting:
        placed = next((move for move in waiting if _needs(move, ordered, taken, most) is not None), None)
        if placed is not None:
            needs = _needs(placed, ordered, taken, most) or ()
            waiting.remove(placed)
            ordered.append((placed, _after_own(placed, ordered, needs), False))
            taken[placed.target] += placed.size_bytes
            continue
        legs = _stage(group, waiting, staged, taken, most)
        if legs is None:
            break
        ring, first, second = legs
        staged.add(ring.disk)
        waiting.remove(ring)
        ordered.append((first, _after_own(first, ordered, ()), True))
        taken[first.target] += first.size_bytes
        waiting.append(second)
    return _scheduled(group, _without({move.disk for move in waiting}, ordered), rates)


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


def _after_own(move: Move, ordered: Sequence[Entry], needs: tuple[int, ...]) -> tuple[int, ...]:
    """``needs`` and, for the second leg of a staged move, its first leg."""
    own = tuple(n for n, (earlier, _, _) in enumerate(ordered) if earlier.disk == move.disk)
    return tuple(sorted({*needs, *own}))


def _needs(move: Move, ordered: Sequence[Entry], taken: Sequence[int], most: Sequence[int]) -> tuple[int, ...] | None:
    """Earlier moves that must have left ``move``'s target; None while even all of them free too little.

    ``taken`` counts all that was ever booked at a datastore and nothing that left, the worst instant there is.
    """
    over = taken[move.target] + move.size_bytes - most[move.target]
    needs = []
    for n, (earlier, _, _) in enumerate(ordered):
        if over <= 0:
            break
        if earlier.source == move.target:
            needs.append(n)
            over -= earlier.size_bytes
    return tuple(needs) if over <= 0 else None


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


def _scheduled(group: Group, ordered: Sequence[Entry], rates: CopyRates) -> list[OrderedMove]:
    stores = {f"datastore {s}": COPIES_PER_DATASTORE for s in range(len(group.datastores))}
    nodes = tuple(
        StepNode(
            key=str(n),
            lane=f"array {group.array_of[group.pool_of[move.target]]}",
            seconds=rates.seconds(move),
            needs=frozenset(str(need) for need in needs),
            slots=(f"datastore {move.source}", f"datastore {move.target}"),
        )
        for n, (move, needs, _) in enumerate(ordered)
    )
    slots = StepGraph(nodes, stores, COPIES_PER_ARRAY).schedule()
    return [OrderedMove(move, needs, slots[str(n)], staging) for n, (move, needs, staging) in enumerate(ordered)]
