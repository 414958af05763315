"""Which disks have to leave: the lower bound on bytes moved, and a near-best choice, pool by pool.

Only disks on a datastore over its fill ceiling, or on a pool over its latency ceiling, need to leave. Whether
their targets have room is left out here, which makes the linear relaxation a bound for *any* plan: in every plan
the excess bytes leave each datastore, and the excess load leaves each pool at each hour.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, linprog, milp

from movelot_core.balance.group import Bools, Group, Ints, State
from movelot_core.latency import Floats

CANDIDATES_BEYOND_LP = 30
GAP_RELATIVE = 0.004
NODES_MAX = 300
LOAD_MARGIN = 1e-4


@dataclass(frozen=True)
class PoolCover:
    """The covering problem of one pool: ``demand`` rows must be reached by the disks that leave.

    ``leave_store`` [rows, n] counts when a disk leaves its datastore, ``leave_pool`` when it leaves the pool.
    """

    pool: int
    disks: Ints
    cost: Floats
    rows: Floats
    demand: Floats
    pool_rows: Bools


@dataclass(frozen=True)
class Cover:
    """Disks chosen to leave their datastore; ``off_pool`` says which must leave the pool as well."""

    disks: Ints
    off_pool: Bools
    bound_bytes: float


def pool_covers(group: Group, before: State) -> Iterator[PoolCover]:
    """The covering problems of the pools on which something is over, each scaled so that demands are 1."""
    pool_of_disk = group.pool_of[group.place]
    for pool in range(len(group.pools)):
        stores = np.flatnonzero(before.over_fill & (group.pool_of == pool))
        hours = np.flatnonzero(before.over_latency[pool])
        if not len(stores) and not len(hours):
            continue
        disks = np.flatnonzero((pool_of_disk == pool) & ~group.pinned)
        size = group.size_bytes[disks].astype(float)
        rows, demand = [], []
        for store in stores:
            rows.append(size * (group.place[disks] == store))
            demand.append(float(before.used_bytes[store] - group.room_bytes[store]))
        own = group.load_on(pool, disks)
        for hour in hours:
            rows.append(own[:, hour])
            limit = group.load_limit[pool]
            demand.append(float(before.load[pool, hour] - limit) + LOAD_MARGIN * limit)
        scale = np.array(demand)
        yield PoolCover(
            pool,
            disks,
            size,
            np.array(rows).reshape(len(rows), len(disks)) / scale[:, None],
            # What cannot be reached even if all leave is asked for as far as it can be.
            np.minimum(1.0, np.array(rows).reshape(len(rows), len(disks)).sum(axis=1) / scale),
            np.array([False] * len(stores) + [True] * len(hours)),
        )


def choose(group: Group, before: State) -> Cover:
    """Disks to move, close to least bytes, with the bound that no plan can beat."""
    chosen: list[int] = []
    off_pool: list[bool] = []
    bound = 0.0
    for cover in pool_covers(group, before):
        if not len(cover.disks):
            continue
        fraction = _relaxed(cover)
        bound += float(cover.cost @ fraction)
        picked = _whole_disks(cover, fraction)
        leaves_pool = _must_leave_pool(cover, picked)
        chosen += [int(disk) for disk in cover.disks[picked]]
        off_pool += [bool(flag) for flag in leaves_pool]
    return Cover(np.array(chosen, dtype=np.int64), np.array(off_pool, dtype=bool), bound)


def _relaxed(cover: PoolCover) -> Floats:
    """The share of each disk that leaves in the linear relaxation; it has a solution, as demands are capped."""
    relaxed = linprog(
        cover.cost / cover.cost.max(), A_ub=-cover.rows, b_ub=-cover.demand * (1 - 1e-9), bounds=(0, 1), method="highs"
    )
    return np.asarray(relaxed.x, dtype=np.float64)


def _whole_disks(cover: PoolCover, fraction: Floats) -> Ints:
    """Positions of whole disks that meet the demand: an exact model over the few that matter."""
    value = (cover.rows / np.maximum(cover.demand[:, None], 1e-12)).sum(axis=0) / np.maximum(cover.cost, 1.0)
    order = np.lexsort((np.arange(len(value)), -value))
    used = np.flatnonzero(fraction > 1e-7)
    # Small disks close the last gap at little cost; dense ones are the likely exchange partners.
    small = np.lexsort((np.arange(len(value)), cover.cost))
    extra = [n for pair in zip(order, small, strict=True) for n in pair if fraction[n] <= 1e-7]
    pool = np.unique(np.concatenate([used, np.array(extra[: 2 * CANDIDATES_BEYOND_LP], dtype=np.int64)]))
    found = milp(
        cover.cost[pool] / cover.cost[pool].max(),
        constraints=LinearConstraint(cover.rows[:, pool], lb=cover.demand * (1 - 1e-9)),
        integrality=np.ones(len(pool), dtype=np.int64),
        bounds=Bounds(0, 1),
        options={"mip_rel_gap": GAP_RELATIVE, "node_limit": NODES_MAX},
    )
    if found.x is not None:
        return np.asarray(pool[np.flatnonzero(found.x > 0.5)], dtype=np.int64)
    return _drop_spare(cover, used)


def _drop_spare(cover: PoolCover, picked: Ints) -> Ints:
    """``picked`` without disks that the demand does not need, largest first."""
    total = cover.rows[:, picked].sum(axis=1)
    kept = []
    for n in sorted(picked, key=lambda n: (-cover.cost[n], n)):
        if (total - cover.rows[:, n] >= cover.demand * (1 - 1e-9)).all():
            total = total - cover.rows[:, n]
        else:
            kept.append(int(n))
    return np.array(sorted(kept), dtype=np.int64)


def _must_leave_pool(cover: PoolCover, picked: Ints) -> Bools:
    """Which of ``picked`` the pool's hours need gone; the others may go to another datastore of the same pool."""
    if not cover.pool_rows.any():
        return np.zeros(len(picked), dtype=bool)
    rows, demand = cover.rows[cover.pool_rows][:, picked], cover.demand[cover.pool_rows]
    total, leaves = rows.sum(axis=1), np.ones(len(picked), dtype=bool)
    for n in np.lexsort((np.arange(len(picked)), rows.max(axis=0))):
        if (total - rows[:, n] >= demand * (1 - 1e-9)).all():
            total, leaves[n] = total - rows[:, n], False
    return leaves
