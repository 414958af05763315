"""The many machines alike of Kestrel Bay, and the datastores that hold them: desktops, kiosks, cameras and archives."""

from __future__ import annotations

import zlib

from movelot_standins.actions import serial_of
from movelot_standins.file_actions import export_identity
from movelot_standins.model import GIB, TIB, Datastore, Export, Host, Snapshot, Volume, World
from movelot_standins.sites import BASALT_STORES, GATES, Disks, add_machines, add_stores
from movelot_standins.space import snapshot_bytes

# name, pool, TiB, controller
STORES = (
    ("berth-g", "granite-mixed", 2, "A"),
    ("slate-04", "basalt-bulk", 9, "B"),
    # Planted: with it basalt-deep is promised beyond its size.
    ("slate-05", "basalt-deep", 12, "A"),
)

FileSystem = tuple[str, str, int, str, int]
# name, pool, TiB, controller, bytes besides disks
DESKTOP_EXPORT = ("sand-03", "shale-home", 6, "A", 0)

Shape = tuple[tuple[int, str, float, float, float], ...]
# GiB, shape of load, read IOPS, write IOPS, KiB per I/O of each disk
DESK: Shape = ((44, "office", 9, 5, 8), (20, "office", 3, 2, 8))
KIOSK: Shape = ((16, "friday", 2, 1, 8), (8, "friday", 1, 1, 8))
CRANE: Shape = ((240, "trucks", 40, 30, 8), (60, "steady", 8, 10, 8))
BUILD: Shape = ((40, "office", 6, 4, 8), (160, "office", 20, 24, 32), (80, "office", 8, 10, 32))
CAMERA: Shape = (
    (30, "steady", 2, 2, 8),
    (280, "steady", 1, 15, 64),
    (280, "steady", 1, 15, 64),
    (260, "steady", 1, 14, 64),
)
ARCHIVE: Shape = (
    (30, "steady", 2, 2, 8),
    (180, "steady", 1, 2, 64),
    (170, "steady", 1, 2, 64),
    (160, "steady", 1, 2, 64),
    (140, "steady", 1, 2, 64),
)

# Planted: machines that have been off for so many days.
OFF_DAYS = {"archive-18": 211, "archive-19": 204, "archive-20": 200}

# name, first and last number, digits, os, datastore, disks; on the hosts of quayside
FAMILIES = (
    ("crane-telem", 3, 4, 2, "Linux 6.1", "berth-g", CRANE),
    ("build", 2, 4, 2, "Linux 6.1", "berth-g", BUILD),
    ("cctv", 5, 12, 2, "Linux 5.10", "slate-04", CAMERA),
    ("archive", 8, 20, 2, "Linux 5.10", "slate-05", ARCHIVE),
    ("desk", 7, 12, 3, "Linux 6.1", "sand-02", DESK),
    ("desk", 13, 80, 3, "Linux 6.1", "sand-03", DESK),
    ("yard-kiosk", 1, 27, 2, "Linux 5.10", "sand-02", KIOSK),
)
GATE_FAMILIES = (("yard-kiosk", 28, 47, 2, "Linux 5.10", "berth-k", KIOSK),)

# Processors and GiB of memory of those that have more than the usual.
SIZES = {
    "berth-plan-db": (16, 96),
    "customs-docs": (8, 32),
    "tide-model": (24, 128),
    "ferry-tickets": (8, 32),
    "payroll": (4, 16),
    "vts-radar-01": (8, 24),
    "vts-radar-02": (8, 24),
}
# The image that machines of a family were made from, most of which their first disk still holds.
IMAGES = {"desk": "office desktop", "yard": "kiosk", "build": "server", "crane": "server", "archive": "server"}
IMAGE_BYTES = 24 * GIB
KEPT_LEAST = 0.8

CHAIN_DAYS = (412, 260, 181, 96, 33)

Family = tuple[str, int, int, int, str, str, Shape]


def add_fleet(world: World) -> None:
    """Add them to a world that has everything else."""
    hosts = [host for host in world.hosts if host.cluster == "quayside"]
    names = [host.iqn for host in hosts]
    add_stores(world, STORES, 51 + len(BASALT_STORES), names, hosts)
    add_export(world, 34, DESKTOP_EXPORT, hosts)
    # Planted: an export with a quota of its own, which has to grow with its file system.
    world.exports[-1].quota_bytes = DESKTOP_EXPORT[2] * TIB
    add_machines(world, _members(FAMILIES), [host.name for host in hosts], "10.40.23")
    add_machines(world, _members(GATE_FAMILIES), GATES, "10.40.24")
    _plant(world)


def _plant(world: World) -> None:
    """Machines of other sizes, a guest that does not shut down, an old chain of snapshots, a disk that is mostly empty.

    What the snapshots hold is part of what berth-a held besides disks before.
    """
    by_name = {machine.name: machine for machine in world.machines}
    for name, (processors, memory_gib) in SIZES.items():
        by_name[name].processors, by_name[name].memory_bytes = processors, memory_gib * GIB
    by_name["weighbridge"].deaf = True
    watch = by_name["reefer-watch"]
    for number, days in enumerate(CHAIN_DAYS, start=1):
        held = {disk.id: 6 * GIB for disk in watch.disks}
        name = f"before-firmware-{number}"
        watch.snapshots.append(Snapshot(name, world.started - days * 86400, held, watch.standing))
        watch.standing = name
    home = next(store for store in world.datastores if store.name == "berth-a")
    home.other_bytes -= snapshot_bytes(world, home)
    by_name["archive-12"].disks[1].written_share = 0.09
    for name, days in OFF_DAYS.items():
        machine = by_name[name]
        machine.power, machine.off_since = "Off", world.started - days * 86400
    # Planted: two of these left there what they had of their memory when their host went down.
    for name in tuple(OFF_DAYS)[:2]:
        machine = by_name[name]
        machine.swap_bytes = machine.memory_bytes
        there = next(store for store in world.datastores if store.id == machine.home)
        there.other_bytes = max(0, there.other_bytes - machine.swap_bytes)
    for machine in world.machines:
        family = machine.name.split("-")[0]
        if family in IMAGES:
            disk = machine.disks[0]
            # Of its image a machine keeps what it has not overwritten since: some more, some less.
            kept = KEPT_LEAST + (1 - KEPT_LEAST) * (zlib.crc32(machine.name.encode()) % 100) / 100
            disk.content = [(f"image {IMAGES[family]}", int(min(disk.written_bytes * 0.9, IMAGE_BYTES) * kept))]


def _members(families: tuple[Family, ...]) -> tuple[tuple[str, str, Disks], ...]:
    return tuple(
        (f"{name}-{number:0{digits}}", os, tuple((store, *disk) for disk in disks))
        for name, first, last, digits, os, store, disks in families
        for number in range(first, last + 1)
    )


def add_export(world: World, number: int, made: FileSystem, hosts: list[Host]) -> None:
    """A file system of shale with one export, a datastore on each of ``hosts``."""
    name, pool, tib, controller, other = made
    serial, path = serial_of(number, "file"), f"/exports/{name}"
    world.volumes.append(Volume(str(number), name, serial, pool, tib * TIB, controller))
    clients = [["10.40.10.0/24", "ReadWrite"]]
    world.exports.append(Export(str(number), str(number), name, path, ["NFSv3", "NFSv4_1"], clients))
    if hosts:
        server = f"shale-{controller.lower()}.kestrelbay.example"
        store = Datastore(export_identity(server, path), name, serial, tib * TIB, other, 0, server=server, path=path)
        world.datastores.append(store)
        for host in hosts:
            host.mounted.append(store.id)
            host.file_versions[store.id] = "NFSv4_1"
