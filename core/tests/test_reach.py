"""How far a cluster reaches an array, by worked examples."""

from __future__ import annotations

from dataclasses import replace

from movelot_core.fabric.causes import Cause
from movelot_core.fabric.matrix import Fabric, compare_all
from movelot_core.fabric.paths import HostPort, Offer, Portal
from movelot_core.fabric.reach import Reach, ReachState, reach_of
from movelot_core.rounds import MissingPaths

PORTALS = [Portal("granite", c, f"{c}{n}", f"10.40.{n}.{10 + ord(c)}/24", n) for c in "AB" for n in (1, 2)]
PORTS = [
    HostPort(f"quay-{h}", f"storage-{n}", f"10.40.{n}.{h}/24", n, f"iqn.{h}", (f"up-{n}",))
    for h in (1, 2)
    for n in (1, 2)
]
OFFER = Offer("1", "A", frozenset("AB"), frozenset({"iqn.1", "iqn.2"}), "granite")


def reach(ports: list[HostPort], offers: list[Offer], missing: list[tuple[str, MissingPaths]]) -> Reach:
    return reach_of(compare_all(Fabric.of(ports, PORTALS, offers), None), missing)


def test_every_path_is_seen() -> None:
    assert reach(PORTS, [OFFER, replace(OFFER, volume="2")], []) == Reach(ReachState.WHOLE, 8, 8, 8)


def test_a_host_that_lost_half_of_its_paths_breaks_it() -> None:
    ports = [replace(port, vlan=9) if port.host == "quay-2" and port.name == "storage-2" else port for port in PORTS]
    told = MissingPaths(2, 4, 1, ((Cause.VLAN, "storage-2"),))
    found = reach(ports, [OFFER], [("quay-2", told)])
    assert found == Reach(ReachState.BROKEN, 6, 8, 8, 1, "quay-2", Cause.VLAN, "storage-2")


def test_the_host_that_misses_most_is_named() -> None:
    few, more = MissingPaths(7, 8, 2, ((Cause.ZONE, "fc-a"),)), MissingPaths(5, 8, 2, ((Cause.VLAN, "storage-1"),))
    found = reach(PORTS, [OFFER], [("quay-1", few), ("quay-2", more)])
    assert (found.state, found.worst, found.cause, found.troubled) == (ReachState.PARTIAL, "quay-2", Cause.VLAN, 2)


def test_without_a_volume_it_says_how_many_there_could_be() -> None:
    assert reach(PORTS, [], []) == Reach(ReachState.UNUSED, 0, 0, 8)


def test_hosts_in_other_networks_are_apart() -> None:
    ports = [replace(port, address=f"10.50.{n}.1/24") for n, port in enumerate(PORTS)]
    assert reach(ports, [OFFER], []) == Reach(ReachState.APART, 0, 0, 0)


def test_a_host_that_the_array_does_not_let_in_expects_nothing() -> None:
    found = reach(PORTS, [replace(OFFER, initiators=frozenset({"iqn.1"}))], [])
    assert (found.seen, found.expected) == (4, 4)
