"""What joins the things of a trace: which leads to which, and how each host sees a volume, in its own words."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from movelot.inventory.models import (
    Datastore,
    Device,
    Disk,
    DriveGroup,
    HostDevice,
    HostPort,
    Machine,
    Mount,
    Pool,
    Volume,
)
from movelot_core.fabric.paths import FC, bare_address

WAYS_MAX = 60
Keys = dict[str, set[int]]


@dataclass
class Edge:
    """One thing of a trace that leads to the next, nearer to the array."""

    kind: str
    id: int
    to_kind: str
    to_id: int


@dataclass
class Way:
    """How a host sees a volume: its own name for it, the number it has there, and each path with its access state.

    ``number_word`` is what the standard calls the number, empty where there is none; ``initiator`` what the array lets
    in, over FC the WWPNs of all ports used. ``paths`` are [port, portal, state].
    """

    host: str
    host_id: int
    volume: str
    initiator: str
    device: str
    number_word: str
    number: int | None
    path_policy: str
    paths: list[list[str]]


def edges_among(keys: Keys) -> list[Edge]:
    """All that joins the things of a trace, given as primary keys by kind."""
    return [Edge(kind, one, to_kind, other) for kind, to_kind, pairs in _pairs(keys) for one, other in sorted(pairs)]


def _pairs(keys: Keys) -> Iterator[tuple[str, str, set[tuple[int, int]]]]:
    """For each two kinds that are joined, the pairs of primary keys."""
    machines, disks, hosts, stores = (keys.get(kind, set()) for kind in ("machine", "disk", "host", "datastore"))
    volumes, pools, arrays = (keys.get(kind, set()) for kind in ("volume", "pool", "array"))
    on_disks = Disk.objects.filter(pk__in=disks)
    yield "machine", "disk", set(on_disks.filter(machine__in=machines).values_list("machine_id", "pk"))
    on_hosts = Machine.objects.filter(pk__in=machines, placement__host__in=hosts)
    yield "machine", "host", set(on_hosts.values_list("pk", "placement__host_id"))
    placed = on_disks.filter(placement__datastore__in=stores)
    yield "disk", "datastore", set(placed.values_list("pk", "placement__datastore_id"))
    mounts = Mount.objects.filter(host__in=hosts, datastore__in=stores)
    yield "host", "datastore", set(mounts.values_list("host_id", "datastore_id"))
    rows = list(Volume.objects.filter(pk__in=volumes))
    by_serial = {volume.serial: volume.pk for volume in rows}
    there = Datastore.objects.filter(pk__in=stores, serial__in=by_serial).values_list("pk", "serial")
    yield "datastore", "volume", {(key, by_serial[serial]) for key, serial in there}
    by_identity = dict(on_disks.values_list("identity", "pk"))
    # On a volume set a disk is a volume of its own.
    members = {(by_identity[row.disk_identity], row.pk) for row in rows if row.disk_identity in by_identity}
    raw = on_disks.filter(raw_serial__in=by_serial).values_list("pk", "raw_serial")
    yield "disk", "volume", members | {(key, by_serial[serial]) for key, serial in raw}
    yield "volume", "pool", {(volume.pk, volume.pool_id) for volume in rows if volume.pool_id in pools}
    groups = DriveGroup.objects.filter(pk__in=keys.get("drive_group", set()), pool__in=pools)
    yield "pool", "drive_group", set(groups.values_list("pool_id", "pk"))
    on_arrays = Pool.objects.filter(pk__in=pools, device__in=arrays)
    yield "pool", "array", set(on_arrays.values_list("pk", "device_id"))


def ways_to(volumes: Iterable[int], hosts: Iterable[int]) -> list[Way]:
    """How ``hosts`` see ``volumes`` (primary keys): as devices, or as mounted exports and sets; at most 60, by host."""
    rows = {volume.serial: volume for volume in Volume.objects.filter(pk__in=volumes)}
    arrays = Device.objects.filter(pk__in={volume.device_id for volume in rows.values()}).prefetch_related("portals")
    nvme = {array.pk for array in arrays if array.has_namespaces}
    by_host = {host.pk: host for host in Device.objects.filter(pk__in=hosts).only("name", "initiator", "nqn")}
    over_fc = HostPort.objects.filter(device__in=by_host, protocol=FC).values_list("device_id", "name", "network")
    wwpns = {(host, port): bare_address(network) for host, port, network in over_fc}
    seen = HostDevice.objects.filter(device__in=by_host, serial__in=rows).order_by("device__name", "name")
    seen = seen.select_related("path_set").prefetch_related("path_set__paths")
    found = []
    for each in seen[:WAYS_MAX]:
        host, volume = by_host[each.device_id], rows[each.serial]
        word = "namespace id" if volume.device_id in nvme else "LUN number"
        usual = host.nqn if volume.device_id in nvme else host.initiator
        names = ", ".join(sorted({wwpns.get((host.pk, port), usual) for port, _, _ in each.paths})) or usual
        found.append(
            Way(host.name, host.pk, volume.name, names, each.name, word, each.lun, each.path_policy, each.paths)
        )
    mounts = (
        Mount.objects.filter(host__in=by_host, datastore__serial__in=rows).exclude(path_set=None).order_by("host__name")
    )
    for mount in mounts.select_related("datastore", "path_set").prefetch_related("path_set__paths")[
        : WAYS_MAX - len(found)
    ]:
        found.append(_mount_way(by_host[mount.host_id], mount, rows[mount.datastore.serial]))
    return found


def _mount_way(host: Device, mount: Mount, volume: Volume) -> Way:
    spelled = f"{mount.server}:{mount.path}" if mount.server else f"volume set {volume.serial}"
    name = "" if mount.server else host.nqn
    return Way(host.name, host.pk, volume.name, name, spelled, "", None, "", [[*way, ""] for way in mount.ways])
