"""Fibre Channel as devices see it: fabrics, the zones of their name server, and who is called what.

An address is ``wwpn@fabric``. Zones belong to the fabrics' switches, which are no device of this site: arrays read them
from the name server, people change them by other means.
"""

from __future__ import annotations

from movelot_standins.model import Host, Interface, World, Zone

PROTOCOL = "FC"
FRAME_BYTES = 2112


def wwpn_of(address: str) -> str:
    """The WWPN of an FC address."""
    return address.partition("@")[0]


def fabric_of(address: str) -> str:
    """The fabric of an FC address; empty for any other address."""
    return address.partition("@")[2]


def zoned(world: World, one: str, other: str) -> bool:
    """Whether a zone of their fabric holds both FC addresses."""
    if fabric_of(one) != fabric_of(other):
        return False
    both = {wwpn_of(one), wwpn_of(other)}
    return any(both <= {wwpn for _alias, wwpn in zone.members} for zone in world.zones if zone.fabric == fabric_of(one))


def identity_of(host: Host, interface: Interface) -> str:
    """The name under which arrays let a host in over one of its interfaces."""
    if interface.protocol == PROTOCOL:
        return wwpn_of(interface.address)
    return host.nqn if interface.protocol == "NVMe/TCP" else host.iqn


def identities(host: Host) -> set[str]:
    """All names under which arrays may let a host in."""
    return {host.iqn, host.nqn, *(identity_of(host, each) for each in host.interfaces)} - {""}


def alias_of(world: World, wwpn: str) -> str:
    """What the fabric's zones call a WWPN; empty where none names it."""
    return next((alias for zone in world.zones for alias, member in zone.members if member == wwpn), "")


def is_wwpn(name: str) -> bool:
    """Whether a name is a WWPN: eight bytes in hexadecimal, with colons."""
    parts = name.split(":")
    return len(parts) == 8 and all(len(part) == 2 and set(part) <= set("0123456789abcdef") for part in parts)


def endpoint_id(name: str) -> str:
    """The last part of the address under which an array lists an initiator."""
    return name.replace(":", "") if is_wwpn(name) else name.rsplit(":", 1)[1]


def name_format(name: str) -> str:
    """The standard's word for the kind of name that an initiator has."""
    return "FC_WWN" if is_wwpn(name) else "NQN" if name.startswith("nqn.") else "iQN"


def set_zone(world: World, fabric: str, name: str, members: list[list[str]]) -> None:
    """Make a zone have these members, as [alias, WWPN]; without any it is gone."""
    world.zones[:] = [zone for zone in world.zones if (zone.fabric, zone.name) != (fabric, name)]
    if members:
        world.zones.append(Zone(fabric, name, [[str(alias), str(wwpn)] for alias, wwpn in members]))
