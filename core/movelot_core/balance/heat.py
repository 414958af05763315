"""Heat: a disk's load at its pool's peak hour, per GiB, and its step on a scale of six."""

from __future__ import annotations

from typing import Final

import numpy as np

from movelot_core.balance.group import Group, Ints, State
from movelot_core.latency import Floats
from movelot_core.units import GIB

LEVELS: Final = 6
FAIR_LEVEL: Final = 3


def heat(group: Group, state: State) -> Floats:
    """[d] load per GiB of each disk at the hour in which its pool is slowest."""
    pool = group.pool_of[group.place]
    found = np.zeros(len(group.disks))
    for number in range(len(group.pools)):
        there = np.flatnonzero(pool == number)
        found[there] = group.load_on(number, there)[:, int(state.peak_hour[number])]
    return np.asarray(found / np.maximum(group.size_bytes / GIB, 1e-9), dtype=np.float64)


def levels(group: Group, heats: Floats) -> Ints:
    """[d] 0 (cool) to 5 (hot). Level 3 begins at a fair share: the load a pool bears under the latency ceiling, over
    the GiB its datastores may hold; each level is twice the one before.

    Example: a pool bears 800 and holds 100 GiB, so 8 per GiB is fair: a disk with 20 per GiB has level 4.
    """
    room = np.zeros(len(group.pools))
    np.add.at(room, group.pool_of, group.room_bytes / GIB)
    fair = group.load_limit / np.maximum(room, 1e-9)
    own = fair[group.pool_of[group.place]]
    steps = np.floor(np.log2(np.maximum(heats, 1e-12) / np.maximum(own, 1e-12))) + FAIR_LEVEL
    return np.asarray(np.clip(steps, 0, LEVELS - 1), dtype=np.int64)
