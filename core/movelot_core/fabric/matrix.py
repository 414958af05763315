"""Paths of many hosts to many volumes at once: the same rules as ``paths``, as arrays.

Indices: hosts h, ports p, portals q, volumes v. Worked example: 2 hosts with 2 ports each and 2 portals in each of 2
subnets make 2·2·2 = 8 paths to every volume that both hosts' initiators are let into.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from movelot_core.fabric.causes import Access, Cause
from movelot_core.fabric.paths import (
    HostPort,
    Offer,
    PathVerdict,
    Portal,
    SinglePoint,
    blocking_cause,
    network_of,
    strays,
    switch_of,
    uplink_of,
)
from movelot_core.fabric.transports import transport_of

Bools = NDArray[np.bool_]
Counts = NDArray[np.int32]
Codes = NDArray[np.int8]
CAUSES: Final = tuple(Cause)
NONE: Final = -1
CHAP: Final = CAUSES.index(Cause.CHAP)
MASKED: Final = CAUSES.index(Cause.MASKED)
NOT_LOGGED_IN: Final = CAUSES.index(Cause.NOT_LOGGED_IN)
NOT_MOUNTED: Final = CAUSES.index(Cause.NOT_MOUNTED)


@dataclass(frozen=True)
class Fabric:
    """Ports of hosts, portals of arrays, and the volumes offered. Ports of one host stand together, in any order."""

    ports: tuple[HostPort, ...]
    portals: tuple[Portal, ...]
    offers: tuple[Offer, ...]

    @classmethod
    def of(cls, ports: Iterable[HostPort], portals: Iterable[Portal], offers: Iterable[Offer]) -> Fabric:
        """The fabric of these in any order; the ports of each host are brought together."""
        return cls(tuple(sorted(ports, key=lambda port: (port.host, port.name))), tuple(portals), tuple(offers))

    def __repr__(self) -> str:
        return f"<Fabric {len(self.ports)} ports, {len(self.portals)} portals, {len(self.offers)} volumes>"

    @cached_property
    def hosts(self) -> tuple[str, ...]:
        """[h] Names of the hosts, in the order of their ports."""
        return tuple(dict.fromkeys(port.host for port in self.ports))

    @cached_property
    def host_of(self) -> NDArray[np.int64]:
        """[p] Index of each port's host."""
        number = {host: n for n, host in enumerate(self.hosts)}
        return np.array([number[port.host] for port in self.ports], dtype=np.int64)

    @cached_property
    def first_port(self) -> NDArray[np.int64]:
        """[h] Index of each host's first port."""
        return np.searchsorted(self.host_of, np.arange(len(self.hosts)))

    @cached_property
    def wiring(self) -> tuple[Bools, Codes]:
        """[p, q] Which pairs are meant to talk, and the first cause (masking apart) that keeps them from it, or -1.

        Few kinds of ports and portals are wired differently: each pair of kinds is judged once.
        """
        lost = strays(self.ports, self.portals)
        port_kinds, port_kind = _kinds([_port_kind(port, lost) for port in self.ports])
        portal_kinds, portal_kind = _kinds(
            [(q.protocol, network_of(q.address), *_portal_kind(q)) for q in self.portals]
        )
        meant = np.zeros((len(port_kinds), len(portal_kinds)), dtype=bool)
        code = np.full(meant.shape, NONE, dtype=np.int8)
        for a, p in enumerate(port_kinds):
            for b, q in enumerate(portal_kinds):
                port, portal = self.ports[p], self.portals[q]
                stray = lost.get((port.host, port.name)) == network_of(portal.address)
                same = port.protocol == portal.protocol and network_of(port.address) == network_of(portal.address)
                meant[a, b] = stray or same
                cause = (
                    transport_of(portal.protocol).astray if stray else blocking_cause(port, portal) if same else None
                )
                code[a, b] = NONE if cause is None else CAUSES.index(cause)
        return meant[port_kind][:, portal_kind], code[port_kind][:, portal_kind]

    @cached_property
    def admitted(self) -> Bools:
        """[v, p] Whether masking lets the port's initiator in."""
        names = [port.initiator for port in self.ports]
        return np.array([[name in offer.initiators for name in names] for offer in self.offers], dtype=bool).reshape(
            len(self.offers), len(self.ports)
        )

    @cached_property
    def target_of(self) -> tuple[list[str], NDArray[np.int64]]:
        """The different targets, and [v] the number of the one that each volume is behind."""
        first, number = _kinds([(offer.target,) for offer in self.offers])
        return [self.offers[n].target for n in first], number

    @cached_property
    def authenticated(self) -> Bools:
        """[v, p] Whether the volume's target takes the CHAP of the port; always so where nobody logs in."""
        targets, number = self.target_of
        logs_in = [transport_of(port.protocol).logs_in for port in self.ports]
        rows = [
            [not asks or name not in port.chap_differs for port, asks in zip(self.ports, logs_in, strict=True)]
            for name in targets
        ]
        return np.array(rows, dtype=bool).reshape(len(targets), len(self.ports))[number]

    @cached_property
    def sessions(self) -> Bools:
        """[v, p, q] Whether a host is logged in to the volume's target, or may be; always so where nobody logs in."""
        targets, number = self.target_of
        at_target = {name: t for t, name in enumerate(targets)}
        at_portal = {portal.name: q for q, portal in enumerate(self.portals)}
        over = np.array([transport_of(portal.protocol).logs_in for portal in self.portals], dtype=bool)
        there = np.ones((len(targets), len(self.ports), len(self.portals)), dtype=bool)
        for p, port in enumerate(self.ports):
            if not transport_of(port.protocol).logs_in or port.sessions is None:
                continue
            there[:, p, over] = False
            for target, portal in port.sessions:
                if target in at_target and portal in at_portal:
                    there[at_target[target], p, at_portal[portal]] = True
        return there[number]

    @cached_property
    def offering(self) -> Bools:
        """[v, q] Whether a portal's controller offers the volume."""
        rows = [
            [portal.controller in offer.controllers and offer.array in ("", portal.array) for portal in self.portals]
            for offer in self.offers
        ]
        return np.array(rows, dtype=bool).reshape(len(self.offers), len(self.portals))


def _port_kind(port: HostPort, lost: dict[tuple[str, str], str]) -> tuple[object, ...]:
    wiring = (port.up, port.vlan, port.frame_bytes, len(port.active_uplinks), bool(port.standby_uplinks), port.zones)
    return (port.protocol, network_of(port.address), lost.get((port.host, port.name)), *wiring)


def _portal_kind(portal: Portal) -> tuple[object, ...]:
    return (portal.up, portal.vlan, portal.frame_bytes, portal.zones)


def _kinds(keys: Sequence[tuple[object, ...]]) -> tuple[list[int], NDArray[np.int64]]:
    """The first index of each different key, and for every key the number of its kind."""
    first: dict[tuple[object, ...], int] = {}
    number: dict[tuple[object, ...], int] = {}
    for n, key in enumerate(keys):
        first.setdefault(key, n)
        number.setdefault(key, len(number))
    return list(first.values()), np.array([number[key] for key in keys], dtype=np.int64)


@dataclass(frozen=True)
class PathMatrix:
    """[v, p, q] Which paths are expected, which are seen, and the first cause of each that is expected and missing."""

    fabric: Fabric
    expected: Bools
    seen: Bools
    cause: Codes

    @property
    def missing(self) -> Bools:
        """[v, p, q] Paths that are expected and not seen."""
        return np.asarray(self.expected & ~self.seen)

    def per_host(self, which: Bools) -> Counts:
        """[v, h] How many of ``which`` paths [v, p, q] each host has to each volume."""
        by_port = which.sum(axis=2, dtype=np.int32)
        return np.asarray(np.add.reduceat(by_port, self.fabric.first_port, axis=1), dtype=np.int32)

    @cached_property
    def seen_over(self) -> dict[str, Bools]:
        """By protocol, [v, h] whether a host sees a volume over it."""
        protocols = np.array([portal.protocol for portal in self.fabric.portals])
        return {
            str(each): np.asarray(self.per_host(np.asarray(self.seen & (protocols == each))) > 0)
            for each in np.unique(protocols)
        }

    def best_access(self, volumes: slice, port: int, portal: int) -> Access:
        """The best state that the path from ``port`` to ``portal`` has for any of ``volumes``."""
        end = self.fabric.portals[portal]
        offers = self.fabric.offers[volumes]
        first = [self.seen_over[each] for each in transport_of(end.protocol).stands_by_for if each in self.seen_over]
        if first:
            standby = np.logical_or.reduce(first)[volumes, self.fabric.host_of[port]]
            if standby.all():
                return Access.STANDBY
            offers = tuple(offer for offer, waits in zip(offers, standby, strict=True) if not waits)
        owned = any(offer.owner == end.controller for offer in offers)
        return Access.OPTIMIZED if owned else Access.NON_OPTIMIZED

    def verdicts(self, volume: int) -> list[PathVerdict]:
        """All paths of one volume, expected or seen, as ``compare_paths`` gives them."""
        fabric = self.fabric
        found = []
        for p, q in np.argwhere(self.expected[volume] | self.seen[volume]):
            port, portal = fabric.ports[p], fabric.portals[q]
            code = int(self.cause[volume, p, q])
            found.append(
                PathVerdict(
                    port.host,
                    port.name,
                    portal.name,
                    bool(self.expected[volume, p, q]),
                    bool(self.seen[volume, p, q]),
                    self.best_access(slice(volume, volume + 1), int(p), int(q)),
                    None if code == NONE else CAUSES[code],
                )
            )
        return found


def compare_all(fabric: Fabric, seen: Bools | None) -> PathMatrix:
    """Every path of every host to every volume. ``seen`` [v, p, q] is what hosts report; None asks what they will see.

    A host whose initiator is not let in expects its paths all the same, with masking as the cause: give only offers
    and hosts that belong together.
    """
    meant, wiring = fabric.wiring
    expected = meant[None] & fabric.offering[:, None, :]
    code = np.broadcast_to(wiring[None], expected.shape).copy()
    code[expected & (code == NONE) & ~fabric.authenticated[:, :, None]] = CHAP
    code[expected & (code == NONE) & ~fabric.admitted[:, :, None]] = MASKED
    found = expected & (code == NONE) if seen is None else seen
    missing = expected & ~found
    unused = np.array([CAUSES.index(transport_of(portal.protocol).unused) for portal in fabric.portals], dtype=np.int8)
    code = np.where(missing & (code == NONE), np.where(fabric.sessions, unused, NOT_LOGGED_IN), code)
    code[~missing] = NONE
    return PathMatrix(fabric, expected, found, code)


def single_points_all(paths: PathMatrix) -> list[SinglePoint]:
    """For every host and volume, the components without which the host would lose it; as ``single_points``, at once.

    A component is a single point where all paths of a host to a volume run through it, and there is at least one.
    """
    total = paths.per_host(paths.seen)
    return [
        *_own_points(paths, "host port", [f"{port.host} {port.name}" for port in paths.fabric.ports], total),
        *_own_points(paths, "uplink", [uplink_of(port) for port in paths.fabric.ports], total),
        *_portal_points(paths, total),
        *_switch_points(paths, total),
    ]


def _points(kind: str, name: str, paths: PathMatrix, alone: Bools) -> list[SinglePoint]:
    """A point for each [v, h] where ``alone`` holds."""
    fabric = paths.fabric
    return [SinglePoint(name, kind, fabric.hosts[h], fabric.offers[v].volume) for v, h in np.argwhere(alone)]


def _own_points(paths: PathMatrix, kind: str, names: list[str], total: Counts) -> list[SinglePoint]:
    """Single points among components of the hosts themselves; ``names`` has each port's component."""
    fabric = paths.fabric
    first, group = _kinds([(name,) for name in names])
    by_port = paths.seen.sum(axis=2, dtype=np.int32)
    sums = np.zeros((len(first), len(fabric.offers)), dtype=np.int32)
    np.add.at(sums, group, by_port.T)
    host = fabric.host_of[first]
    alone = (total[:, host] == sums.T) & (sums.T > 0)
    return [
        SinglePoint(names[first[n]], kind, fabric.hosts[host[n]], fabric.offers[v].volume)
        for v, n in np.argwhere(alone)
        if names[first[n]]
    ]


def _portal_points(paths: PathMatrix, total: Counts) -> list[SinglePoint]:
    """Single points among portals, subnets, FC fabrics and controllers."""
    fabric = paths.fabric
    by_portal = np.add.reduceat(paths.seen, fabric.first_port, axis=1, dtype=np.int32)
    found: list[SinglePoint] = []
    for kind, names in (
        ("portal", [f"{portal.array} {portal.name}" for portal in fabric.portals]),
        *_networks(fabric),
        ("controller", [f"{portal.array} {portal.controller}" for portal in fabric.portals]),
    ):
        for name in sorted({*names} - {""}):
            through = by_portal[:, :, [n for n, other in enumerate(names) if other == name]].sum(axis=2)
            found += _points(kind, name, paths, (through == total) & (total > 0))
    return found


def _networks(fabric: Fabric) -> list[tuple[str, list[str]]]:
    """By what the transports call it, each portal's network; empty where it is called otherwise."""
    words = [transport_of(portal.protocol).network_word for portal in fabric.portals]
    networks = [network_of(portal.address) for portal in fabric.portals]
    return [
        (word, [name if each == word else "" for name, each in zip(networks, words, strict=True)])
        for word in dict.fromkeys(words)
    ]


def _switch_points(paths: PathMatrix, total: Counts) -> list[SinglePoint]:
    """Single points among switches; a path lies on the switch of either of its ends."""
    fabric = paths.fabric
    found: list[SinglePoint] = []
    port_switch = np.array([switch_of(port) for port in fabric.ports])
    portal_switch = np.array([portal.switch for portal in fabric.portals])
    for name in sorted({*port_switch, *portal_switch} - {""}):
        through = (port_switch == name)[:, None] | (portal_switch == name)[None, :]
        carried = paths.per_host(np.asarray(paths.seen & through))
        found += _points("switch", str(name), paths, np.asarray((carried == total) & (total > 0)))
    return found
