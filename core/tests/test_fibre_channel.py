"""Paths over Fibre Channel: fabrics in place of subnets, zones, and iSCSI that stands by; one at a time and at once."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.fabric.causes import Access, Cause
from movelot_core.fabric.loss import Component, Effect, lose
from movelot_core.fabric.matrix import Fabric, compare_all, single_points_all
from movelot_core.fabric.paths import (
    FC,
    HostPort,
    Offer,
    PathVerdict,
    Portal,
    bare_address,
    compare_paths,
    same_network,
    single_points,
)
from movelot_core.fabric.zoning import Member, Zone, zone_changes


def fc_port(host: str, leg: str, *zones: str, **part: object) -> HostPort:
    wwpn, fabric = f"21:00:02:4b:42:00:{host[-2:]}:0{leg}", f"fabric-{'ab'.index(leg) + 1}"
    usual = HostPort(host, f"fc-{leg}", f"{wwpn}@{fabric}", 0, wwpn, (), protocol=FC, zones=frozenset(zones))
    return dataclasses.replace(usual, **part)  # type: ignore[arg-type]


def fc_portal(controller: str, fabric: int, *zones: str) -> Portal:
    address = f"50:02:4b:42:00:0{'AB'.index(controller)}:00:0{fabric}@fabric-{fabric}"
    name = f"{controller}F{fabric}"
    return Portal(
        "granite", controller, name, address, 0, protocol=FC, switch=f"fc-switch-{fabric}", zones=frozenset(zones)
    )


# One zone for each host port, with the array's two ports in its fabric.
PORTALS = [fc_portal(controller, fabric, f"z1-{fabric}", f"z2-{fabric}") for controller in "AB" for fabric in (1, 2)]
PORTS = [fc_port(f"gate-0{n}", leg, f"z{n}-{'ab'.index(leg) + 1}") for n in (1, 2) for leg in "ab"]


def offer_to(ports: Sequence[HostPort]) -> Offer:
    return Offer("berth-e", "A", frozenset("AB"), frozenset(port.initiator for port in ports), "granite")


def both_ways(
    ports: Sequence[HostPort], portals: Sequence[Portal], offer: Offer, seen: set[tuple[str, str, str]] | None
) -> list[PathVerdict]:
    """The verdicts, after making sure that those of many at once are the same."""
    fabric = Fabric.of(ports, portals, [offer])
    reported = None
    if seen is not None:
        matrix = compare_all(fabric, None)
        reported = matrix.seen & False
        for n, port in enumerate(fabric.ports):
            for m, portal in enumerate(fabric.portals):
                reported[0, n, m] = (port.host, port.name, portal.name) in seen
    paths = compare_paths(ports, portals, offer, seen)
    at_once = compare_all(fabric, reported)
    key = lambda path: (path.host, path.port, path.portal)  # noqa: E731
    assert sorted(at_once.verdicts(0), key=key) == sorted(paths, key=key)
    assert set(single_points_all(at_once)) == set(single_points(ports, portals, offer, paths))
    return paths


def test_two_ports_in_two_fabrics_make_four_paths_a_host() -> None:
    paths = both_ways(PORTS, PORTALS, offer_to(PORTS), None)
    assert len(paths) == 8
    assert all(path.seen for path in paths)
    assert {path.portal for path in paths if path.port == "fc-a"} == {"AF1", "BF1"}


def test_a_pair_that_no_zone_holds_is_named_before_masking() -> None:
    portals = [
        dataclasses.replace(each, zones=each.zones - {"z2-2"}) if each.name == "BF2" else each for each in PORTALS
    ]
    paths = both_ways(PORTS, portals, offer_to(PORTS[:2]), None)
    causes = {(path.host, path.port, path.portal): path.cause for path in paths if path.missing}
    assert causes["gate-02", "fc-b", "BF2"] is Cause.ZONE
    assert causes["gate-02", "fc-a", "AF1"] is Cause.MASKED


@pytest.mark.parametrize("part", [{"vlan": 408}, {"frame_bytes": 1500}, {"active_uplinks": ("a", "b")}])
def test_what_only_ip_has_is_nothing_to_fibre_channel(part: dict[str, object]) -> None:
    port = fc_port("gate-01", "a", "z1-1", **part)
    assert all(path.seen for path in both_ways([port], PORTALS, offer_to([port]), None))


def test_a_port_cabled_to_a_fabric_without_the_array_is_astray() -> None:
    stray = dataclasses.replace(PORTS[0], address=f"{PORTS[0].initiator}@fabric-9")
    paths = both_ways([stray, *PORTS[1:]], PORTALS, offer_to(PORTS), None)
    assert {path.cause for path in paths if path.missing} == {Cause.FABRIC}


def test_without_its_second_port_a_host_hangs_on_one_fabric_and_one_switch() -> None:
    alone = [dataclasses.replace(PORTS[0], switch="fc-switch-1")]
    paths = both_ways(alone, PORTALS, offer_to(alone), None)
    points = single_points(alone, PORTALS, offer_to(alone), paths)
    assert {(point.kind, point.component) for point in points} == {
        ("host port", "gate-01 fc-a"),
        ("fabric", "fabric-1"),
        ("switch", "fc-switch-1"),
    }


def test_losing_a_fabric_leaves_the_other() -> None:
    matrix = compare_all(Fabric.of(PORTS, PORTALS, [offer_to(PORTS)]), None)
    loss = lose(matrix, Component("fabric", "fabric-1"))
    assert [loss.effect(0, host) for host in (0, 1)] == [Effect.THINNER, Effect.THINNER]
    assert loss.after.tolist() == [[2, 2]]


ISCSI_PORT = HostPort("gate-02", "storage-a", "10.40.8.32/24", 408, "iqn.2026-01.example:gate-02", ("uplink-1",))
ISCSI_PORTAL = Portal("granite", "A", "A1", "10.40.8.11/24", 408)


def test_iscsi_stands_by_where_the_volume_is_seen_over_fibre_channel() -> None:
    ports, portals = [*PORTS, ISCSI_PORT], [*PORTALS, ISCSI_PORTAL]
    paths = both_ways(ports, portals, offer_to(ports), None)
    assert {path.access for path in paths if path.port == "storage-a"} == {Access.STANDBY}
    assert Access.STANDBY not in {path.access for path in paths if path.port != "storage-a"}


def test_iscsi_takes_over_once_no_path_over_fibre_channel_is_left() -> None:
    ports, portals = [*PORTS, ISCSI_PORT], [*PORTALS, ISCSI_PORTAL]
    paths = both_ways(ports, portals, offer_to(ports), {("gate-02", "storage-a", "A1")})
    assert [path.access for path in paths if path.seen] == [Access.OPTIMIZED]


def test_a_bare_address_is_without_network() -> None:
    assert bare_address("10.40.8.11/24") == "10.40.8.11"
    assert bare_address("21:00:02:4b:42:00:01:0a@fabric-1") == "21:00:02:4b:42:00:01:0a"


def zones_of(ports: Sequence[HostPort], portals: Sequence[Portal]) -> list[Zone]:
    """The zones that the ports and portals say they are in, with aliases for the portals alone."""
    names = sorted({zone for port in ports for zone in port.zones})
    found = []
    for name in names:
        hosts = [Member("", port.initiator) for port in ports if name in port.zones]
        ends = [Member(f"granite-{p.name.lower()}", bare_address(p.address)) for p in portals if name in p.zones]
        found.append(Zone(f"fabric-{name[-1]}", name, (*hosts, *ends)))
    return found


def test_a_zone_of_the_port_alone_is_extended_by_what_it_lacks() -> None:
    portals = [dataclasses.replace(p, zones=p.zones - {"z2-2"}) if p.name == "BF2" else p for p in PORTALS]
    paths = compare_paths(PORTS, portals, offer_to(PORTS), None)
    (change,) = zone_changes(PORTS, portals, paths, zones_of(PORTS, portals))
    assert (change.fabric, change.zone, change.new) == ("fabric-2", "z2-2", False)
    assert (change.host, change.port) == ("gate-02", "fc-b")
    assert change.members == (Member("granite-bf2", bare_address(portals[3].address)),)


def test_a_port_in_no_zone_gets_one_of_its_own_with_all_of_the_array() -> None:
    ports = [*PORTS[:3], dataclasses.replace(PORTS[3], zones=frozenset())]
    paths = compare_paths(ports, PORTALS, offer_to(ports), None)
    (change,) = zone_changes(ports, PORTALS, paths, zones_of(ports, PORTALS))
    assert (change.zone, change.new) == ("gate-02-fc-b", True)
    assert [member.alias for member in change.members] == ["gate-02-fc-b", "granite-af2", "granite-bf2"]


def test_a_zone_shared_by_hosts_is_left_alone() -> None:
    """Extending it would let the other host reach what it was not asked to."""
    shared = [dataclasses.replace(port, zones=frozenset({"z1-1"})) if port.name == "fc-a" else port for port in PORTS]
    portals = [dataclasses.replace(p, zones=p.zones - {"z1-1"}) if p.name == "BF1" else p for p in PORTALS]
    paths = compare_paths(shared, portals, offer_to(shared), None)
    changes = zone_changes(shared, portals, paths, zones_of(shared, portals))
    assert [(change.host, change.new) for change in changes] == [("gate-01", True), ("gate-02", True)]


@given(st.lists(st.booleans(), min_size=16, max_size=16))
def test_carrying_out_every_change_leaves_no_path_without_a_zone(zoned: list[bool]) -> None:
    """Whatever zones there are: each host port in its own zone with some of the array's ports, or in none."""
    pairs = [(n, m) for n, port in enumerate(PORTS) for m, end in enumerate(PORTALS) if same_network(port, end)]
    there = [pair for pair, on in zip(pairs, zoned, strict=False) if on]
    ports = [dataclasses.replace(p, zones=frozenset({f"{n}-{p.address[-1]}"})) for n, p in enumerate(PORTS)]
    portals = [
        dataclasses.replace(end, zones=frozenset(f"{n}-{end.address[-1]}" for n, k in there if k == m))
        for m, end in enumerate(PORTALS)
    ]
    offer = offer_to(ports)
    for change in zone_changes(ports, portals, compare_paths(ports, portals, offer, None), zones_of(ports, portals)):
        held = {member.wwpn for member in change.members}
        key = frozenset({change.zone})
        ports = [dataclasses.replace(p, zones=p.zones | key) if p.initiator in held else p for p in ports]
        portals = [
            dataclasses.replace(p, zones=p.zones | key) if bare_address(p.address) in held else p for p in portals
        ]
    assert all(path.seen for path in compare_paths(ports, portals, offer, None))
