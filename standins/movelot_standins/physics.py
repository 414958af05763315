"""How pools answer under load and how fast copies run. Independent of what Move Lot believes about them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from movelot_standins.loads import HOUR_SECONDS, day_load, load_at
from movelot_standins.model import GIB, Disk, Pool, Task, World
from movelot_standins.waiting import BUSY_MAX, WAITS

Floats = NDArray[np.float64]
SIZE_COST = 0.12
LATENCY_NOISE = 0.02
COPY_IO_KIB = 256
OFFLOAD_BYTES_PER_SECOND = 0.42 * GIB
HOST_COPY_BYTES_PER_SECOND = 0.14 * GIB
# The most that an array takes back, or reduces, in a second, and for how much of it a pool writes once.
WORK_BYTES_PER_SECOND = {"ReturnBlocks": 4.0 * GIB, "Reduce": 0.6 * GIB}
RETURNED_BYTES_PER_IO = 1024**2
REDUCED_BYTES_PER_IO = 256 * 1024


def back_end_ms(pool: Pool, reads: Floats | float, writes: Floats | float, kib: float) -> Floats:
    """Disk time asked for per second, in ms: cache misses and RAID writes, larger blocks costing more."""
    size = 1 + SIZE_COST * (kib - 8) / 8
    return np.asarray(
        (np.asarray(reads) * (1 - pool.cache_hit) + np.asarray(writes) * pool.write_cost) * pool.service_ms * size
    )


def response_ms(pool: Pool, demand_ms: Floats | float) -> Floats:
    """Mean response: what the front takes, one disk access, and what is waited before it."""
    busy = np.asarray(demand_ms, dtype=np.float64) / (pool.drives * 1000)
    return np.asarray(pool.front_ms + pool.service_ms * (1 + WAITS[pool.waits](busy)))


def place_at(disk: Disk, when: float) -> str:
    """The datastore that held ``disk`` at ``when``."""
    return next((store for since, store in reversed(disk.places) if since <= when), disk.places[0][1])


def pool_day(world: World, pool: Pool, day: int) -> Floats:
    """[24] hourly response times of ``pool`` on ``day``, from the disks that lived on it then."""
    demand = np.zeros(24)
    volumes = {volume.serial: volume.pool for volume in world.volumes}
    here = {store.id for store in world.datastores if volumes.get(store.serial) == pool.name}
    for number, disk in enumerate(world.disks()):
        if not here & {store for _, store in disk.places}:
            continue
        there = np.array([place_at(disk, day * 86400 + (hour + 0.5) * HOUR_SECONDS) in here for hour in range(24)])
        read, write = day_load(disk, number, world.seed, day)
        demand += np.where(there, back_end_ms(pool, read, write, disk.kib), 0.0)
    noise = np.random.default_rng([world.seed, 7919 + world.pools.index(pool), day]).normal(1, LATENCY_NOISE, 24)
    return response_ms(pool, demand) * noise


def copy_demand_ms(world: World, pool: Pool) -> float:
    """Disk time that running work asks of ``pool``; at the pace of the demo a copy weighs as at normal pace."""
    demand = 0.0
    for task in world.tasks:
        if task.running and task.pool == pool.name:
            per_io = RETURNED_BYTES_PER_IO if task.kind == "ReturnBlocks" else REDUCED_BYTES_PER_IO
            demand += float(back_end_ms(pool, 0, task.rate / max(world.pace, 1e-9) / per_io, 8))
        if task.running and task.kind == "MoveDisk":
            per_second = task.rate / max(world.pace, 1e-9) / (COPY_IO_KIB * 1024)
            disk = world.disk(task.disk)
            if disk and world.pool_of(disk.datastore) is pool:
                demand += float(back_end_ms(pool, per_second, 0, 8))
            if world.pool_of(task.target) is pool:
                demand += float(back_end_ms(pool, 0, per_second, 8))
    return demand


def pool_now(world: World, pool: Pool, when: float) -> tuple[float, float]:
    """Response time of ``pool`` in ms and its busy share at ``when``, running copies included."""
    demand = copy_demand_ms(world, pool)
    idle = world.idle()
    for number, disk in enumerate(world.disks()):
        if disk.id not in idle and world.pool_of(disk.datastore) is pool:
            demand += float(back_end_ms(pool, *load_at(disk, number, world.seed, when), disk.kib))
    return float(response_ms(pool, demand)), min(demand / (pool.drives * 1000), BUSY_MAX)


def copy_rate(world: World, task: Task, when: float) -> float:
    """Bytes per second of a copy: what the array or the hosts manage, shared among copies, slowed by busy pools."""
    disk = world.disk(task.disk)
    if disk is None:
        return 0.0
    base = OFFLOAD_BYTES_PER_SECOND if task.offloaded else HOST_COPY_BYTES_PER_SECOND
    busy = max(pool_now(world, pool, when)[1] for pool in (world.pool_of(disk.datastore), world.pool_of(task.target)))
    others = sum(other.running and other.kind == "MoveDisk" for other in world.tasks)
    return base * world.pace * (1 - 0.6 * busy) / max(1.0, others / 2)
