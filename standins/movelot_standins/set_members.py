"""The volumes that live in a volume set: they follow from the machines on it, and come and go with them."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from dataclasses import dataclass

from movelot_standins.model import Datastore, Disk, Machine, Volume, World


@dataclass(frozen=True)
class Member:
    """A volume of a set; ``purpose`` is Disk, Snapshot or Swap."""

    id: str
    name: str
    serial: str
    size_bytes: int
    allocated_bytes: int
    purpose: str
    machine: str
    disk: str


def is_set(world: World, store: Datastore) -> bool:
    """Whether a datastore lies on a volume set."""
    volume = world.volume_by_serial(store.serial)
    return volume is not None and volume.kind == "set"


def members(world: World, volume: Volume) -> list[Member]:
    """All volumes of a set now."""
    stores = {store.id for store in world.datastores if store.serial == volume.serial}
    return [
        member
        for machine in world.machines
        for member in _of_machine(machine, [disk for disk in machine.disks if disk.datastore in stores])
    ]


def disks_in(world: World, volume: Volume) -> list[Disk]:
    """The disks that have volumes of their own in a set."""
    stores = {store.id for store in world.datastores if store.serial == volume.serial}
    return [disk for disk in world.disks() if disk.datastore in stores]


def disk_behind(world: World, serial: str) -> Disk | None:
    """The disk whose own volume in a set has this serial."""
    for volume in world.volumes:
        if volume.kind == "set":
            for member in members(world, volume):
                if member.serial == serial:
                    return world.disk(member.disk) if member.purpose == "Disk" else None
    return None


def _of_machine(machine: Machine, disks: list[Disk]) -> Iterator[Member]:
    for disk in disks:
        yield _member("Disk", machine, disk.name, disk.size_bytes, disk.taken_bytes, disk.id)
        for snapshot in machine.snapshots:
            if disk.id in snapshot.held and snapshot.place_of(disk) == disk.datastore:
                name, held = f"{disk.name} {snapshot.name}", snapshot.held[disk.id]
                yield _member("Snapshot", machine, name, disk.size_bytes, held, disk.id)
    if machine.power == "On" and machine.disks and machine.disks[0] in disks:
        # The swap lies where the machine's first disk does, and is thick.
        yield _member("Swap", machine, f"{machine.name} swap", machine.memory_bytes, machine.memory_bytes, "")


def _member(purpose: str, machine: Machine, name: str, size: int, allocated: int, disk: str) -> Member:
    identity = uuid.uuid5(uuid.NAMESPACE_OID, f"{purpose}:{machine.name}:{name}").hex
    return Member(identity[:16], name, identity, size, allocated, purpose, machine.name, disk)
