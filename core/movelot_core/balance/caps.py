"""Fair caps: where disks of a pool cannot move now, who gives way so that the pool stays within its ceiling.

Max-min fair: those that ask for most give way first, and equally. In an hour in which a pool has more load than it
bears there is a level so that disks which ask for more than it get the level, all others what they ask for, and the sum
is what the pool bears: min(x_i, level * w_i), with the weights w_i, no disk below its floor. The level is found by
bisection of that sum, which only grows with it.

A cap is one number of IOPS for all hours. So hours are taken with the most excess first, each with the caps that those
before it set: what an hour has to spare for them is not taken from anybody again.

Worked example: disks ask for 6, 4 and 1, the pool bears 8. The level is 3.5: caps of 3.5 and 3.5, the third is left.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from movelot_core.latency import Floats

# Halvings of the level: what is left of the highest demand is far below one I/O.
HALVINGS = 64
# A load over what a pool bears by a smaller share of it is a rounding.
OVER_MARGIN = 1e-9


@dataclass(frozen=True, slots=True)
class FairCaps:
    """Caps of disks, and what comes of them.

    ``cap_iops`` [d], whole numbers, infinite where a disk is left alone. ``load`` [d, h] is what each asks for under
    them. ``level`` [h] is the load from which disks of weight 1 give way in an hour that was taken for itself, infinite
    in others. ``left_over`` [h] is by how much the pool stays over what it bears, as floors and what cannot be capped
    take that much.
    """

    cap_iops: Floats
    load: Floats
    level: Floats
    left_over: Floats


def fair_caps(
    load: Floats, iops: Floats, bearable: Floats, floor_iops: Floats | None = None, weight: Floats | None = None
) -> FairCaps:
    """The caps that bring a pool under what it bears.

    ``load`` and ``iops`` [d, h] are what each disk asks for at each hour, as load on the pool and in IOPS. ``bearable``
    [h] is the load that the pool bears beside what is not capped. A disk whose floor is above its demand asks for no
    more than that. ValueError for a weight that is not positive.
    """
    disks, hours = load.shape
    floors = np.zeros(disks) if floor_iops is None else floor_iops
    weights = np.ones(disks) if weight is None else weight
    if not (weights > 0).all():
        raise ValueError("a weight is not positive")
    # Load that one I/O of a disk is in an hour.
    cost = np.divide(load, iops, out=np.zeros_like(load), where=iops > 0)
    cap, level = np.full(disks, np.inf), np.full(hours, np.inf)
    for hour in np.argsort(bearable - load.sum(axis=0), kind="stable"):
        asked = np.minimum(iops[:, hour], cap) * cost[:, hour]
        if asked.sum() <= bearable[hour] * (1 + OVER_MARGIN):
            continue
        least = np.minimum(floors * cost[:, hour], asked)
        level[hour] = _level(asked, least, weights, float(bearable[hour]))
        given = np.clip(level[hour] * weights, least, asked)
        gives_way = given < asked
        cap[gives_way] = np.minimum(cap[gives_way], given[gives_way] / cost[gives_way, hour])
    # A device takes whole I/Os, and none for no cap.
    cap = np.where(np.isfinite(cap), np.maximum(np.floor(cap), np.maximum(np.ceil(floors), 1.0)), np.inf)
    after = np.minimum(iops, cap[:, None]) * cost
    return FairCaps(cap, after, level, np.maximum(after.sum(axis=0) - bearable, 0.0))


def _level(asked: Floats, least: Floats, weights: Floats, bearable: float) -> float:
    """The level at which all together get what the pool bears; 0 where the floors alone take as much."""
    low, high = 0.0, float((asked / weights).max(initial=0.0))
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        if np.clip(middle * weights, least, asked).sum() <= bearable:
            low = middle
        else:
            high = middle
    return low
