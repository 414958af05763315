"""What to ask of those who zone the FC fabrics, so that a cluster's hosts get all of their paths to an array."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from movelot.inventory.models import Zone as ZoneRow
from movelot.inventory.paths import ClusterPaths
from movelot_core.fabric.causes import Access, Cause
from movelot_core.fabric.matrix import CAUSES
from movelot_core.fabric.paths import FC, PathVerdict
from movelot_core.fabric.zoning import Member, Zone, zone_changes

ZONE = CAUSES.index(Cause.ZONE)


@dataclass
class ZoneMember:
    """A port in a zone, as the fabric calls it."""

    alias: str
    wwpn: str


@dataclass
class ZoneChangeRow:
    """A zone to make (``new``) or to extend by ``members``, for a port of a host."""

    fabric: str
    zone: str
    new: bool
    host: str
    port: str
    members: list[ZoneMember]


def zone_change_rows(paths: ClusterPaths) -> list[ZoneChangeRow]:
    """The changes after which no path of the cluster to the array misses a zone; none without Fibre Channel."""
    fabric = paths.matrix.fabric
    if not any(portal.protocol == FC for portal in fabric.portals):
        return []
    pairs = [(fabric.ports[p], fabric.portals[q]) for p, q in np.argwhere(fabric.wiring[1] == ZONE)]
    lost = [
        PathVerdict(port.host, port.name, portal.name, True, False, Access.UNAVAILABLE, Cause.ZONE)
        for port, portal in pairs
    ]
    zones = [
        Zone(row.fabric, row.name, tuple(Member(alias, wwpn) for alias, wwpn in row.members))
        for row in ZoneRow.objects.order_by("fabric", "name", "pk")
    ]
    return [
        ZoneChangeRow(
            change.fabric,
            change.zone,
            change.new,
            change.host,
            change.port,
            [ZoneMember(member.alias, member.wwpn) for member in change.members],
        )
        for change in zone_changes(fabric.ports, fabric.portals, lost, zones)
    ]
