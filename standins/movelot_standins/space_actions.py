"""Work on the blocks of a volume: given back by a host, reduced by its array, sampled."""

from __future__ import annotations

import base64
import math

from movelot_standins.actions import ActionError, start_task
from movelot_standins.block_contents import BLOCK_BYTES, ONE_IN_LEAST, SECTOR_BYTES, sample
from movelot_standins.model import COMPRESSION, DEDUPLICATION, Disk, Host, Task, Volume, World
from movelot_standins.physics import WORK_BYTES_PER_SECOND
from movelot_standins.redfish import Resource
from movelot_standins.set_members import disk_behind
from movelot_standins.space import (
    can_be_reduced,
    contents_of,
    dead_bytes,
    logical_bytes,
    pool_beneath,
    pool_free_bytes,
    reduced_bytes,
    whole_bytes,
)

SAMPLED_BYTES_MAX = 4 * 1024**4


def return_blocks(world: World, host: Host, serial: str, key: str, limit: float, now: float) -> Task:
    """Begin to give back the blocks that nothing on a datastore uses, so many bytes a second at most."""
    volume = world.volume_by_serial(serial)
    store = next((s for s in world.datastores if s.serial == serial and s.id in host.mounted), None)
    if volume is None or store is None or store.server or volume.kind == "set":
        raise ActionError(409, "ResourceInUse", f"{host.name} mounts no datastore on device {serial}.")
    if any(t.running and t.volume == serial and t.key != key for t in world.tasks):
        raise ActionError(409, "ResourceInUse", f"Other work on the blocks of {volume.name} runs.")
    task = start_task(world, host.name, "ReturnBlocks", key, float(dead_bytes(world, volume, now)), now)
    task.volume, task.pool, task.limit = serial, volume.pool, limit
    return task


def reduce(world: World, array: str, serial: str, body: Resource, now: float) -> Task:
    """Begin to have a volume's data reduced in other ways than now; asked for again it goes on where it was left."""
    volume = _behind(world, serial)
    if volume is None:
        raise ActionError(404, "ResourceMissingAtURI", "There is no such volume.")
    wanted = {
        COMPRESSION: bool(body.get("Compressed", volume.compressed)),
        DEDUPLICATION: bool(body.get("Deduplicated", volume.deduplicated)),
    }
    ways, key = [way for way, on in wanted.items() if on], str(body.get("Key", ""))
    pool = pool_beneath(world, volume)
    if (wanted[COMPRESSION] and not pool.compresses) or (wanted[DEDUPLICATION] and not pool.deduplicates):
        raise ActionError(400, "PropertyValueIncorrect", f"{pool.name} cannot reduce data in the way asked for.")
    if not can_be_reduced(world, volume):
        raise ActionError(409, "ResourceInUse", f"{volume.name} is not thin: it has its blocks for good.")
    if any(t.running and t.volume == serial and t.key != key for t in world.tasks):
        raise ActionError(409, "ResourceInUse", f"Other work on the blocks of {volume.name} runs.")
    _turn(world, volume, ways, now)
    left = whole_bytes(world, volume, now) * (1 - volume.reduced_share)
    task = start_task(world, array, "Reduce", key, left, now)
    task.volume, task.pool, task.limit = serial, pool.name, float(body.get("BytesPerSecond", 0))
    return task


def _behind(world: World, serial: str) -> Volume | Disk | None:
    """What has this serial: a volume, or a disk with one of its own in a set."""
    return world.volume_by_serial(serial) or disk_behind(world, serial)


def _turn(world: World, volume: Volume | Disk, ways: list[str], now: float) -> None:
    """Have a volume be on its way to other ways, if its pool has the room for it."""
    if ways == volume.ways:
        return
    if volume.reduced_share < 1 and ways != volume.reduced_from:
        raise ActionError(409, "ResourceInUse", f"{volume.name} is on its way from other ways of reducing its data.")
    before = volume.ways, volume.reduced_from, volume.reduced_share
    saved = reduced_bytes(world, volume, now)
    pool = pool_beneath(world, volume)
    free = pool_free_bytes(world, pool, now)
    _set(volume, ways, volume.ways, 1.0)
    grown = saved - reduced_bytes(world, volume, now)
    # On its way back it has done already what it had not done on its way there.
    volume.reduced_share = 1 - before[2]
    if grown > free:
        _set(volume, *before)
        raise ActionError(409, "InsufficientStorage", f"{pool.name} has no room for {grown} more bytes.")


def _set(volume: Volume | Disk, ways: list[str], before: list[str], share: float) -> None:
    volume.compressed, volume.deduplicated = COMPRESSION in ways, DEDUPLICATION in ways
    volume.reduced_from, volume.reduced_share = before, share


def advance(world: World, task: Task, seconds: float, now: float) -> None:
    """Let time pass for work on blocks: each moment's part of it is true at once."""
    volume = _behind(world, task.volume)
    if volume is None:
        task.state, task.ended, task.message = "Exception", now, "The volume is gone."
        return
    most = WORK_BYTES_PER_SECOND[task.kind]
    task.rate = (min(task.limit, most) if task.limit else most) * world.pace
    part = min(task.total - task.done, task.rate * seconds)
    if task.kind == "ReturnBlocks" and isinstance(volume, Volume):
        # Blocks are whole: what is left of the last one goes with it.
        volume.held_bytes = logical_bytes(world, volume, now) - min(math.ceil(part), dead_bytes(world, volume, now))
        # What was used anew meanwhile is dead no more.
        task.done = task.total if dead_bytes(world, volume, now) < 1 else task.done + part
        return
    task.done += part
    left = (task.total - task.done) / max(1.0, whole_bytes(world, volume, now))
    if task.done >= task.total:
        volume.reduced_from, volume.reduced_share = [], 1.0
    else:
        volume.reduced_share = max(volume.reduced_share, 1 - left)


def sampled(world: World, serial: str, body: Resource, now: float) -> Resource:
    """One block in so many of a range of a volume's bytes: those with small fingerprints, the same on all volumes."""
    one_in, offset, length = (int(body[name]) for name in ("OneIn", "Offset", "Length"))
    if one_in < ONE_IN_LEAST or offset < 0 or not 0 < length <= SAMPLED_BYTES_MAX:
        text = f"One block in {ONE_IN_LEAST} or fewer is sampled, of {SAMPLED_BYTES_MAX} bytes at most."
        raise ActionError(400, "PropertyValueOutOfRange", text)
    volume = _behind(world, serial)
    if volume is None or (isinstance(volume, Volume) and volume.kind == "set"):
        raise ActionError(409, "ResourceInUse", "Only volumes that hold data of their own are sampled.")
    found = sample(contents_of(world, volume, now), offset, length, one_in)
    return {
        "BlockBytes": BLOCK_BYTES,
        "SectorBytes": SECTOR_BYTES,
        "Blocks": found.blocks,
        "ZeroBlocks": found.zero_blocks,
        "Fingerprints": base64.b64encode(found.fingerprints.astype("<u8").tobytes()).decode(),
        "Sectors": base64.b64encode(found.sectors.tobytes()).decode(),
    }
