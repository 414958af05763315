"""Small worlds: what devices would say, made for one test, and stored as a reading is.

Nothing answers there: it is for what is stored, judged, shown and drafted. Where devices act, tests take the stand-ins.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from django.utils.timezone import now

from movelot.accounts.models import Role, User
from movelot.inventory.changes import everything_changed
from movelot.inventory.models import Device
from movelot.inventory.readings import ArrayReading, HostReading, Row
from movelot.inventory.store import Taken, store_readings
from server.tests.conftest import PASSWORD

GIB, TIB = 1024**3, 1024**4


def person(name: str, role: Role) -> User:
    """Somebody of this role: tests of other rooms that ran in the same database may have left them there."""
    found = User.objects.filter(username=name).first()
    return found or User.objects.create_user(name, password=PASSWORD, role=role)


@dataclass
class MadeArray:
    """An array with its pools, by name, and what it lets hosts see."""

    name: str
    pools: dict[str, Row] = field(default_factory=dict)
    portals: list[Row] = field(default_factory=list)
    volumes: list[Row] = field(default_factory=list)
    offers: list[Row] = field(default_factory=list)
    initiators: set[str] = field(default_factory=set)
    clock_offset_seconds: float = 0.0


@dataclass
class MadeHost:
    """A host with one port in each of its subnets, and what it mounts and runs."""

    name: str
    cluster: str
    ports: list[Row]
    devices: list[Row] = field(default_factory=list)
    datastores: list[Row] = field(default_factory=list)
    machines: list[Row] = field(default_factory=list)
    capabilities: list[Row] = field(default_factory=list)

    @property
    def iqn(self) -> str:
        return f"iqn.2026-01.example.small:{self.name}"


class World:
    """Arrays over iSCSI, hosts, datastores and machines, each with what the test says of it and defaults besides."""

    def __init__(self) -> None:
        self.arrays: dict[str, MadeArray] = {}
        self.hosts: dict[str, MadeHost] = {}

    def array(self, name: str, portals: Sequence[str] = ("10.40.8.1", "10.40.9.1"), **pools: int) -> MadeArray:
        """An array with ``pools`` of so many TiB, and a portal in the subnet of each address."""
        made = MadeArray(name)
        for n, address in enumerate(portals):
            end = {"controller": "AB"[n % 2], "network": f"{address}/24", "vlan": 0, "up": True}
            made.portals.append(
                {**_head(f"{'AB'[n % 2]}{n + 1}", f"/{name}/portals"), **end, "switch": f"switch-{n + 1}"}
            )
        for pool, tib in pools.items():
            sizes = {"capacity_bytes": tib * TIB, "allocated_bytes": 0, "subscribed_bytes": 0}
            made.pools[pool] = {**_head(pool, f"/{name}/pools"), "identity": f"{name} {pool}", **sizes, "media": "SSD"}
        self.arrays[name] = made
        return made

    def host(self, name: str, cluster: str = "quayside", nets: Sequence[int] = (8, 9)) -> MadeHost:
        """A host of ``cluster`` with a port in each of the subnets 10.40.n."""
        number = 11 + len(self.hosts)
        ports = [
            {
                **_head(f"storage-{'ab'[n]}", f"/{name}/ports"),
                "protocol": "iSCSI",
                "network": f"10.40.{net}.{number}/24",
                "vlan": 0,
                "up": True,
                "switch": f"switch-{n + 1}",
                "active_uplinks": [f"uplink-{n + 1}"],
                "standby_uplinks": [],
            }
            for n, net in enumerate(nets)
        ]
        self.hosts[name] = MadeHost(name, cluster, ports)
        return self.hosts[name]

    def volume(self, array: str, pool: str, name: str, tib: float, hosts: Sequence[str] = ()) -> str:
        """A volume that ``hosts`` are let in to and see over every path there is. Returns its serial."""
        made = self.arrays[array]
        serial, size = f"6002-{array}-{name}", int(tib * TIB)
        row = {**_head(name, f"/{array}/volumes"), "serial": serial, "size_bytes": size, "allocated_bytes": size // 2}
        made.volumes.append({**row, "pool_uri": made.pools[pool]["uri"], "controller": "A", "thin": True})
        made.pools[pool]["subscribed_bytes"] += size
        made.pools[pool]["allocated_bytes"] += size // 2
        lun = len(made.volumes)
        names = [self.hosts[host].iqn for host in hosts]
        made.initiators |= set(names)
        if names:
            offer = {**_head(name, f"/{array}/offers"), "volume_uri": row["uri"], "lun": lun, "initiators": names}
            made.offers.append(offer)
        for host in hosts:
            self._see(self.hosts[host], made, serial, size, lun)
        return serial

    def _see(self, host: MadeHost, array: MadeArray, serial: str, size: int, lun: int) -> None:
        paths = [
            [port["name"], portal["name"], "Optimized"]
            for port in host.ports
            for portal in array.portals
            if port["network"].split(".")[2] == portal["network"].split(".")[2]
        ]
        device = {"serial": serial, "size_bytes": size, "lun": lun, "signature_kind": "datastore"}
        host.devices.append(
            {**_head(f"naa.{serial}", f"/{host.name}/devices"), **device, "path_policy": "RoundRobin", "paths": paths}
        )

    def datastore(self, name: str, serials: Sequence[str], tib: float, fill: float, hosts: Sequence[str]) -> str:
        """A datastore on volumes, ``fill`` of it used, mounted by ``hosts``. Returns its identity."""
        capacity = int(tib * TIB)
        row = {
            "identity": f"ds-{name}",
            "name": name,
            "extents": [{"serial": serial, "size_bytes": capacity // len(serials)} for serial in serials],
            "capacity_bytes": capacity,
            "free_bytes": int(capacity * (1 - fill)),
            "other_bytes": 0,
            "contents": [],
            "mount": {"server": "", "path": "", "version": "", "ways": []},
        }
        for host in hosts:
            self.hosts[host].datastores.append(row)
        return f"ds-{name}"

    def machine(self, name: str, host: str, **disks: tuple[str, float]) -> None:
        """A machine on ``host``; each of ``disks`` is a datastore's name and GiB."""
        self.hosts[host].machines.append(
            {
                **_head(name, f"/{host}/machines"),
                "identity": f"uuid-{name}",
                "os": "Linux 6.1",
                "address": "",
                "power": "On",
                "disks": [
                    {
                        "identity": f"{name}-{disk}",
                        "name": f"{name} {disk}",
                        "size_bytes": int(gib * GIB),
                        "datastore": f"ds-{store}",
                        "raw_serial": "",
                        "shared": False,
                    }
                    for disk, (store, gib) in disks.items()
                ],
            }
        )

    def read(self) -> None:
        """Store what all of them say, as the first reading or the next. What is used and no disk's is beside disks."""
        self._count_what_is_beside_disks()
        arrays = [Taken(_device(a.name, "array"), self._said(a), now()) for a in self.arrays.values()]
        hosts = [Taken(_device(h.name, "host"), _said_by(h), now()) for h in self.hosts.values()]
        store_readings([*arrays, *hosts])
        everything_changed()

    def _count_what_is_beside_disks(self) -> None:
        held: dict[str, int] = {}
        for host in self.hosts.values():
            for disk in (disk for machine in host.machines for disk in machine["disks"]):
                held[disk["datastore"]] = held.get(disk["datastore"], 0) + disk["size_bytes"]
        for host in self.hosts.values():
            for row in host.datastores:
                used = row["capacity_bytes"] - row["free_bytes"]
                row["other_bytes"] = max(0, used - held.get(row["identity"], 0))

    def _said(self, array: MadeArray) -> ArrayReading:
        known = [{**_head(name, f"/{array.name}/initiators"), "identifier": name} for name in sorted(array.initiators)]
        return ArrayReading(
            name=array.name,
            copy_bytes_per_second=500e6,
            clock_offset_seconds=array.clock_offset_seconds,
            capabilities=[],
            pools=list(array.pools.values()),
            portals=[{**portal, "protocol": "iSCSI"} for portal in array.portals],
            initiators=known,
            volumes=array.volumes,
            offers=array.offers,
            target=f"iqn.2026-01.example.small:{array.name}",
        )


def _said_by(host: MadeHost) -> HostReading:
    return HostReading(
        name=host.name,
        cluster=host.cluster,
        initiator=host.iqn,
        copy_bytes_per_second=200e6,
        clock_offset_seconds=0.0,
        capabilities=host.capabilities,
        scan_seconds=5.0,
        ports=host.ports,
        devices=host.devices,
        datastores=host.datastores,
        machines=host.machines,
        sessions=_sessions(host),
    )


def _sessions(host: MadeHost) -> dict[str, list[list[str]]]:
    """One session for each path, by the target of the array that the path leads to."""
    found: dict[str, set[tuple[str, str]]] = {}
    for device in host.devices:
        array = device["serial"].split("-")[1]
        found.setdefault(f"iqn.2026-01.example.small:{array}", set()).update((p, q) for p, q, _ in device["paths"])
    return {target: sorted(map(list, pairs)) for target, pairs in found.items()}


def _head(name: str, where: str) -> Row:
    return {"name": name, "uri": f"{where}/{name}", "etag": ""}


def _device(name: str, kind: str) -> Device:
    found = Device.objects.filter(name=name).first()
    return found or Device.objects.create(name=name, kind=kind, url=f"https://{name}.small.example")
