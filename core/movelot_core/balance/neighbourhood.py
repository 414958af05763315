"""The exact model around a plan that was made otherwise, for groups too large for it: the disks that matter may move,
all others are what lies there.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from movelot_core.balance import exact
from movelot_core.balance.group import Bools, Group, Ints
from movelot_core.balance.standing import Part, Standing, problem_of
from movelot_core.solver import Budget


def planned_again(group: Group, out: Ints, place: Ints, budget: Budget, steps: float) -> Ints:
    """The placement with fewest bytes in which only the disks that matter may move, as far as ``steps`` go.

    They are those that are ``out`` or that ``place`` moves, and as many of their neighbours as the model has room for.
    It is no worse than ``place``.
    """
    standing = Standing.of(group, place)
    free = _that_matter(group, out, place)
    everywhere = np.arange(len(group.datastores))
    found = exact.solved(problem_of(standing, out, Part(free, everywhere)), budget, steps)
    return standing.after(free, found.place).place


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
    """First those that are out, moved, or beside others of their split; then those where ceilings are passed.

    Where room is wanted counts among these. Disks with most load for their size and those with least take turns: one
    kind frees a pool, the other makes room.
    """
    before = group.found
    crowded = [crowd.disks[~group.pinned[crowd.disks]] for crowd in group.apart.crowds(place)]
    first = np.unique(np.concatenate([out[~group.pinned[out]], np.flatnonzero(place != group.place), *crowded]))
    slow: Bools = np.asarray(before.over_latency.any(axis=1))
    wanted: Bools = np.asarray(before.over_fill | slow[group.pool_of])
    wanted[place[first]] = True
    wanted[np.flatnonzero(group.reach[out].any(axis=0))] = True
    near = np.setdiff1d(np.flatnonzero(wanted[group.place] & ~group.pinned), first)
    peak = group.features[:, near].sum(axis=0).max(axis=1)
    dense = near[np.lexsort((near, -peak / np.maximum(group.size_bytes[near], 1)))]
    turns = np.ravel(np.column_stack([dense, dense[::-1]])) if dense.size else dense
    return dict.fromkeys(map(int, [*first, *turns]))
