"""Estates for tests: small ones by hand, large ones from a seeded generator."""

from __future__ import annotations

import dataclasses
import itertools
from collections.abc import Sequence

import numpy as np

from movelot_core.balance.group import Group, broken_musts
from movelot_core.balance.order import left_out
from movelot_core.latency import ServiceCurve, features
from movelot_core.units import GIB


def small(
    sizes_gib: Sequence[int],
    place: Sequence[int],
    capacity_gib: Sequence[int],
    iops: Sequence[float] | None = None,
    pool_of: Sequence[int] | None = None,
    **overrides: object,
) -> Group:
    """A group of flat loads: ``iops`` reads of 8 KiB at every hour, curve 1 ms / (1 - x/1000) on every pool."""
    disks, stores = len(sizes_gib), len(capacity_gib)
    pools = max(pool_of or [0]) + 1
    reads = np.repeat(np.array(iops or [0.0] * disks, dtype=float)[:, None], 24, axis=1)
    group = Group(
        disks=tuple(f"disk-{n}" for n in range(disks)),
        size_bytes=np.array(sizes_gib, dtype=np.int64) * GIB,
        place=np.array(place, dtype=np.int64),
        features=features(reads, reads * 0, reads * 0 + 8),
        reach=np.ones((disks, stores), dtype=bool),
        pinned=np.zeros(disks, dtype=bool),
        datastores=tuple(f"store-{n}" for n in range(stores)),
        capacity_bytes=np.array(capacity_gib, dtype=np.int64) * GIB,
        other_bytes=np.zeros(stores, dtype=np.int64),
        pool_of=np.array(pool_of or [0] * stores, dtype=np.int64),
        pools=tuple(f"pool-{n}" for n in range(pools)),
        curves=(ServiceCurve(1.0, 1000.0),) * pools,
        array_of=("granite",) * pools,
        other_load=np.zeros((pools, 24)),
        fill_ceiling=0.8,
        latency_ceiling_ms=5.0,
    )
    return dataclasses.replace(group, **overrides)  # type: ignore[arg-type]


def always_in_order(group: Group) -> bool:
    """Whether each lawful placement of a handful of disks can be reached with room at every instant.

    Where two disks wait for one another's room and no third place has any, a plan is none: it cannot be run.
    """
    stores = range(len(group.datastores))
    places = (np.array(place, dtype=np.int64) for place in itertools.product(stores, repeat=len(group.disks)))
    return not any(left_out(group, place).size for place in places if not broken_musts(group, place))
