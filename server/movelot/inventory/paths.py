"""Rows of ports, portals and offers as core's values, and the verdict on every path."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from movelot.inventory import models
from movelot_core.fabric.paths import HostPort, Offer, PathVerdict, Portal, SinglePoint, compare_paths, single_points


@dataclass(frozen=True)
class PathTable:
    """Ports and portals as columns and rows of a path board, with a verdict per pair."""

    ports: list[HostPort]
    portals: list[Portal]
    paths: list[PathVerdict]
    points: list[SinglePoint]


def ports_of(hosts: Iterable[models.Device]) -> list[HostPort]:
    by_host = {host.pk: host for host in hosts}
    rows = models.HostPort.objects.filter(device__in=by_host).order_by("device__name", "name")
    return [
        HostPort(
            host=by_host[row.device_id].name,
            name=row.name,
            address=row.network,
            vlan=row.vlan,
            initiator=by_host[row.device_id].initiator,
            active_uplinks=tuple(row.active_uplinks),
            standby_uplinks=tuple(row.standby_uplinks),
            up=row.up,
        )
        for row in rows
    ]


def portals_of(array: models.Device) -> list[Portal]:
    rows = models.Portal.objects.filter(device=array).order_by("name")
    return [Portal(array.name, row.controller, row.name, row.network, row.vlan, row.up) for row in rows]


def expected_table(hosts: list[models.Device], array: models.Device, volume: str) -> PathTable:
    """Paths that ``hosts`` will have to a volume that ``array`` offers to all of them."""
    return expected_paths(ports_of(hosts), portals_of(array), volume)


def expected_paths(ports: list[HostPort], portals: list[Portal], volume: str) -> PathTable:
    """Paths over these ports and portals to a volume to come; its owner is taken as the first controller."""
    controllers = sorted({portal.controller for portal in portals})
    owner = controllers[0] if controllers else ""
    offer = Offer(volume, owner, frozenset(controllers), frozenset(port.initiator for port in ports))
    paths = compare_paths(ports, portals, offer, None)
    return PathTable(ports, portals, paths, single_points(ports, portals, offer, paths))


def seen_paths(hosts: list[models.Device], array: models.Device) -> Iterator[list[PathVerdict]]:
    """Paths of ``hosts`` to the volumes that ``array`` offers, as they report them against what there should be.

    Volumes offered to the same initiators over the same paths are alike: each kind of them is judged once.
    """
    ports, portals = ports_of(hosts), portals_of(array)
    controllers = frozenset(portal.controller for portal in portals)
    names = {host.pk: host.name for host in hosts}
    seen: dict[str, set[tuple[str, str, str]]] = {}
    for serial, host, paths in models.HostDevice.objects.filter(device__in=hosts).values_list(
        "serial", "device_id", "paths"
    ):
        seen.setdefault(serial, set()).update((names[host], port, portal) for port, portal, _access in paths)
    known: set[tuple[str, frozenset[str], frozenset[tuple[str, str, str]]]] = set()
    for volume in array.volumes.filter(offers__isnull=False).distinct().prefetch_related("offers"):
        allowed = frozenset(iqn for offer in volume.offers.all() for iqn in offer.initiators)
        kind = (volume.controller, allowed, frozenset(seen.get(volume.serial, ())))
        if kind not in known:
            known.add(kind)
            yield compare_paths(ports, portals, Offer(volume.name, volume.controller, controllers, allowed), kind[2])
