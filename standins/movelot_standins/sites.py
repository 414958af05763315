"""What Kestrel Bay has beside quayside: gatehouse on granite over Fibre Channel, array basalt, and lightvessel."""

from __future__ import annotations

import zlib

from movelot_standins.fibre_channel import FRAME_BYTES, PROTOCOL, wwpn_of
from movelot_standins.model import (
    GIB,
    IQN_PREFIX,
    TIB,
    Connection,
    Datastore,
    Disk,
    Host,
    Interface,
    LooseDisk,
    Machine,
    Pool,
    Portal,
    Volume,
    World,
    Zone,
)
from movelot_standins.space import logical_bytes

FABRICS = ("fabric-1", "fabric-2")
GATES = ("gate-01", "gate-02", "gate-03", "gate-04")
LIGHTS = ("light-01", "light-02", "light-03")

Disks = tuple[tuple[str, int, str, float, float, float], ...]
# name, os, and per disk: datastore, GiB, shape, read IOPS, write IOPS, KiB per I/O
GATE_MACHINES: tuple[tuple[str, str, Disks], ...] = (
    ("gate-ocr-05", "Linux 6.1", (("berth-j", 420, "trucks", 60, 30, 16),)),
    ("gate-ocr-06", "Linux 6.1", (("berth-j", 420, "trucks", 55, 30, 16),)),
    ("ferry-web-03", "Linux 6.1", (("berth-k", 150, "friday", 30, 10, 8),)),
    ("ferry-web-04", "Linux 6.1", (("berth-k", 150, "friday", 30, 10, 8),)),
    ("desk-005", "Linux 6.1", (("berth-k", 120, "office", 12, 8, 8),)),
    ("desk-006", "Linux 6.1", (("berth-k", 120, "office", 10, 8, 8),)),
)
BASALT_MACHINES: tuple[tuple[str, str, Disks], ...] = (
    ("archive-05", "Linux 5.10", (("slate-01", 1900, "steady", 10, 14, 64),)),
    ("archive-06", "Linux 5.10", (("slate-01", 1700, "steady", 8, 12, 64),)),
    ("cctv-03", "Linux 5.10", (("slate-02", 1600, "steady", 6, 60, 64),)),
    ("cctv-04", "Linux 5.10", (("slate-02", 1500, "steady", 6, 55, 64),)),
    ("archive-07", "Linux 5.10", (("slate-03", 900, "steady", 6, 10, 64),)),
)
# name, pool, TiB, controller
GATE_STORES = (("berth-j", "granite-mixed", 3, "A"), ("berth-k", "granite-mixed", 2, "B"))
BASALT_STORES = (
    ("slate-01", "basalt-deep", 6, "A"),
    ("slate-02", "basalt-deep", 8, "B"),
    ("slate-03", "basalt-bulk", 4, "A"),
)


# What comes in a day beside disks.
GROWTH_BYTES = {"slate-01": 6 * GIB, "slate-02": 18 * GIB, "berth-j": 4 * GIB}
# Planted: grown on the array by so much, and nowhere above it.
GROWN_ALONE = {"slate-03": TIB}
# Planted: blocks that it still holds of disks that were moved away long ago.
DEAD_BYTES = {"slate-02": 3 * TIB}


# Planted: disks that no machine has: datastore, name, GiB, days since the last write, the machine that it was of.
LOOSE = (
    ("berth-b", "tug-roster-old disk 1", 90, 388, "tug-roster-old"),
    ("berth-c", "customs-test disk 1", 120, 241, "customs-test"),
    ("slate-01", "archive-99 disk 2", 30, 611, "archive-99"),
    ("slate-04", "cctv-13 disk 2", 220, 154, "cctv-13"),
    ("slate-04", "cctv-13 disk 3", 180, 154, "cctv-13"),
    ("slate-05", "disk-copy-0417", 140, 229, ""),
    ("berth-g", "build-05 disk 1", 60, 73, "build-05"),
)


def add_loose_disks(world: World) -> None:
    """On those of their datastores that there are, as a part of what these held beside disks, as far as it goes."""
    stores = {store.name: store for store in world.datastores}
    for number, (name, disk, gib, days, machine) in enumerate(LOOSE, start=1):
        store = stores.get(name)
        if store is not None:
            store.other_bytes = max(0, store.other_bytes - gib * GIB)
            written, size = (world.started // 86400 - days) * 86400, gib * GIB
            world.loose.append(LooseDisk(f"loose-{number}", disk, store.id, size, size // 2, written, machine))


def iqn(name: str) -> str:
    return f"{IQN_PREFIX}{name}"


def add_sites(world: World) -> None:
    """Add them to a world that has quayside on granite."""
    _add_gatehouse(world)
    _add_basalt(world)
    world.hosts += [Host(name, "", [], cluster="lightvessel") for name in LIGHTS]


def _add_gatehouse(world: World) -> None:
    """Four hosts with a port in each fabric. Planted: a zone of gate-03 without one of the array's two ports."""
    portals = [_fc_portal(controller, n) for controller in "AB" for n in (1, 2)]
    world.portals += portals
    hosts = [_gate(n) for n in range(1, len(GATES) + 1)]
    world.hosts += hosts
    for host in hosts:
        for port, fabric in zip(host.interfaces, FABRICS, strict=False):
            ends = [portal for portal in portals if portal.address.endswith(fabric)]
            if (host.name, fabric) == ("gate-03", FABRICS[1]):
                ends.pop()
            members = [[f"{host.name}-{port.name}", wwpn_of(port.address)]]
            members += [[f"granite-{end.name.lower()}", wwpn_of(end.address)] for end in ends]
            world.zones.append(Zone(fabric, f"{host.name}-{port.name}", members))
    wwpns = [wwpn_of(port.address) for host in hosts for port in host.interfaces if port.protocol == PROTOCOL]
    # gate-04 is let in over iSCSI too, which stands by.
    names = [*wwpns, iqn("gate-04")]
    world.initiators["granite"] += names
    add_stores(world, GATE_STORES, 41, names, hosts)
    add_machines(world, GATE_MACHINES, GATES, "10.40.21")


def _gate(number: int) -> Host:
    name = GATES[number - 1]
    ports = []
    for n, (leg, fabric) in enumerate(zip("ab", FABRICS, strict=True), start=1):
        port = Interface(f"fc-{leg}", f"21:00:02:4b:42:00:{number:02x}:0{n}@{fabric}", 0, "", [])
        port.protocol, port.mtu = PROTOCOL, FRAME_BYTES
        ports.append(port)
    cabling = {"fc-a": "fc-switch-1", "fc-b": "fc-switch-2"}
    host = Host(name, "", ports, cabling=cabling, cluster="gatehouse")
    if name == GATES[-1]:
        host.iqn = iqn(name)
        host.interfaces.append(
            Interface("storage-a", f"10.40.8.{120 + number}/24", 408, f"02:4b:42:02:08:{number:02x}", ["uplink-1"])
        )
        host.cabling["uplink-1"] = "switch-1"
    return host


def _fc_portal(controller: str, number: int) -> Portal:
    fabric = FABRICS[number - 1]
    address = f"50:24:b4:20:00:00:0{'AB'.index(controller) + 1}:0{number}@{fabric}"
    portal = Portal(f"{controller}F{number}", controller, address, 0, switch=f"fc-switch-{number}")
    portal.protocol, portal.mtu = PROTOCOL, FRAME_BYTES
    return portal


def _add_basalt(world: World) -> None:
    """Array basalt, large and slow, over iSCSI in the subnets of granite."""
    basalt = world.slow_array
    world.pools += [
        Pool("basalt-deep", 24 * TIB, 24, 3.1, 0.6, 0.4, 2.2, "RAID6", "HDD", basalt, waits="knee"),
        Pool("basalt-bulk", 40 * TIB, 30, 3.6, 0.7, 0.35, 2.4, "RAID6", "HDD", basalt, waits="knee"),
    ]
    for pool in world.pools[-2:]:
        pool.spares, pool.page_bytes = 2, 128 * 1024**2
    world.pools[-2].addable = 6
    world.pools[-1].tiers = [["SSD", 4 * TIB], ["HDD", 36 * TIB]]
    world.pools[-1].relocation = "22:00-04:00"
    for controller in "AB":
        for n in (1, 2):
            address = f"10.40.{7 + n}.{31 + (controller == 'B')}/24"
            world.portals.append(
                Portal(f"{controller}{n}", controller, address, 407 + n, switch=f"switch-{n}", array=basalt)
            )
    hosts = [host for host in world.hosts if host.cluster == "quayside"]
    names = [host.iqn for host in hosts]
    world.initiators[basalt] = [*names]
    add_stores(world, BASALT_STORES, 51, names, hosts)
    for volume in world.volumes:
        volume.size_bytes += GROWN_ALONE.get(volume.name, 0)
    add_machines(world, BASALT_MACHINES, [host.name for host in hosts], "10.40.22")
    for volume in world.volumes:
        if volume.name in DEAD_BYTES:
            volume.held_bytes = logical_bytes(world, volume, world.started) + DEAD_BYTES[volume.name]


def add_stores(
    world: World, stores: tuple[tuple[str, str, int, str], ...], first: int, names: list[str], hosts: list[Host]
) -> None:
    """Volumes, each a datastore that all of the hosts mount."""
    for number, (name, pool, tib, controller) in enumerate(stores, start=first):
        serial, identity = f"6002600000004b42{number:016x}", f"ds-{number:04x}-kestrel"
        world.volumes.append(
            Volume(str(number), name, serial, pool, tib * TIB, controller, True, "", "datastore", identity)
        )
        world.connections.append(Connection(str(number), str(number), [*names], number))
        world.datastores.append(Datastore(identity, name, serial, tib * TIB, 40 * GIB, GROWTH_BYTES.get(name, 0)))
        for host in hosts:
            host.mounted.append(identity)
            host.path_policy[serial] = "RoundRobin"


def add_machines(
    world: World, machines: tuple[tuple[str, str, Disks], ...], hosts: list[str] | tuple[str, ...], network: str
) -> None:
    """Machines spread over the hosts in turn, disks on the datastores named; addresses in ``network`` from .11 on."""
    ids = {store.name: store.id for store in world.datastores}
    for number, (name, os, disks) in enumerate(machines):
        held = [
            Disk(f"{name}-{n}", f"{name} disk {n}", gib * GIB, [(0.0, ids[store])], shape, read, write, kib)
            for n, (store, gib, shape, read, write, kib) in enumerate(disks, start=1)
        ]
        for disk in held:
            disk.written_share = 0.3 + 0.06 * (zlib.crc32(disk.id.encode()) % 10)
        world.machines.append(Machine(name, hosts[number % len(hosts)], os, f"{network}.{11 + number}", held))
