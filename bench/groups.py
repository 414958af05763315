"""Seeded groups of any size for the planner's benchmarks and tests."""

from __future__ import annotations

import dataclasses

import numpy as np

from movelot_core.balance.group import Group
from movelot_core.latency import HOURS, ServiceCurve, features
from movelot_core.units import GIB

FILL_CEILING = 0.82
LATENCY_CEILING_MS = 9.0


def tight(seed: int) -> Group:
    """A small group that is about 78 % full under its ceiling of 82 %: many have pools that no plan clears."""
    rng = np.random.default_rng(seed)
    disks, stores, pools = (int(rng.integers(*span)) for span in ((20, 120), (4, 12), (2, 4)))
    group = generate(disks, stores, pools, seed)
    fill = rng.uniform(0.74, 0.81, stores)
    fill[0] = 0.93
    held = np.bincount(group.place, group.size_bytes, stores)
    return dataclasses.replace(group, capacity_bytes=np.maximum((held / fill).astype(np.int64), 1))


def generate(disks: int, datastores: int, pools: int, seed: int) -> Group:
    """Disks of log-normal size with a daily peak each; about an eighth of datastores and pools start over."""
    rng = np.random.default_rng(seed)
    size = (np.exp(rng.normal(4.3, 0.8, disks)) * GIB).astype(np.int64)
    place = rng.integers(0, datastores, disks)
    fill = rng.uniform(0.55, 0.78, datastores)
    over = rng.random(datastores) < 0.12
    over[0] = True
    fill[over] = rng.uniform(0.85, 0.95, over.sum())
    peak = rng.choice([8, 10, 15, 20], disks)
    shape = 0.2 + np.exp(-0.5 * ((np.arange(HOURS)[None] - peak[:, None]) / 3) ** 2)
    rate = np.exp(rng.normal(3.5, 1.0, disks))[:, None] * shape
    kib = np.repeat(rng.choice([4.0, 8.0, 16.0, 64.0], disks)[:, None], HOURS, axis=1)
    curve = ServiceCurve(0.6, 1e12, 2.0, 0.1)
    group = Group(
        disks=tuple(f"disk-{n:05}" for n in range(disks)),
        size_bytes=size,
        place=place,
        features=features(rate * 0.7, rate * 0.3, kib),
        reach=np.ones((disks, datastores), dtype=bool),
        pinned=rng.random(disks) < 0.02,
        datastores=tuple(f"store-{n:03}" for n in range(datastores)),
        capacity_bytes=(np.bincount(place, size, datastores) / fill).astype(np.int64),
        other_bytes=np.zeros(datastores, dtype=np.int64),
        pool_of=np.arange(datastores) % pools,
        pools=tuple(f"pool-{n:02}" for n in range(pools)),
        curves=(curve,) * pools,
        array_of=tuple(f"array-{n // 8}" for n in range(pools)),
        other_load=np.zeros((pools, HOURS)),
        fill_ceiling=FILL_CEILING,
        latency_ceiling_ms=LATENCY_CEILING_MS,
    )
    busiest = group.pool_load(place).max(axis=1)
    share = rng.uniform(0.6, 0.85, pools)
    share[rng.random(pools) < 0.15] = 1.03
    x_max = busiest / share / (1 - curve.l0_ms / LATENCY_CEILING_MS)
    curves = tuple(dataclasses.replace(curve, x_max=float(value)) for value in x_max)
    return dataclasses.replace(group, curves=curves)
