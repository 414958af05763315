"""Places for disks that lie where their policy is not served: under all Musts, each moved once.

``settle`` gives each a place as things are, so that any of its moves can be had alone; ``settle_whole`` is one plan for
them and the ceilings, in which other disks move to make room.

Worked example: two disks of 100 and 300 GiB are out of policy; one datastore serves it and has 350 GiB below its
ceiling. The larger goes there; the smaller has no place, and would have one with 50 GiB more room.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from movelot_core.balance.bonds import fold
from movelot_core.balance.clear import STEPS, clear
from movelot_core.balance.group import Group, Ints
from movelot_core.balance.place import place_chosen
from movelot_core.balance.plan import Plan
from movelot_core.solver import Budget

# Disks are settled and datastores emptied by jobs, for which more is worth waiting.
EFFORT = 3.4


@dataclass(frozen=True)
class Homeless:
    """A disk without a place: the datastore that lacks least room for it and how many bytes; None where none serves it.

    0 bytes: there is room, but its pool would be over its latency ceiling or have more load than is known of it, or a
    rule keeps the disk from there.
    """

    disk: int
    nearest: int | None
    short_bytes: int


@dataclass(frozen=True)
class Settled:
    """[disk, datastore] moves, and the disks that stay as they are though they are to move."""

    moves: tuple[tuple[int, int], ...]
    homeless: tuple[Homeless, ...]
    pinned: tuple[int, ...]


@dataclass(frozen=True)
class SettledWhole:
    """One plan, how many of the disks that were out it settles, and those that stay."""

    plan: Plan
    settled: int
    homeless: tuple[Homeless, ...]
    pinned: tuple[int, ...]


def settle(group: Group, out: Ints) -> Settled:
    """Moves that bring the disks ``out`` to places in their ``reach``, which leaves out what does not serve them.

    The same answer for the same input. No plan that settles the same disks moves fewer bytes: each of them has to move,
    and moves once.
    """
    if group.bonds:
        return _settled_bonds(group, out)
    pinned = group.pinned[out]
    movable = out[~pinned]
    narrowed = group.leaving(movable)
    ledger, left = place_chosen(narrowed, movable, np.zeros(len(movable), dtype=bool))
    homeless = set(left)
    moves = tuple((int(disk), int(ledger.place[disk])) for disk in np.sort(movable) if int(disk) not in homeless)
    room = group.room_bytes - group.used(ledger.place)
    return Settled(
        moves, tuple(_homeless(narrowed, disk, room) for disk in sorted(homeless)), tuple(map(int, out[pinned]))
    )


def _settled_bonds(group: Group, out: Ints) -> Settled:
    """With disks that are bonded as one, of which all move if one of them is out."""
    folded = fold(group, out)
    found = settle(folded.group, np.unique(folded.number[out]))
    moves = [(int(each), store) for disk, store in found.moves for each in folded.members(disk)]
    homeless = [replace(each, disk=int(member)) for each in found.homeless for member in folded.members(each.disk)]
    pinned = [int(member) for disk in found.pinned for member in folded.members(disk)]
    # A bond that cannot come together stays as it is, with all its disks.
    return Settled(tuple(sorted(moves)), tuple(homeless), tuple(pinned))


def settle_whole(group: Group, out: Ints) -> SettledWhole:
    """One plan that brings the disks ``out`` to places in their ``reach`` and the group under its ceilings.

    As many as can be are settled, then the ceilings kept as far as they can be, then the fewest bytes moved.
    """
    plan = clear(group, out, Budget(EFFORT * STEPS))
    homeless, pinned = left_there(group, plan, out)
    return SettledWhole(plan, len(out) - len(homeless) - len(pinned), homeless, pinned)


def left_there(group: Group, plan: Plan, out: Ints) -> tuple[tuple[Homeless, ...], tuple[int, ...]]:
    """Of disks ``out`` that ``plan`` leaves where they lie: those without a place, with the nearest, and the pinned."""
    stay = out[plan.place[out] == group.place[out]]
    homeless, pinned = stay[~group.pinned[stay]], stay[group.pinned[stay]]
    room = group.room_bytes - plan.after.used_bytes
    lacking = group.leaving(homeless)
    return tuple(_homeless(lacking, disk, room) for disk in map(int, homeless)), tuple(map(int, pinned))


def _homeless(group: Group, disk: int, room: Ints) -> Homeless:
    served = np.flatnonzero(group.reach[disk])
    if not served.size:
        return Homeless(disk, None, 0)
    nearest = int(served[np.argmax(room[served])])
    return Homeless(disk, nearest, max(0, int(group.size_bytes[disk] - room[nearest])))
