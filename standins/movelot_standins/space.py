"""Which room is taken where: files of datastores, blocks that volumes hold in their pools, and what reduction saves.

A block array is not told what hosts delete: a volume holds every block that was ever written, until the host gives
blocks back. New files go into blocks that are held already first, so it holds what it held at most.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from movelot_standins.block_contents import ZEROS, Item, kept_bytes, parts_of
from movelot_standins.loads import grown_since
from movelot_standins.model import COMPRESSION, DEDUPLICATION, Datastore, Disk, Pool, Reduced, Volume, World
from movelot_standins.set_members import disks_in, is_set, members

RAW_SHARE = 0.4


def used_bytes(world: World, store: Datastore, now: float) -> int:
    """All bytes in use on ``store``: disks, copies that are arriving, and what grows beside them, by whole days."""
    disks = sum(disk.taken_bytes for disk in world.disks() if disk.datastore == store.id)
    arriving = sum(int(t.total) for t in world.tasks if t.running and t.kind == "MoveDisk" and t.target == store.id)
    return disks + arriving + other_bytes(world, store, now)


def free_bytes(world: World, store: Datastore, now: float) -> int:
    """Free on a datastore: what its own volume leaves, or on a volume set what all volumes leave of the pool."""
    if is_set(world, store):
        pool = world.pool_of(store.id)
        arriving = sum(int(t.total) for t in world.tasks if t.running and t.kind == "MoveDisk" and t.target == store.id)
        return max(0, pool_free_bytes(world, pool, now) - arriving)
    # One on an export is full when its file system is, whatever else that holds.
    used = sum(used_bytes(world, s, now) for s in world.datastores if s.serial == store.serial)
    return max(0, store.capacity_bytes - used)


def pool_free_bytes(world: World, pool: Pool, now: float) -> int:
    """What all volumes of a pool leave of it; below zero where it is promised beyond its size and full."""
    there = [volume for volume in world.volumes if volume.pool == pool.name]
    return pool.capacity_bytes - sum(allocated_bytes(world, volume, now) for volume in there)


def pool_used_on(world: World, pool: Pool, day: int, now: float) -> int:
    """What a pool had allocated at the start of ``day``: as now, less what its datastores have grown by since."""
    serials = {volume.serial for volume in world.volumes if volume.pool == pool.name and volume.kind != "set"}
    there, today = [store for store in world.datastores if store.serial in serials], int(now // 86400)
    grown = sum(grown_since(store, day, today, world.seed) for store in there)
    return pool.capacity_bytes - pool_free_bytes(world, pool, now) - grown


def other_bytes(world: World, store: Datastore, now: float) -> int:
    """Bytes that no disk of a machine holds, such as its snapshots; grows a little every day."""
    if is_set(world, store):
        disks = sum(disk.taken_bytes for disk in world.disks() if disk.datastore == store.id)
        return max(0, store.capacity_bytes - free_bytes(world, store, now) - disks)
    return _file_bytes(world, store, now) + snapshot_bytes(world, store)


def _file_bytes(world: World, store: Datastore, now: float) -> int:
    grown = int((now - world.started) // 86400) * store.growth_bytes
    images = sum(image.written_bytes for image in world.images if image.datastore == store.id)
    loose = sum(disk.size_bytes for disk in world.loose if disk.datastore == store.id)
    swap = sum(machine.swap_bytes for machine in world.machines if machine.home == store.id)
    return store.other_bytes + grown + images + loose + swap


def snapshot_bytes(world: World, store: Datastore) -> int:
    """Bytes that snapshots hold of disks on a datastore."""
    return _snapshots(world).get(store.id, 0)


def _snapshots(world: World) -> dict[str, int]:
    """Bytes that snapshots hold, by the datastore that has them."""
    found: dict[str, int] = defaultdict(int)
    for machine in world.machines:
        for snapshot in machine.snapshots:
            for disk in machine.disks:
                found[snapshot.place_of(disk)] += snapshot.held.get(disk.id, 0)
    return found


def allocated_bytes(world: World, volume: Volume, now: float) -> int:
    """Bytes a volume holds in its pool: what was written for thin ones, all for thick ones, its volumes' for a set."""
    if volume.kind == "set":
        held = sum(member.allocated_bytes for member in members(world, volume))
        return held - sum(reduced_bytes(world, disk, now) for disk in disks_in(world, volume))
    if not volume.thin:
        return volume.size_bytes
    if is_raw(world, volume.serial):
        # What a guest has written of it, seen from outside.
        return int(volume.size_bytes * RAW_SHARE)
    return logical_bytes(world, volume, now) - reduced_bytes(world, volume, now)


def logical_bytes(world: World, volume: Volume, now: float) -> int:
    """The blocks that a volume holds, before any of them is reduced."""
    return max(volume.held_bytes if _keeps_dead(world, volume) else 0, _written_bytes(world, volume, now))


def dead_bytes(world: World, volume: Volume, now: float) -> int:
    """Blocks that a volume holds though nothing above uses them: the host can give these back."""
    return logical_bytes(world, volume, now) - _written_bytes(world, volume, now)


def _keeps_dead(world: World, volume: Volume) -> bool:
    """File arrays delete files themselves, and sets their volumes; thick volumes have their blocks for good."""
    return volume.thin and volume.kind == "volume" and world.kind_of(world.array_of(volume)) != "file"


def remember(world: World, now: float) -> None:
    """Before anything changes: have each volume go on holding what it holds, whatever is deleted or moved now."""
    written = _written_by_serial(world, now)
    for volume in world.volumes:
        if _keeps_dead(world, volume):
            volume.held_bytes = max(volume.held_bytes, min(volume.size_bytes, written.get(volume.serial, 0)))


def _written_bytes(world: World, volume: Volume, now: float) -> int:
    return min(volume.size_bytes, _written_by_serial(world, now, volume.serial).get(volume.serial, 0))


def _written_by_serial(world: World, now: float, only: str = "") -> dict[str, int]:
    """Bytes that files take, by the serial of the volume below; of copies that run, what has arrived."""
    stores = {store.id: store for store in world.datastores if only in ("", store.serial)}
    found: dict[str, int] = defaultdict(int)
    for store in stores.values():
        found[store.serial] += _file_bytes(world, store, now)
    for place, size in _snapshots(world).items():
        if place in stores:
            found[stores[place].serial] += size
    for disk in world.disks():
        if disk.datastore in stores:
            found[stores[disk.datastore].serial] += disk.taken_bytes
    for task in world.tasks:
        if task.running and task.kind == "MoveDisk" and task.target in stores:
            found[stores[task.target].serial] += int(task.done)
    return found


def items_of(world: World, volume: Volume, now: float) -> list[Item]:
    """What the blocks of a volume hold, one after the other, before any of them is reduced."""
    found = list(_items(world, volume, now))
    left = logical_bytes(world, volume, now) - sum(item.size for item in found)
    return [*found, Item(f"dead {volume.serial}", max(0, left))]


def _items(world: World, volume: Volume, now: float) -> Iterator[Item]:
    stores = [store for store in world.datastores if store.serial == volume.serial]
    places = {store.id for store in stores}
    for machine in world.machines:
        for disk in machine.disks:
            if disk.datastore in places:
                yield from parts_of(disk)
            for snapshot in machine.snapshots:
                if snapshot.place_of(disk) in places:
                    yield Item(f"snapshot {disk.id} {snapshot.name}", snapshot.held.get(disk.id, 0))
    for store in stores:
        yield Item(f"files {store.id}", _file_bytes(world, store, now))


def can_be_reduced(world: World, thing: Reduced) -> bool:
    """Whether it has blocks of its own that are not kept for good: a thin volume, or a disk in a volume set."""
    if isinstance(thing, Disk):
        store = world.datastore(thing.datastore)
        return store is not None and is_set(world, store)
    return isinstance(thing, Volume) and thing.kind != "set" and thing.thin and not is_raw(world, thing.serial)


def reduced_bytes(world: World, thing: Volume | Disk, now: float) -> int:
    """Bytes that compression and deduplication keep a volume, or a disk's own one, from holding.

    What is there twice in the pool is kept once, and counts for each volume that has it in equal parts.
    """
    before, after, share = thing.reduced_from, thing.ways, thing.reduced_share
    linked = isinstance(thing, Disk) and thing.family
    if not (before or after or linked) or not can_be_reduced(world, thing):
        return 0
    saved = _saved_bytes(world, thing, after, now) * share
    return int(saved + (_saved_bytes(world, thing, before, now) * (1 - share) if share < 1 else 0.0))


def _saved_bytes(world: World, thing: Volume | Disk, ways: list[str], now: float) -> int:
    """What reducing all of it in these ways saves, with what it shares with those that it was linked to."""
    family = _family(world, thing)
    peers = [*_deduplicated_with(world, thing)] if DEDUPLICATION in ways else []
    others = {id(peer): peer for peer in (*peers, *family) if peer is not thing}.values()
    if not ways and not others:
        return 0
    own = contents_of(world, thing, now)
    shared = DEDUPLICATION in ways or bool(family)
    kept = kept_bytes(own, [contents_of(world, peer, now) for peer in others], COMPRESSION in ways, shared)
    # Without any of the ways blocks of zeros are kept like others.
    kept += 0 if ways else sum(item.size for item in own if item.stream == ZEROS)
    return whole_bytes(world, thing, now) - kept


def _family(world: World, thing: Volume | Disk) -> list[Disk]:
    """The disks that it was linked to, or that were linked to it, itself included."""
    if not isinstance(thing, Disk) or not thing.family:
        return []
    return [disk for disk in world.disks() if disk.family == thing.family and can_be_reduced(world, disk)]


def pool_beneath(world: World, thing: Volume | Disk) -> Pool:
    """The pool that holds its blocks."""
    return world.pool_of(thing.datastore) if isinstance(thing, Disk) else world.pool(thing.pool)


def contents_of(world: World, thing: Volume | Disk, now: float) -> list[Item]:
    """What its blocks hold, before any of them is reduced."""
    return list(parts_of(thing)) if isinstance(thing, Disk) else items_of(world, thing, now)


def whole_bytes(world: World, thing: Volume | Disk, now: float) -> int:
    """Its blocks, before any of them is reduced."""
    return thing.taken_bytes if isinstance(thing, Disk) else logical_bytes(world, thing, now)


def _deduplicated_with(world: World, thing: Volume | Disk) -> Iterator[Volume | Disk]:
    """All in the same pool that is deduplicated."""
    pool = pool_beneath(world, thing)
    for volume in world.volumes:
        if volume.pool == pool.name:
            if volume.deduplicated:
                yield volume
            if volume.kind == "set":
                yield from (disk for disk in disks_in(world, volume) if disk.deduplicated)


def provisioned_bytes(world: World, volume: Volume) -> int:
    """Bytes that were promised of a pool: the volume's size, or those of all volumes in a set."""
    if volume.kind == "set":
        return sum(member.size_bytes for member in members(world, volume))
    return volume.size_bytes


def is_raw(world: World, serial: str) -> bool:
    """Whether any machine has the volume as it is."""
    return any(raw.serial == serial for machine in world.machines for raw in machine.raw)
