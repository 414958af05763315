"""Empties datastores: every disk on them goes elsewhere, under all Musts, and none comes in.

Worked example: datastore a holds disks of 100 and 300 GiB and is to be emptied; b has 150 GiB below its ceiling, c has
500. Each has a place as things are: 400 GiB move, which is the least there can be. Had c only 250, another disk of b or
c would have to leave first; then one plan is made for all, and where there is none, what stays is told.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from movelot_core.balance.group import Group, Ints
from movelot_core.balance.plan import Plan, plan_for
from movelot_core.balance.settle import Homeless, settle, settle_whole


@dataclass(frozen=True)
class Drained:
    """A plan, and the disks that stay where they are: pinned, or without a place."""

    plan: Plan
    homeless: tuple[Homeless, ...]
    pinned: tuple[int, ...]


def drain(group: Group, stores: Ints) -> Drained:
    """The plan that empties ``stores``, by number, or as much of them as can be. The same answer for the same input.

    First each disk is given a place as things are: then nothing but these disks moves, each once, which is the least.
    Only where one finds none do others of the group move to make room.
    """
    out = np.flatnonzero(np.isin(group.place, stores))
    closed = _closed(group, stores)
    alone = settle(closed, out)
    if not alone.homeless:
        place = group.place.copy()
        for disk, store in alone.moves:
            place[disk] = store
        return Drained(
            plan_for(closed, place, float(group.size_bytes[out[~group.pinned[out]]].sum())), (), alone.pinned
        )
    whole = settle_whole(closed, out)
    return Drained(whole.plan, whole.homeless, whole.pinned)


def _closed(group: Group, stores: Ints) -> Group:
    """``group`` with nothing coming to ``stores``; what lies there and is pinned stays."""
    reach = group.reach.copy()
    reach[:, stores] = False
    held = np.flatnonzero(group.pinned)
    reach[held, group.place[held]] = group.reach[held, group.place[held]]
    return replace(group, reach=reach)
