"""Moves that give too little for what they weigh, where a plan leaves something over its ceilings all the same.

A pool that stays too slow is hardly helped by a large disk that asks for little. A move of which what is over would be
less by under GAIN_FLOOR of a ceiling for each TiB is not worth its bytes; one that a disk or a rule needs to leave
where it may not stay is.
"""

from __future__ import annotations

import numpy as np

from movelot_core.balance.group import LOAD_SLACK, Group, Ints, broken_musts, limits
from movelot_core.balance.order import left_out
from movelot_core.balance.plan import Spared
from movelot_core.balance.standing import Standing
from movelot_core.units import TIB

# A tenth of a percent of a ceiling.
GAIN_FLOOR = 1e-3


def worthwhile(group: Group, out: Ints, place: Ints) -> tuple[Ints, Spared | None]:
    """``place`` without moves that give too little, and what they are; as it is where nothing stays over.

    Each is judged by itself with all others made, the largest first. Disks ``out`` and those of rules are left alone.
    """
    made = best = Standing.of(group, place)
    if not made.over:
        return place, None
    needed = np.zeros(len(group.disks), dtype=bool)
    needed[out] = True
    needed[list(group.apart.of)] = True
    needed[[disk for bond in group.bonds for disk in bond.disks]] = True
    moved = np.flatnonzero((place != group.place) & ~needed)
    most_bytes, most_load = limits(group, group.found)
    for disk in moved[np.lexsort((moved, -group.size_bytes[moved]))]:
        home = int(group.place[disk])
        pool = int(group.pool_of[home])
        back = best.after(np.array([disk]), np.array([home]))
        roomy = back.used_bytes[home] <= most_bytes[home]
        quick = (back.load[pool] <= most_load[pool] * (1 + LOAD_SLACK)).all()
        if roomy and quick and back.over - best.over < GAIN_FLOOR * group.size_bytes[disk] / TIB:
            best = back
    spared = np.flatnonzero(best.place != place)
    if not spared.size or left_out(group, best.place).size or broken_musts(group, best.place):
        return place, None
    gain = max(0.0, best.over - made.over)
    return best.place, Spared(len(spared), int(group.size_bytes[spared].sum()), gain) if gain > 1e-5 else None
