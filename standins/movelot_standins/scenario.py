"""Kestrel Bay Port: quayside on granite, shale and chalk with its planted troubles; ``sites``, ``fleet`` add the rest.

The size ``demo`` is the whole port. ``small`` is half of quayside, without the many machines alike: the same troubles,
small enough for worked examples. ``wide`` is that with the yard: 400 hosts.
"""

from __future__ import annotations

from movelot_standins.fleet import add_export, add_fleet
from movelot_standins.iscsi_actions import log_in_everywhere
from movelot_standins.model import (
    GIB,
    TIB,
    Connection,
    Datastore,
    Host,
    Interface,
    Pool,
    Portal,
    Volume,
    World,
)
from movelot_standins.nvme_actions import PREFIX as NQN_PREFIX
from movelot_standins.sites import add_loose_disks, add_machines, add_sites, iqn
from movelot_standins.yard import add_yard

SEED = 58
HOSTS = {"demo": 6, "small": 3, "wide": 3}

# name, os, datastore and per disk: GiB, shape, read IOPS, write IOPS, KiB per I/O
MACHINES: tuple[tuple[str, str, tuple[tuple[str, int, str, float, float, float], ...]], ...] = (
    (
        "berth-plan-db",
        "Linux 6.1",
        (
            ("berth-a", 760, "plan", 2900, 1150, 8),
            ("berth-a", 310, "plan", 150, 820, 16),
            ("berth-a", 80, "office", 60, 40, 8),
        ),
    ),
    ("manifest-api", "Linux 6.1", (("berth-a", 240, "office", 240, 120, 8),)),
    ("customs-docs", "Linux 5.10", (("berth-a", 900, "office", 420, 160, 16), ("berth-a", 120, "office", 70, 50, 8))),
    ("customs-queue", "Linux 5.10", (("berth-a", 160, "office", 120, 210, 8),)),
    ("gate-ocr-01", "Linux 6.1", (("berth-a", 420, "trucks", 560, 260, 16), ("berth-a", 60, "trucks", 30, 20, 8))),
    ("gate-ocr-02", "Linux 6.1", (("berth-b", 420, "trucks", 520, 240, 16), ("berth-b", 60, "trucks", 30, 20, 8))),
    ("gate-ocr-03", "Linux 6.1", (("berth-b", 420, "trucks", 540, 250, 16), ("berth-b", 60, "trucks", 30, 20, 8))),
    ("gate-ocr-04", "Linux 6.1", (("berth-c", 420, "trucks", 620, 320, 16), ("berth-c", 60, "trucks", 30, 20, 8))),
    ("weighbridge", "Linux 6.1", (("berth-b", 200, "trucks", 320, 190, 8),)),
    ("crane-telem-01", "Linux 6.1", (("berth-b", 640, "trucks", 980, 640, 8), ("berth-b", 90, "steady", 20, 30, 8))),
    ("crane-telem-02", "Linux 6.1", (("berth-b", 640, "trucks", 620, 420, 8), ("berth-b", 90, "steady", 20, 30, 8))),
    ("reefer-watch", "Linux 5.10", (("berth-a", 520, "steady", 130, 170, 8), ("berth-a", 110, "steady", 20, 20, 8))),
    ("vts-radar-01", "Linux 6.1", (("berth-a", 820, "steady", 260, 240, 32), ("berth-a", 140, "steady", 40, 30, 8))),
    ("vts-radar-02", "Linux 6.1", (("berth-c", 820, "steady", 90, 70, 32), ("berth-c", 140, "steady", 30, 20, 8))),
    ("tide-model", "Linux 6.1", (("berth-a", 680, "night", 420, 260, 32), ("berth-a", 100, "night", 30, 20, 8))),
    ("tug-roster", "Linux 5.10", (("berth-a", 130, "office", 40, 20, 8),)),
    ("payroll", "Linux 5.10", (("berth-a", 540, "office", 210, 120, 8), ("berth-a", 90, "office", 20, 20, 8))),
    ("ferry-tickets", "Linux 6.1", (("berth-b", 460, "friday", 380, 260, 8), ("berth-b", 110, "friday", 40, 30, 8))),
    ("ferry-web-01", "Linux 6.1", (("berth-b", 150, "friday", 120, 30, 8),)),
    ("ferry-web-02", "Linux 6.1", (("berth-d", 150, "friday", 120, 30, 8),)),
    ("cctv-01", "Linux 5.10", (("berth-c", 1180, "steady", 10, 160, 64), ("berth-d", 60, "steady", 10, 10, 8))),
    ("cctv-02", "Linux 5.10", (("berth-d", 1240, "steady", 10, 150, 64),)),
    ("mail-relay", "Linux 5.10", (("berth-c", 220, "office", 740, 520, 8),)),
    ("archive-01", "Linux 5.10", (("berth-d", 900, "steady", 30, 50, 64),)),
)

# As above, on the exports of shale.
FILE_MACHINES: tuple[tuple[str, str, tuple[tuple[str, int, str, float, float, float], ...]], ...] = (
    ("archive-02", "Linux 5.10", (("sand-01", 860, "steady", 8, 12, 64),)),
    ("archive-03", "Linux 5.10", (("sand-01", 740, "steady", 8, 10, 64),)),
    ("archive-04", "Linux 5.10", (("sand-01", 910, "steady", 6, 12, 64),)),
    ("desk-001", "Linux 6.1", (("sand-02", 120, "office", 35, 25, 8),)),
    ("desk-002", "Linux 6.1", (("sand-02", 120, "office", 40, 25, 8),)),
    ("desk-003", "Linux 6.1", (("sand-02", 120, "office", 30, 20, 8),)),
    ("desk-004", "Linux 6.1", (("sand-02", 120, "office", 45, 30, 8),)),
    ("build-01", "Linux 6.1", (("sand-02", 320, "office", 160, 240, 32),)),
)

# name, pool, TiB, controller, bytes besides disks; every host mounts all but the last, which nobody does.
EXPORTS = (
    ("sand-01", "shale-deep", 6, "A", 300 * GIB),
    ("sand-02", "shale-home", 3, "B", 60 * GIB),
    ("sand-04", "shale-deep", 2, "B", 0),
)

# What shale recommends to its clients, and planted: hosts that were set up at different times.
FILE_ADVICE = {"request_timeout_seconds": 45, "retries": 4, "keepalive_seconds": 9, "mounts_max": 48, "queue_depth": 96}
FILE_DIFFERS = {
    "quay-02": {"request_timeout_seconds": 10, "retries": 2},
    "quay-03": {"keepalive_seconds": 30, "mounts_max": 12},
}

# Planted: a retired host's initiator that berth-c still lets in, and an array clock nine minutes off.
RETIRED = "quay-09"
ARRAY_CLOCK_ERROR_SECONDS = 540.0

# name, pool, TiB, controller, bytes besides disks, their growth a day
DATASTORES = (
    ("berth-a", "granite-fast", 7, "A", 620 * GIB, 12 * GIB),
    ("berth-b", "granite-fast", 6, "B", 120 * GIB, GIB),
    ("berth-c", "granite-mixed", 6, "A", 200 * GIB, 2 * GIB),
    ("berth-d", "granite-mixed", 6, "B", 90 * GIB, GIB),
)


def _host(number: int) -> Host:
    last = 100 + number
    second = Interface("storage-b", f"10.40.9.{last}/24", 409, f"02:4b:42:00:09:{number:02x}", ["uplink-2"])
    if number == 3:
        # Planted: two uplinks on one interface, so the host cannot bind it and half of its paths are missing.
        second.standby = ["uplink-1"]
    cabling = {"uplink-1": "switch-1", "uplink-2": "switch-2"}
    first = Interface("storage-a", f"10.40.8.{last}/24", 408, f"02:4b:42:00:08:{number:02x}", ["uplink-1"])
    files = Interface("files", f"10.40.10.{last}/24", 410, f"02:4b:42:00:0a:{number:02x}", ["uplink-3"], ["uplink-4"])
    files.protocol = "NFS"
    cabling |= {"uplink-3": "switch-1", "uplink-4": "switch-2"}
    name = f"quay-{number:02}"
    client = FILE_ADVICE | FILE_DIFFERS.get(name, {})
    cabling |= {"uplink-5": "switch-1", "uplink-6": "switch-2"}
    nvme = [
        Interface(f"nvme-{side}", f"10.40.{net}.{last}/24", 400 + net, f"02:4b:42:00:{net:02x}:{number:02x}", [uplink])
        for side, net, uplink in (("a", 11, "uplink-5"), ("b", 12, "uplink-6"))
    ]
    for interface in nvme:
        interface.protocol = "NVMe/TCP"
    if number == 3:
        # Planted: an interface that was set up with the usual frame size, so that large frames are lost on it.
        nvme[1].mtu = 1500
    if number == 2:
        # Planted: one that was never made, so that half of the paths are not even expected.
        nvme.pop()
    interfaces = [first, second, files, *nvme]
    return Host(name, iqn(name), interfaces, cabling=cabling, file_client=client, nqn=f"{NQN_PREFIX}{name}")


def _portals() -> list[Portal]:
    return [
        Portal(
            f"{controller}{n}",
            controller,
            f"10.40.{8 + (n - 1) % 2}.{11 + 2 * ((n - 1) // 2) + (controller == 'B')}/24",
            408 + (n - 1) % 2,
            switch=f"switch-{1 + (n - 1) % 2}",
        )
        for controller in "AB"
        for n in range(1, 5)
    ]


def build(started: float, size: str = "demo") -> World:
    """The world as it is at the first start, at ``started`` (epoch seconds); ``size`` is one of ``HOSTS``."""
    pools = [
        Pool("granite-fast", 20 * TIB, 13, 0.75, 0.35, 0.42, 1.9, "RAID6", "SSD", waits="eight behind a cache"),
        Pool("granite-mixed", 28 * TIB, 18, 2.4, 0.40, 0.48, 2.1, "RAID6", "HDD"),
    ]
    hosts = [_host(n) for n in range(1, HOSTS[size] + 1)]
    known = {"granite": [*(host.iqn for host in hosts), iqn(RETIRED)]}
    world = World(SEED, started, "granite", pools, _portals(), [], [], known, hosts, [], [])
    world.clock_errors["granite"] = ARRAY_CLOCK_ERROR_SECONDS
    for number, (name, pool, tib, controller, other, growth) in enumerate(DATASTORES, start=1):
        serial = f"6002600000004b42{number:016x}"
        identity = f"ds-{number:04x}-kestrel"
        world.volumes.append(
            Volume(str(number), name, serial, pool, tib * TIB, controller, True, "", "datastore", identity)
        )
        world.connections.append(Connection(str(number), str(number), [host.iqn for host in hosts], 10 + number))
        world.datastores.append(Datastore(identity, name, serial, tib * TIB, other, growth))
        for host in hosts:
            host.mounted.append(identity)
    world.connections[2].initiators.append(iqn(RETIRED))
    _plant_uneven(world)
    world.volumes.append(Volume("9", "slate-09", f"6002600000004b42{9:016x}", "granite-mixed", TIB, "A", thin=False))
    for number, host in enumerate(hosts, start=1):
        # Planted: the hosts were set up at different times and spread their I/O differently.
        if number % 3:
            host.path_policy = {volume.serial: "RoundRobin" for volume in world.volumes[:2]}
    hosts[1].limits = {volume.serial: {"QueueDepth": 24} for volume in world.volumes[:4]}
    _add_files(world)
    _add_chalk(world)
    add_machines(world, (*MACHINES, *FILE_MACHINES), [host.name for host in hosts], "10.40.20")
    add_sites(world)
    if size == "demo":
        add_fleet(world)
    if size == "wide":
        add_yard(world)
    add_loose_disks(world)
    defaults = {"quayside": "berth-d", "gatehouse": "berth-k"}
    ids = {store.name: store.id for store in world.datastores}
    for host in world.hosts:
        log_in_everywhere(world, host)
        host.default_datastore = ids.get(defaults.get(host.cluster, ""), "")
    return world


def _add_files(world: World) -> None:
    """Array shale: a server interface on each controller, file systems with one export each, mounted by name."""
    shale = world.file_array
    world.pools += [
        Pool("shale-home", 10 * TIB, 16, 1.1, 0.6, 0.5, 1.8, "RAID6", "SSD", shale, waits="behind a cache"),
        Pool("shale-deep", 32 * TIB, 20, 2.6, 0.7, 0.5, 1.9, "RAID6", "HDD", shale, waits="behind a cache"),
    ]
    for n, controller in enumerate("AB", start=1):
        # Each server interface is cabled to both switches, so that neither is named.
        server = Portal(controller + "1", controller, f"10.40.10.{10 + n}/24", 410, array=shale)
        server.protocol, server.hostname = "NFS", f"shale-{controller.lower()}.kestrelbay.example"
        world.portals.append(server)
    world.pools[-2].deduplicates = True
    world.file_advice = {**FILE_ADVICE}
    for number, export in enumerate(EXPORTS, start=31):
        add_export(world, number, export, [] if export is EXPORTS[-1] else world.hosts)


def _add_chalk(world: World) -> None:
    """Array chalk over NVMe/TCP, still empty. Planted: it does not know quay-02 yet."""
    chalk = world.nvme_array
    world.pools.append(Pool("chalk-one", 12 * TIB, 8, 0.16, 0.14, 0.3, 1.4, "RAID10", "SSD", chalk))
    world.pools[-1].deduplicates = True
    for controller in "AB":
        for n, net in enumerate((11, 12), start=1):
            address = f"10.40.{net}.{11 + (controller == 'B')}/24"
            portal = Portal(f"{controller}{n}", controller, address, 400 + net, switch=f"switch-{n}", array=chalk)
            portal.protocol = "NVMe/TCP"
            world.portals.append(portal)
    world.initiators[chalk] = [host.nqn for host in world.hosts if host.name != "quay-02"]


def _plant_uneven(world: World) -> None:
    """Planted: berth-f, which all hosts but one may see; it holds installer images."""
    serial, identity = f"6002600000004b42{6:016x}", "ds-0006-kestrel"
    world.volumes.append(Volume("6", "berth-f", serial, "granite-mixed", 2 * TIB, "B", True, "", "datastore", identity))
    sees = [host for host in world.hosts if host.name != "quay-02"]
    world.connections.append(Connection("6", "6", [host.iqn for host in sees], 16))
    contents = [["image", "installer images"], ["template", "linux template"]]
    world.datastores.append(Datastore(identity, "berth-f", serial, 2 * TIB, 160 * GIB, 0, "", contents))
    for host in sees:
        host.mounted.append(identity)
