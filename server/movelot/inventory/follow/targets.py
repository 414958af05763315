"""The names that hosts are known by, the targets that they know, and their sessions with these."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from movelot.inventory.bulk import insert
from movelot.inventory.models import Device, HostInitiator, KnownTarget, Session
from movelot.inventory.readings import HostReading
from movelot_core.fabric.paths import ISCSI, NVME, bare_address
from movelot_core.fabric.transports import transport_of
from movelot_core.fabric.transports.base import KnownBy

Told = Sequence[tuple[Device, HostReading]]
# Protocol, CHAP method, and the [port, portal] pairs of a target.
Target = tuple[str, str, list[list[str]]]


def follow_names(told: Told) -> None:
    """Make the names of each host be those that it told."""
    wanted = {device.pk: _names(reading) for device, reading in told}
    known: dict[int, list[tuple[str, str]]] = {device.pk: [] for device, _ in told}
    rows = HostInitiator.objects.filter(host__in=known)
    for host, identifier, known_by in rows.values_list("host_id", "identifier", "known_by"):
        known[host].append((identifier, known_by))
    others = [host for host, names in wanted.items() if known[host] != names]
    HostInitiator.objects.filter(host__in=others).delete()
    insert(
        HostInitiator,
        [
            {"host_id": host, "identifier": identifier, "known_by": known_by}
            for host in others
            for identifier, known_by in wanted[host]
        ],
    )


def _names(reading: HostReading) -> list[tuple[str, str]]:
    fibre_channel = [
        bare_address(port["network"])
        for port in reading.ports
        if transport_of(port["protocol"]).known_by is KnownBy.WWPN
    ]
    named = [(reading.initiator, KnownBy.IQN), (reading.nqn, KnownBy.NQN)]
    named += [(wwpn, KnownBy.WWPN) for wwpn in fibre_channel]
    return list(dict.fromkeys((name, str(known_by)) for name, known_by in named if name))


def follow_targets(told: Told) -> None:
    """Make the targets and sessions of each host be those that it told."""
    wanted = {device.pk: _targets(reading) for device, reading in told}
    known = _known(list(wanted))
    others = [host for host, targets in wanted.items() if known[host] != targets]
    if not others:
        return
    there = KnownTarget.objects.filter(host__in=others)
    there.delete()
    insert(
        KnownTarget,
        [
            {"host_id": host, "name": name, "protocol": protocol, "chap": chap}
            for host in others
            for name, (protocol, chap, _) in wanted[host].items()
        ],
    )
    keys = {(host, name): key for key, host, name in there.values_list("pk", "host_id", "name")}
    insert(
        Session,
        [
            {"target_id": keys[host, name], "port": port, "portal": portal}
            for host in others
            for name, (_, _, pairs) in wanted[host].items()
            for port, portal in pairs
        ],
    )


def _targets(reading: HostReading) -> dict[str, Target]:
    found: dict[str, Target] = {name: (NVME, "", pairs) for name, pairs in reading.subsystems.items()}
    for name in {**reading.sessions, **reading.chap}:
        found[name] = (ISCSI, reading.chap.get(name, ""), reading.sessions.get(name, []))
    return found


def _known(hosts: Sequence[int]) -> Mapping[int, dict[str, Target]]:
    found: dict[int, dict[str, Target]] = {host: {} for host in hosts}
    names = {}
    for key, host, name, protocol, chap in KnownTarget.objects.filter(host__in=hosts).values_list(
        "pk", "host_id", "name", "protocol", "chap"
    ):
        found[host][name] = (protocol, chap, [])
        names[key] = host, name
    for key, port, portal in Session.objects.filter(target__in=names).values_list("target_id", "port", "portal"):
        host, name = names[key]
        found[host][name][2].append([port, portal])
    return found
