"""The part of a plan that may be done in a window: so many bytes, ended in so much time, lawful by itself.

Worked example: a plan copies 900, 500, 300 and 200 GiB at 100 MiB/s; 1 TiB may move within two hours, one copy at a
time. 900 GiB take 2.6 hours and wait for a longer window. 500 GiB take 1.4 hours. 300 GiB more fit the bytes, not the
time; 200 GiB more end after 1.99 hours. 500 and 200 go now.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from movelot_core.balance.copies import CopyRates, pools_of
from movelot_core.balance.group import Group, Ints, broken_musts
from movelot_core.balance.moves import Move
from movelot_core.balance.order import OrderedMove, order_moves

# Of a window's time so much is planned with: checks take some of it, and copies are not all as fast as told.
PLANNED_SHARE = 0.9


@dataclass(frozen=True)
class Window:
    """What may be done at most: bytes, seconds, and copies at once; None for no limit."""

    most_bytes: int | None = None
    most_seconds: float | None = None
    at_once: int | None = None

    def has_room(self, size_bytes: int) -> bool:
        """Whether so many bytes may move."""
        return self.most_bytes is None or size_bytes <= self.most_bytes

    def has_time(self, seconds: float) -> bool:
        """Whether there is so much time."""
        return self.most_seconds is None or seconds <= self.most_seconds


def beginning(group: Group, moves: Sequence[Move], rates: CopyRates, window: Window) -> list[OrderedMove]:
    """The moves of a plan that fit into a window, in the order of the plan, each with all it waits for.

    Disks of a bond go together or not at all, and so does what waits for one another in a ring. What is returned passes
    ``broken_musts`` by itself, and every step of it ends in time, as far as ``rates`` tell.
    """
    chosen = _within(group, order_moves(group, moves, rates, window.at_once), rates, window)
    while chosen:
        ordered = order_moves(group, [move for unit in chosen for move in unit], rates, window.at_once)
        late = {step.move.disk for step in ordered if not window.has_time(step.slot.end)}
        late |= {move.disk for unit in chosen for move in unit} - {step.move.disk for step in ordered}
        if late:
            chosen = [unit for unit in chosen if not late & {move.disk for move in unit}]
            continue
        place = group.place.copy()
        for step in ordered:
            place[step.move.disk] = step.move.target
        if not broken_musts(group, place):
            return ordered
        chosen = chosen[:-1]
    return []


def _within(group: Group, ordered: Sequence[OrderedMove], rates: CopyRates, window: Window) -> list[list[Move]]:
    """Units of moves that fit the bytes, and the time by their copies alone, each a disk with its bond and all they
    wait for.

    What goes through a third datastore is one move here: ``order_moves`` finds its way anew.
    """
    legs: dict[int, list[int]] = {}
    for n, step in enumerate(ordered):
        legs.setdefault(step.move.disk, []).append(n)
    together = {disk: [other for other in bond.disks if other in legs] for bond in group.bonds for disk in bond.disks}
    kept: set[int] = set()
    units: list[list[Move]] = []
    taken, seconds = 0, 0.0
    for step in ordered:
        if step.move.disk in kept:
            continue
        disks = _with_all_it_waits_for(step.move.disk, ordered, legs, together) - kept
        copies = [ordered[n].move for disk in disks for n in legs[disk]]
        size = sum(int(each.size_bytes) for each in copies)
        takes = [rates.seconds(each, pools_of(group, each)) for each in copies]
        # With so many at once all take at least that; how they get along is known once they are ordered.
        least = max(max(takes, default=0.0), (seconds + sum(takes)) / window.at_once if window.at_once else 0.0)
        if window.has_room(taken + size) and window.has_time(least):
            taken, seconds = taken + size, seconds + sum(takes)
            kept |= disks
            units.append([_whole(ordered, legs[disk], group.place) for disk in sorted(disks)])
    return units


def _with_all_it_waits_for(
    disk: int, ordered: Sequence[OrderedMove], legs: Mapping[int, list[int]], together: Mapping[int, list[int]]
) -> set[int]:
    """A disk, those bonded to it, and those whose moves any of them waits for."""
    found: set[int] = set()
    asked = [disk]
    while asked:
        each = asked.pop()
        if each not in found:
            found.add(each)
            asked += together.get(each, [])
            asked += [ordered[need].move.disk for n in legs[each] for need in ordered[n].needs]
    return found


def _whole(ordered: Sequence[OrderedMove], steps: Sequence[int], place: Ints) -> Move:
    """A disk's move from where it lies to where its last leg ends."""
    first, last = ordered[steps[0]].move, ordered[steps[-1]].move
    if len(steps) == 1:
        return first
    offloaded = all(ordered[n].move.offloaded for n in steps)
    return Move(last.disk, int(place[last.disk]), last.target, last.size_bytes, offloaded, last.gains)


def bytes_of(ordered: Sequence[OrderedMove]) -> int:
    """Bytes that are copied, both legs of what is staged."""
    return int(np.sum([step.move.size_bytes for step in ordered], dtype=np.int64))
