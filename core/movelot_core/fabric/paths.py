"""Paths between host ports and array portals: which there should be, which there are, and why one is missing.

Terms follow RFC 7143 (iSCSI portals and initiators), SPC-4 (ALUA access states) and the NVM Express base specification
(host NQN and subsystem; its asymmetric access states are given their SPC-4 names). File storage has paths too: from a
host's interface to the server interface of the controller that owns the file system; where block storage has an
initiator, it has the address of the host's interface.

Over Fibre Channel (FC-GS name server and zoning) a port's address is its WWPN in a fabric, written ``wwpn@fabric``: the
fabric is what a subnet is elsewhere, and one zone has to hold both ends.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from ipaddress import ip_interface
from typing import Final

from movelot_core.fabric.causes import Access, Cause
from movelot_core.fabric.transports import transport_of

# Names of transports that other rooms ask for by name: where there is a lot or a finding of this transport alone.
FC: Final = "FC"
ISCSI: Final = "iSCSI"
NVME: Final = "NVMe/TCP"
NFS: Final = "NFS"


@dataclass(frozen=True, slots=True)
class HostPort:
    """A host's storage interface. ``address`` with prefix length; ``initiator`` is what an array lets in.

    That is the host's IQN, over NVMe its NQN, over FC the port's own WWPN, and for file storage the bare address.

    ``frame_bytes`` is its largest frame (MTU), ``switch`` what its active uplink is cabled to, where that is known;
    ``zones`` are those of its fabric that it is in. ``sessions`` are the (target, portal) pairs that it is logged in
    to over iSCSI, None where that is unknown; ``chap_differs`` the targets that ask for another CHAP than it gives.
    """

    host: str
    name: str
    address: str
    vlan: int
    initiator: str
    active_uplinks: tuple[str, ...]
    standby_uplinks: tuple[str, ...] = ()
    up: bool = True
    protocol: str = ISCSI
    frame_bytes: int = 9000
    switch: str = ""
    zones: frozenset[str] = frozenset()
    sessions: frozenset[tuple[str, str]] | None = None
    chap_differs: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Portal:
    """An array's portal, or FC port, on one controller. ``address`` with prefix length (over FC wwpn@fabric).

    ``switch`` is what it is cabled to, if known; ``zones`` are those of its fabric that it is in.
    """

    array: str
    controller: str
    name: str
    address: str
    vlan: int
    up: bool = True
    protocol: str = ISCSI
    frame_bytes: int = 9000
    switch: str = ""
    zones: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Offer:
    """How an array offers a volume: owning controller, all controllers, and the initiators it lets in.

    ``volume`` is the volume's id, as text: names tell volumes of one array apart by chance alone.
    ``target`` is the iSCSI target that it is behind: one that volumes share, or its own.
    """

    volume: str
    owner: str
    controllers: frozenset[str]
    initiators: frozenset[str]
    array: str = ""
    target: str = ""


@dataclass(frozen=True, slots=True)
class PathVerdict:
    """One (port, portal) pair: is it expected, is it seen, in which state, and why not."""

    host: str
    port: str
    portal: str
    expected: bool
    seen: bool
    access: Access
    cause: Cause | None = None

    @property
    def missing(self) -> bool:
        """Whether it is expected and not seen."""
        return self.expected and not self.seen


@dataclass(frozen=True, slots=True)
class SinglePoint:
    """A component without which ``host`` would lose ``volume`` (its id)."""

    component: str
    kind: str
    host: str
    volume: str


@lru_cache(maxsize=65_536)
def network_of(address: str) -> str:
    """The subnet of an address with prefix length, or the fabric of a WWPN.

    >>> network_of("10.40.8.11/24"), network_of("21:00:02:4b:42:00:01:0a@fabric-1")
    ('10.40.8.0/24', 'fabric-1')
    """
    if "@" in address:
        return address.partition("@")[2]
    return str(ip_interface(address).network)


def bare_address(address: str) -> str:
    """An address without its prefix length, or a WWPN without its fabric."""
    return address.partition("@")[0].partition("/")[0]


def same_network(port: HostPort, portal: Portal) -> bool:
    """Whether port and portal are meant to talk: same protocol and the same subnet or fabric."""
    if port.protocol != portal.protocol:
        return False
    return network_of(port.address) == network_of(portal.address)


def blocking_cause(port: HostPort, portal: Portal, offer: Offer | None = None) -> Cause | None:
    """The first condition that keeps ``port`` from using ``portal``, or None when every one holds.

    A login comes before masking, so a CHAP that differs is told first.
    """
    transport = transport_of(port.protocol)
    for holds, cause in transport.conditions(port, portal):
        if not holds:
            return cause
    if offer is None:
        return None
    if transport.logs_in and offer.target in port.chap_differs:
        return Cause.CHAP
    return None if port.initiator in offer.initiators else Cause.MASKED


def logged_in(port: HostPort, portal: Portal, target: str) -> bool:
    """Whether the port has a session with the target over this portal, needs none, or may have one as it is unknown."""
    needed = transport_of(portal.protocol).logs_in and port.sessions is not None
    return not needed or (target, portal.name) in (port.sessions or ())


def strays(ports: Sequence[HostPort], portals: Sequence[Portal]) -> dict[tuple[str, str], str]:
    """Ports in no portal's subnet though the port of the same name on other hosts is in one: that subnet, by port.

    Without it such a port would expect nothing and so miss nothing. The subnet most of its namesakes are in is taken.
    """
    subnets = {network_of(portal.address) for portal in portals}
    used: dict[str, Counter[str]] = {}
    for port in ports:
        network = network_of(port.address)
        if network in subnets:
            used.setdefault(port.name, Counter())[network] += 1
    return {
        (port.host, port.name): min(used[port.name].items(), key=lambda item: (-item[1], item[0]))[0]
        for port in ports
        if port.name in used and network_of(port.address) not in subnets
    }


@dataclass(frozen=True, slots=True)
class Lack:
    """A host without an interface in a subnet where most of its fellows have one: ``like`` is such a one."""

    host: str
    subnet: str
    like: HostPort


def lacking(ports: Sequence[HostPort], portals: Sequence[Portal]) -> list[Lack]:
    """Hosts that speak the portals' protocol but have no port in one of their subnets, though half of the hosts do.

    Without it such a host would expect no path over that subnet and so miss none. A port that strays into another
    subnet is not lacking.
    """
    found = []
    strayed = {(host, subnet) for (host, _), subnet in strays(ports, portals).items()}
    for protocol, subnet in sorted({(portal.protocol, network_of(portal.address)) for portal in portals}):
        speaking = [port for port in ports if port.protocol == protocol]
        there = {port.host: port for port in speaking if network_of(port.address) == subnet}
        hosts = sorted({port.host for port in speaking})
        if not there or len(there) * 2 < len(hosts):
            continue
        like = there[min(there)]
        found += [Lack(h, subnet, like) for h in hosts if h not in there and (h, subnet) not in strayed]
    return found


def compare_paths(
    ports: Sequence[HostPort],
    portals: Sequence[Portal],
    offer: Offer,
    seen: Iterable[tuple[str, str, str]] | None,
) -> list[PathVerdict]:
    """Every path of ``ports`` to the offered volume, expected or seen, with its first failing condition.

    ``seen`` holds (host, port name, portal name) as hosts report them; None asks what the hosts *will* see, so
    that a path is taken as seen when nothing blocks it. A path of one subnet is expected; a path seen without
    being expected is reported too (``expected`` False). A transport that comes after another
    one over which the host has the volume stands by.
    """
    reported = None if seen is None else set(seen)
    lost = strays(ports, portals)
    verdicts: list[PathVerdict] = []
    for port in ports:
        for portal in portals:
            stray = lost.get((port.host, port.name)) == network_of(portal.address)
            expected = portal.controller in offer.controllers and (stray or same_network(port, portal))
            key = (port.host, port.name, portal.name)
            cause = (
                transport_of(portal.protocol).astray
                if stray
                else blocking_cause(port, portal, offer)
                if expected
                else None
            )
            is_seen = (expected and cause is None) if reported is None else key in reported
            if not expected and not is_seen:
                continue
            if expected and not is_seen and cause is None:
                there = logged_in(port, portal, offer.target)
                cause = transport_of(portal.protocol).unused if there else Cause.NOT_LOGGED_IN
            access = Access.OPTIMIZED if portal.controller == offer.owner else Access.NON_OPTIMIZED
            verdicts.append(PathVerdict(*key, expected, is_seen, access, None if is_seen else cause))
    return _standing_by(verdicts, {portal.name: portal.protocol for portal in portals})


def _standing_by(paths: list[PathVerdict], protocol: dict[str, str]) -> list[PathVerdict]:
    """The paths with those standing by whose host sees the volume over a transport that comes first."""
    over: dict[str, set[str]] = {}
    for path in paths:
        if path.seen:
            over.setdefault(path.host, set()).add(protocol[path.portal])
    return [
        replace(path, access=Access.STANDBY)
        if transport_of(protocol[path.portal]).stands_by_for & over.get(path.host, set())
        else path
        for path in paths
    ]


def single_points(
    ports: Sequence[HostPort], portals: Sequence[Portal], offer: Offer, paths: Sequence[PathVerdict]
) -> list[SinglePoint]:
    """Components whose loss alone takes the volume from a host that sees it now.

    Taken away one at a time: host port, uplink, switch, subnet or fabric, portal, controller. A path lies on the
    switches of both of its ends. The array itself is one always and is left out, as nothing here can change it.
    """
    port_of = {(port.host, port.name): port for port in ports}
    portal_of = {portal.name: portal for portal in portals}
    carried: dict[str, list[set[tuple[str, str]]]] = {}
    for path in paths:
        if path.seen:
            along = components_of(port_of[path.host, path.port], portal_of[path.portal])
            carried.setdefault(path.host, []).append(along)
    points: list[SinglePoint] = []
    for host, ways in sorted(carried.items()):
        common = set.intersection(*ways)
        points += [SinglePoint(name, kind, host, offer.volume) for kind, name in sorted(common)]
    return points


def components_of(port: HostPort, portal: Portal) -> set[tuple[str, str]]:
    """All that the path from ``port`` to ``portal`` depends on, as (kind, name)."""
    found = {
        ("host port", f"{port.host} {port.name}"),
        *([("uplink", uplink_of(port))] if uplink_of(port) else []),
        (transport_of(portal.protocol).network_word, network_of(portal.address)),
        ("portal", f"{portal.array} {portal.name}"),
        ("controller", f"{portal.array} {portal.controller}"),
    }
    return found | {("switch", switch) for switch in (switch_of(port), portal.switch) if switch}


def switch_of(port: HostPort) -> str:
    """The switch that all of a port's traffic takes; empty where it is unknown, or another uplink would take over."""
    return transport_of(port.protocol).switch(port)


def uplinks_of(port: HostPort) -> list[str]:
    """The uplinks that a port's traffic can take, named with its host: one, or all that take over from one another."""
    alone = uplink_of(port)
    if alone:
        return [alone]
    return [f"{port.host} {uplink}" for uplink in (*port.active_uplinks, *port.standby_uplinks)]


def uplink_of(port: HostPort) -> str:
    """The uplink that all of a port's traffic takes, named with its host; empty where another one would take over."""
    return transport_of(port.protocol).uplink(port)
