"""The exact model around a plan that was made otherwise, for groups too large for it: the disks that matter may move,
all others are what lies there.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from movelot_core.balance import exact
from movelot_core.balance.group import Bools, Group, Ints, judge


def planned_again(group: Group, out: Ints, place: Ints) -> Ints | None:
    """The placement with fewest bytes in which only the disks that matter may move; None where the solver finds none.

    They are those that are ``out`` or that ``place`` moves, and as many of their neighbours as the model has room for.
    """
    free = _that_matter(group, out, place)
    few = _only(group, free)
    number = {int(disk): n for n, disk in enumerate(free)}
    out_of_few = np.array([number[int(disk)] for disk in out if int(disk) in number], dtype=np.int64)
    found = exact.solve(few, out_of_few, exact.SPACE_MARGIN)
    if found is None:
        return None
    whole = group.place.copy()
    whole[free] = found.place
    return whole


def _that_matter(group: Group, out: Ints, place: Ints) -> Ints:
    """Disks that may move in the model, in their order."""
    chosen, left = dict[int, None](), exact.VARIABLES_MAX
    for disk in _by_need(group, out, place):
        left -= int(group.reach[disk].sum()) + 1
        if left < 0:
            break
        chosen[disk] = None
    return np.array(sorted(chosen), dtype=np.int64)


def _by_need(group: Group, out: Ints, place: Ints) -> Iterable[int]:
    """First those that are out or moved; then those where ceilings are passed or room is wanted.

    Those with most load for their size and those with least take turns: one kind frees a pool, the other makes room.
    """
    before = judge(group, group.place)
    first = np.union1d(out[~group.pinned[out]], np.flatnonzero(place != group.place))
    slow: Bools = np.asarray(before.over_latency.any(axis=1))
    wanted: Bools = np.asarray(before.over_fill | slow[group.pool_of])
    wanted[place[first]] = True
    wanted[np.flatnonzero(group.reach[out].any(axis=0))] = True
    near = np.setdiff1d(np.flatnonzero(wanted[group.place] & ~group.pinned), first)
    peak = group.features[:, near].sum(axis=0).max(axis=1)
    dense = near[np.lexsort((near, -peak / np.maximum(group.size_bytes[near], 1)))]
    turns = np.ravel(np.column_stack([dense, dense[::-1]])) if dense.size else dense
    return dict.fromkeys(map(int, [*first, *turns]))


def _only(group: Group, free: Ints) -> Group:
    """The group in which all disks but ``free`` are use and load from elsewhere."""
    rest = np.setdiff1d(np.arange(len(group.disks)), free)
    held = np.zeros(len(group.datastores), dtype=np.int64)
    np.add.at(held, group.place[rest], group.size_bytes[rest])
    load = group.other_load.copy()
    for pool in range(len(group.pools)):
        there = rest[group.pool_of[group.place[rest]] == pool]
        load[pool] += group.load_on(pool, there).sum(axis=0)
    return replace(
        group,
        disks=tuple(group.disks[disk] for disk in free),
        size_bytes=group.size_bytes[free],
        place=group.place[free],
        features=group.features[:, free],
        reach=group.reach[free],
        pinned=group.pinned[free],
        other_bytes=group.other_bytes + held,
        other_load=load,
    )
