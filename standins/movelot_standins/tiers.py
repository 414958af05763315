"""What lies on each tier of a pool, and what moved between them: what is used most goes to the fastest.

Of a disk, the share that is in use is told by its I/O per GiB; volumes may be kept on the fastest or slowest tier.
"""

from __future__ import annotations

import math

from movelot_standins.loads import day_load
from movelot_standins.model import GIB, Pool, World
from movelot_standins.space import allocated_bytes

# Of so many IOPS for each GiB two thirds of a disk are in use.
BUSY_IOPS_PER_GIB = 0.1
# Of a tier so much is filled, and so much of it is exchanged each night for pages that have become busier.
FILLED_SHARE, EXCHANGED_SHARE = 0.95, 0.015


def tier_bytes(world: World, pool: Pool, day: int, used: int, now: float) -> list[int]:
    """Of ``used`` bytes of a pool, those that lay on each tier at the start of ``day``, fastest first."""
    wanted, found, left = _busy_share(world, pool, day, now), list[int](), used
    for number, (_media, size) in enumerate(pool.tiers):
        last = number == len(pool.tiers) - 1
        here = left if last else min(left, int(FILLED_SHARE * int(str(size))), int(used * wanted))
        found.append(here)
        left -= here
        wanted /= 2
    return found


def moved_in(before: list[int], after: list[int]) -> list[int]:
    """Bytes that came to each tier from others in a night: by which it grew, and what was exchanged.

    New data lands on the slowest tier first, and is not counted as moved.
    """
    grown = [max(0, now - then) for then, now in zip(before, after, strict=True)]
    exchanged = int(EXCHANGED_SHARE * min(before[:-1] or [0]))
    shrunk = sum(max(0, then - now) for then, now in zip(before[:-1], after[:-1], strict=True))
    return [*(each + exchanged for each in grown[:-1]), shrunk + exchanged] if len(before) > 1 else [0] * len(before)


def _busy_share(world: World, pool: Pool, day: int, now: float) -> float:
    """Which share of a pool's bytes was in use on a day, or is kept on the fastest tier."""
    volumes = {volume.serial: volume for volume in world.volumes if volume.pool == pool.name}
    stores = {store.id: volumes[store.serial] for store in world.datastores if store.serial in volumes}
    busy = sum(allocated_bytes(world, volume, now) for volume in volumes.values() if volume.tiering == "Fastest")
    for number, disk in enumerate(world.disks()):
        volume = stores.get(disk.datastore)
        if volume is not None and volume.tiering in ("", "ByUse"):
            read, write = day_load(disk, number, world.seed, day)
            iops = float((read + write).mean())
            share = 1 - math.exp(-iops / (BUSY_IOPS_PER_GIB * disk.size_bytes / GIB))
            busy += int(disk.size_bytes * disk.written_share * share)
    whole = sum(allocated_bytes(world, volume, now) for volume in volumes.values())
    return min(1.0, busy / max(1, whole))
