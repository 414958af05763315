"""Which disks have to leave: the lower bound on bytes moved, and a near-best choice, pool by pool.

Only disks on a datastore over its fill ceiling, or on a pool over its latency ceiling, need to leave. Whether
their targets have room is left out here, which makes the linear relaxation a bound for *any* plan: in every plan
the excess bytes leave each datastore, and the excess load leaves each pool at each hour.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from scipy import sparse

from movelot_core import solver
from movelot_core.balance.group import Bools, Group, Ints
from movelot_core.latency import Floats
from movelot_core.solver import Budget, Programme

GAP_RELATIVE = 0.001
# Steps for the whole disks of one pool at most, and the share of the budget for those of all pools.
POOL_STEPS, POOLS_SHARE = 150.0, 0.15
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


def pool_covers(group: Group) -> Iterator[PoolCover]:
    """The covering problems of the pools on which something is over, each scaled so that demands are 1."""
    before = group.found
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


def choose(group: Group, budget: Budget) -> Cover:
    """Disks to move, close to least bytes, with the bound that no plan can beat."""
    chosen: list[int] = []
    off_pool: list[bool] = []
    bound = 0.0
    covers = [cover for cover in pool_covers(group) if len(cover.disks)]
    steps = min(POOL_STEPS, POOLS_SHARE * budget.steps / max(len(covers), 1))
    for cover in covers:
        picked, least = _whole_disks(cover, budget, steps)
        bound += least
        leaves_pool = _must_leave_pool(cover, picked)
        chosen += [int(disk) for disk in cover.disks[picked]]
        off_pool += [bool(flag) for flag in leaves_pool]
    return Cover(np.array(chosen, dtype=np.int64), np.array(off_pool, dtype=bool), bound)


def _whole_disks(cover: PoolCover, budget: Budget, steps: float) -> tuple[Ints, float]:
    """Positions of disks that meet the demand, and the bytes that any such disks have at least.

    Begun from the disks that leave, if in part, in the linear relaxation; it has a solution, as demands are capped.
    """
    programme = _programme(cover, whole=False)
    relaxed = solver.solved(programme, budget)
    if relaxed.x is None:
        raise RuntimeError(f"The relaxation of pool {cover.pool} has no solution, though all that can leave may.")
    start = np.zeros(len(cover.disks))
    start[_drop_spare(cover, np.flatnonzero(relaxed.x > 1e-7))] = 1.0
    found = solver.solved(_programme(cover, whole=True), budget, steps, start, GAP_RELATIVE)
    least = max(relaxed.bound, found.bound) * float(cover.cost.max())
    return np.flatnonzero((start if found.x is None else found.x) > 0.5), least


def _programme(cover: PoolCover, *, whole: bool) -> Programme:
    """As few bytes as possible, of disks that meet the demand."""
    rows, count = cover.rows.shape
    return Programme(
        cover.cost / cover.cost.max(),
        sparse.csr_matrix(cover.rows),
        cover.demand * (1 - 1e-9),
        np.full(rows, np.inf),
        np.ones(count),
        np.full(count, whole),
    )


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
