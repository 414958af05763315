"""What Fibre Channel zones lack so that hosts get their paths (FC-GS: a zone's members see one another, others do not).

Zones belong to the fabrics' switches, which people change by other means; what is computed here is what to ask them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from movelot_core.fabric.causes import Cause
from movelot_core.fabric.paths import HostPort, PathVerdict, Portal, bare_address, network_of


@dataclass(frozen=True, slots=True)
class Member:
    """A port in a zone: what the fabric calls it, and its WWPN."""

    alias: str
    wwpn: str


@dataclass(frozen=True, slots=True)
class Zone:
    """A zone of a fabric as it is now."""

    fabric: str
    name: str
    members: tuple[Member, ...]


@dataclass(frozen=True, slots=True)
class ZoneChange:
    """A zone to make (``new``) or to extend, by ``members``, so that ``host`` gets its paths over ``port``."""

    fabric: str
    zone: str
    new: bool
    host: str
    port: str
    members: tuple[Member, ...]


def zone_changes(
    ports: Sequence[HostPort], portals: Sequence[Portal], paths: Sequence[PathVerdict], zones: Sequence[Zone]
) -> list[ZoneChange]:
    """For each host port that misses paths for want of a zone, the zone that gives it them.

    A zone that holds the port and no other host's is extended; else one is made for that port alone, so that hosts do
    not see one another. Example: port fc-b in a zone with A's port and not with B's: add B's port to that zone.
    """
    port_of = {(port.host, port.name): port for port in ports}
    portal_of = {portal.name: portal for portal in portals}
    lacking: dict[tuple[str, str], list[Portal]] = {}
    for path in paths:
        if path.cause is Cause.ZONE:
            wanted = lacking.setdefault((path.host, path.port), [])
            if portal_of[path.portal] not in wanted:
                wanted.append(portal_of[path.portal])
    aliases = {member.wwpn: member.alias for zone in zones for member in zone.members}
    others = {port.initiator for port in ports}
    return [_change(port_of[key], wanted, zones, aliases, others) for key, wanted in sorted(lacking.items())]


def _change(
    port: HostPort, wanted: list[Portal], zones: Sequence[Zone], aliases: dict[str, str], hosts: set[str]
) -> ZoneChange:
    fabric = network_of(port.address)
    ends = [(bare_address(portal.address), f"{portal.array}-{portal.name.lower()}") for portal in wanted]
    members = [Member(aliases.get(wwpn) or usual, wwpn) for wwpn, usual in ends]
    own = Member(aliases.get(port.initiator) or f"{port.host}-{port.name}", port.initiator)
    for zone in zones:
        held = {member.wwpn for member in zone.members}
        if zone.fabric == fabric and held & hosts == {port.initiator}:
            return ZoneChange(fabric, zone.name, False, port.host, port.name, tuple(members))
    return ZoneChange(fabric, f"{port.host}-{port.name}", True, port.host, port.name, (own, *members))
