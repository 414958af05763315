"""How hosts see volumes: the name and number that each has for one, and its paths."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from django.db.models import F

from movelot.inventory.models import Device, HostDevice, HostPort, Mount, Volume
from movelot_core.fabric.paths import FC, bare_address

WAYS_MAX = 60


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
    mounts = Mount.objects.filter(host__in=by_host, datastore__extents__serial__in=rows, path_set__isnull=False)
    mounts = mounts.annotate(serial=F("datastore__extents__serial")).order_by("host__name")
    mounts = mounts.select_related("datastore", "path_set").prefetch_related("path_set__paths")
    for mount in mounts[: WAYS_MAX - len(found)]:
        found.append(_mount_way(by_host[mount.host_id], mount, rows[mount.serial]))
    return found


def _mount_way(host: Device, mount: Mount, volume: Volume) -> Way:
    spelled = f"{mount.server}:{mount.path}" if mount.server else f"volume set {volume.serial}"
    name = "" if mount.server else host.nqn
    return Way(host.name, host.pk, volume.name, name, spelled, "", None, "", [[*way, ""] for way in mount.ways])
