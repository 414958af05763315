"""The exact model for groups small enough: every disk, every datastore, one mixed-integer programme (HiGHS).

First the breaches that no plan can avoid are made as small as possible; with those held, the bytes moved are. A disk
that stays where it may not is a breach as well, and weighs more than any ceiling that is passed by less than its whole.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.optimize import Bounds, LinearConstraint, OptimizeResult, linprog, milp

from movelot_core.balance.group import Group, Ints, judge
from movelot_core.latency import Floats

VARIABLES_MAX = 2500
SPREAD_WEIGHT = 1e-4
HOST_COPY_WEIGHT = 1e-3
# A move weighs as much as this share of all bytes: among plans of the same bytes the one with fewer moves wins.
MOVE_WEIGHT = 1e-6
LOAD_MARGIN = 1e-4
# The solver takes a row for kept that is broken by a millionth of the largest datastore, which may be megabytes.
SPACE_MARGIN = 4e-6
# Where ceilings cannot all be kept the search goes on for minutes and finds little more. It ends after as many nodes,
# the same on any machine; the seconds, a stage, are for the worst of nodes.
NODES_MAX = 400
SECONDS_MAX = 15.0


@dataclass(frozen=True)
class Exact:
    """Best placement and the bound on bytes from its linear relaxation."""

    place: Ints
    bound_bytes: float


@dataclass(frozen=True)
class _Model:
    disk: Ints
    store: Ints
    matrix: sparse.csr_matrix
    low: Floats
    high: Floats
    move_cost: Floats
    tie_cost: Floats
    slacks: int


def fits(group: Group) -> bool:
    """Whether the group is small enough for the exact model."""
    return int(group.reach.sum()) + len(group.disks) <= VARIABLES_MAX


def solve(group: Group, out: Ints, space_margin: float = 0.0) -> Exact | None:
    """The placement with least bytes moved, or None when the solver ends without one.

    Of the disks ``out`` as many as can leave where they lie do so, unless they are pinned.
    Without a ``space_margin`` (a share of the largest datastore) it may be over a fill ceiling by up to SPACE_MARGIN.
    """
    model = _model(group, out, space_margin)
    count = len(model.disk)
    slack_cost = np.concatenate([np.zeros(count), np.ones(model.slacks)])
    first = _milp(model, slack_cost, None)
    if first.x is None:
        return None
    allowed = np.maximum(np.asarray(first.x)[count:], 0.0)
    allowed = np.where(allowed < 1e-7, 0.0, allowed * (1 + 1e-6))
    cost = np.concatenate([model.move_cost + model.tie_cost, np.zeros(model.slacks)])
    best = _milp(model, cost, allowed)
    if best.x is None:
        return None
    chosen = np.asarray(best.x)[:count] > 0.5
    place = group.place.copy()
    place[model.disk[chosen]] = model.store[chosen]
    return Exact(place, _bound(model, allowed) * float(group.size_bytes.sum()))


def _model(group: Group, out: Ints, space_margin: float) -> _Model:
    disks, stores = len(group.disks), len(group.datastores)
    may = group.reach & ~group.pinned[:, None]
    may[np.arange(disks), group.place] = True
    disk, store = np.nonzero(may)
    count, pools = len(disk), len(group.pools)
    before = judge(group, group.place)
    hours = before.load.shape[1]
    one_place = sparse.csr_matrix((np.ones(count), (disk, np.arange(count))), shape=(disks, count))
    scale = float(max(group.capacity_bytes.max(), 1))
    space = sparse.csr_matrix((group.size_bytes[disk] / scale, (store, np.arange(count))), shape=(stores, count))
    load_rows = []
    for pool in range(pools):
        on_pool = group.pool_of[store] == pool
        own = group.load_on(pool, disk) / max(group.curves[pool].x_max, 1e-9)
        load_rows.append(sparse.csr_matrix(own.T * on_pool))
    loads = sparse.vstack(load_rows)
    moved = store != group.place[disk]
    # How many of those that are out stay; one row, which is breached by as many.
    stay = sparse.csr_matrix((np.isin(disk, out) & ~moved)[None, :].astype(float)) if out.size else None
    slacks = stores + pools * hours + bool(out.size)
    left = sparse.vstack([one_place, space, loads, *([stay] if stay is not None else [])])
    right = sparse.vstack([sparse.csr_matrix((disks, slacks)), -sparse.identity(slacks)])
    x_max = np.array([curve.x_max for curve in group.curves])[:, None]
    # A ceiling found broken may stay broken by as much as it was, never by more: that caps the slack.
    load_room = (group.load_limit[:, None] * (1 - LOAD_MARGIN) - group.other_load) / np.maximum(x_max, 1e-9)
    space_room = (group.room_bytes - group.other_bytes) / scale - space_margin
    size_share = group.size_bytes[disk] / max(float(group.size_bytes.sum()), 1.0)
    over_hosts = np.array(
        [
            a != b
            for a, b in zip(
                np.array(group.array_of)[group.pool_of[store]],
                np.array(group.array_of)[group.pool_of[group.place[disk]]],
                strict=True,
            )
        ]
    )
    fill = before.fill[store]
    return _Model(
        disk,
        store,
        sparse.csr_matrix(sparse.hstack([left, right])),
        np.concatenate([np.ones(disks), np.full(slacks, -np.inf)]),
        np.concatenate([np.ones(disks), space_room, load_room.ravel(), np.zeros(int(bool(out.size)))]),
        size_share * moved,
        size_share * moved * (over_hosts * HOST_COPY_WEIGHT + fill * SPREAD_WEIGHT)
        + moved * (MOVE_WEIGHT + np.arange(count) / max(count, 1) * 1e-9),
        slacks,
    )


def _slack_cap(model: _Model, allowed: Floats | None) -> Floats:
    if allowed is not None:
        return allowed
    # Placing everything as found gives the slack of today: no more than that is lawful.
    today = (model.move_cost == 0).astype(float)
    rows = model.matrix[:, : len(model.disk)] @ today
    return np.asarray(np.maximum(rows[-model.slacks :] - model.high[-model.slacks :], 0.0) + 1e-9)


def _milp(model: _Model, cost: Floats, allowed: Floats | None) -> OptimizeResult:
    count = len(model.disk)
    return milp(
        cost,
        constraints=LinearConstraint(model.matrix, model.low, model.high),
        integrality=np.concatenate([np.ones(count), np.zeros(model.slacks)]),
        bounds=Bounds(0, np.concatenate([np.ones(count), _slack_cap(model, allowed)])),
        options={"mip_rel_gap": 1e-6, "node_limit": NODES_MAX, "time_limit": SECONDS_MAX},
    )


def _bound(model: _Model, allowed: Floats) -> float:
    """Least share of all bytes that leaves its place in the linear relaxation, as a share of 1."""
    equal = model.low == model.high
    relaxed = linprog(
        np.concatenate([model.move_cost, np.zeros(model.slacks)]),
        A_ub=model.matrix[~equal],
        b_ub=model.high[~equal],
        A_eq=model.matrix[equal],
        b_eq=model.high[equal],
        bounds=list(zip(np.zeros(model.matrix.shape[1]), [*np.ones(len(model.disk)), *allowed], strict=True)),
        method="highs",
    )
    return 0.0 if relaxed.fun is None else float(relaxed.fun)
