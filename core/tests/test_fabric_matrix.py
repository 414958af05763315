"""Many paths at once agree with one at a time; what a loss would do agrees with taking the component out."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from movelot_core.fabric.causes import Cause
from movelot_core.fabric.loss import Component, Effect, MachineUse, lose, machines_hit, runs_through
from movelot_core.fabric.matrix import Fabric, PathMatrix, compare_all, single_points_all
from movelot_core.fabric.paths import HostPort, Offer, Portal, SinglePoint, compare_paths, single_points, strays
from movelot_core.fabric.transports import TRANSPORTS


def port(host: str, name: str, **part: object) -> HostPort:
    """Interface a is in subnet 8 on switch-1, b in subnet 9 on switch-2."""
    second = name.endswith("b")
    usual = HostPort(
        host,
        name,
        f"10.40.{9 if second else 8}.{10 + sum(map(ord, host)) % 200}/24",
        409 if second else 408,
        f"iqn.2026-01.example:{host}",
        (f"uplink-{2 if second else 1}",),
        switch=f"switch-{2 if second else 1}",
    )
    return dataclasses.replace(usual, **part)  # type: ignore[arg-type]


def portal(name: str, controller: str, second: bool, **part: object) -> Portal:
    usual = Portal(
        "granite",
        controller,
        name,
        f"10.40.{9 if second else 8}.{11 + ord(controller)}/24",
        409 if second else 408,
        switch=f"switch-{2 if second else 1}",
    )
    return dataclasses.replace(usual, **part)  # type: ignore[arg-type]


PORTALS = [portal("A1", "A", False), portal("A2", "A", True), portal("B1", "B", False), portal("B2", "B", True)]


def hosts(*names: str) -> list[HostPort]:
    return [port(name, f"storage-{leg}") for name in names for leg in "ab"]


def offer(volume: str, *let_in: str, owner: str = "A") -> Offer:
    names = frozenset(f"iqn.2026-01.example:{host}" for host in let_in)
    return Offer(volume, owner, frozenset("AB"), names, "granite")


def expected_of(ports: Sequence[HostPort], offers: Sequence[Offer], portals: Sequence[Portal] = PORTALS) -> PathMatrix:
    return compare_all(Fabric.of(ports, portals, offers), None)


def test_two_hosts_with_two_legs_have_eight_paths_to_a_volume() -> None:
    paths = expected_of(hosts("quay-01", "quay-02"), [offer("berth-a", "quay-01", "quay-02")])
    assert int(paths.seen.sum()) == 8
    assert paths.per_host(paths.seen).tolist() == [[4, 4]]
    assert single_points_all(paths) == []


def test_a_port_in_the_wrong_subnet_misses_what_its_namesakes_have() -> None:
    ports = [
        *hosts("quay-01", "quay-02"),
        port("quay-03", "storage-a"),
        port("quay-03", "storage-b", address="10.40.7.9/24"),
    ]
    assert strays(ports, PORTALS) == {("quay-03", "storage-b"): "10.40.9.0/24"}
    verdicts = expected_of(ports, [offer("berth-a", "quay-01", "quay-02", "quay-03")]).verdicts(0)
    lost = [v for v in verdicts if v.missing]
    assert [(v.host, v.port, v.cause) for v in lost] == [("quay-03", "storage-b", Cause.SUBNET)] * 2


def test_a_port_that_no_namesake_shows_to_belong_there_is_no_stray() -> None:
    # An interface for something else, such as management, is in no portal's subnet on any host.
    ports = [*hosts("quay-01"), port("quay-01", "management", address="10.40.1.9/24")]
    assert strays(ports, PORTALS) == {}


def test_frames_that_differ_along_the_way_count_as_no_path() -> None:
    ports = [port("quay-01", "storage-a", frame_bytes=1500), port("quay-01", "storage-b")]
    verdicts = expected_of(ports, [offer("berth-a", "quay-01")]).verdicts(0)
    assert {v.port: v.cause for v in verdicts} == {"storage-a": Cause.FRAME, "storage-b": None}


def test_a_volume_of_another_array_is_not_expected_behind_these_portals() -> None:
    other = dataclasses.replace(offer("slate-01", "quay-01"), array="basalt")
    assert not expected_of(hosts("quay-01"), [other]).expected.any()


def file_ports(*names: str) -> list[HostPort]:
    """An interface for file storage with an uplink in reserve, known to the server by its address."""
    ports = [port(name, "files-a", protocol="NFS", standby_uplinks=("uplink-2",)) for name in names]
    return [dataclasses.replace(each, initiator=each.address.split("/")[0]) for each in ports]


def test_file_storage_takes_an_uplink_in_reserve_and_does_not_hang_on_the_first() -> None:
    ports = file_ports("quay-01")
    server = [portal("A1", "A", False, protocol="NFS")]
    export = Offer("sand-01", "A", frozenset("A"), frozenset({ports[0].initiator}), "granite")
    paths = expected_of(ports, [export], server)
    assert [v.cause for v in paths.verdicts(0)] == [None]
    kinds = {point.kind for point in single_points_all(paths)}
    # One address is one way: its port, server interface, subnet and controller; not the uplink, nor its switch.
    assert kinds == {"host port", "portal", "subnet", "controller", "switch"}
    assert {p.component for p in single_points_all(paths) if p.kind == "switch"} == {"switch-1"}
    other = dataclasses.replace(server[0], switch="switch-9")
    switches = {p.component for p in single_points_all(expected_of(ports, [export], [other])) if p.kind == "switch"}
    assert switches == {"switch-9"}


def test_an_export_that_nothing_keeps_a_host_from_is_not_mounted_rather_than_not_rescanned() -> None:
    ports = file_ports("quay-01", "quay-02")
    server = [portal("A1", "A", False, protocol="NFS")]
    export = Offer("sand-01", "A", frozenset("A"), frozenset({ports[0].initiator}), "granite")
    fabric = Fabric.of(ports, server, [export])
    paths = compare_all(fabric, np.zeros((1, 2, 1), dtype=bool))
    assert [v.cause for v in paths.verdicts(0)] == [Cause.NOT_MOUNTED, Cause.MASKED]


def test_block_and_file_interfaces_of_one_subnet_do_not_mix() -> None:
    assert not expected_of(file_ports("quay-01"), [offer("berth-a", "quay-01")]).expected.any()


@st.composite
def fabrics(draw: st.DrawFn) -> tuple[Fabric, np.ndarray]:
    """Up to three hosts with faults at random, up to five portals, up to three volumes, and what is seen at random."""
    names = [f"quay-0{n}" for n in range(1, draw(st.integers(1, 3)) + 1)]
    faults = st.fixed_dictionaries(
        {},
        optional={
            "vlan": st.sampled_from([408, 999]),
            "active_uplinks": st.sampled_from([(), ("uplink-1",), ("uplink-1", "uplink-2")]),
            "standby_uplinks": st.sampled_from([(), ("uplink-9",)]),
            "frame_bytes": st.sampled_from([1500, 9000]),
            "up": st.booleans(),
            "address": st.sampled_from(["10.40.8.77/24", "10.40.9.77/24", "10.40.3.77/24"]),
            "switch": st.sampled_from(["", "switch-1", "switch-2"]),
            "protocol": st.sampled_from([*TRANSPORTS]),
        },
    )
    ports = [port(name, f"storage-{leg}", **draw(faults)) for name in names for leg in "ab"]
    portals = [
        portal(f"{c}{n}", c, draw(st.booleans()), up=draw(st.booleans()), protocol=draw(st.sampled_from([*TRANSPORTS])))
        for n, c in enumerate(draw(st.lists(st.sampled_from("AB"), min_size=1, max_size=5)))
    ]
    count = draw(st.integers(1, 3))
    offers = [offer(f"vol-{n}", *draw(st.lists(st.sampled_from(names)))) for n in range(count)]
    size = count * len(ports) * len(portals)
    seen = np.array(draw(st.lists(st.booleans(), min_size=size, max_size=size)))
    return Fabric.of(ports, portals, offers), seen.reshape(count, len(ports), len(portals))


def one_by_one(fabric: Fabric, seen: np.ndarray, volume: int) -> tuple[list[object], list[SinglePoint]]:
    reported = [
        (fabric.ports[p].host, fabric.ports[p].name, fabric.portals[q].name) for p, q in np.argwhere(seen[volume])
    ]
    verdicts = compare_paths(fabric.ports, fabric.portals, fabric.offers[volume], reported)
    points = single_points(fabric.ports, fabric.portals, fabric.offers[volume], verdicts)
    return list(verdicts), points


@settings(max_examples=120, deadline=None)
@given(fabrics())
def test_all_at_once_says_what_one_by_one_says(drawn: tuple[Fabric, np.ndarray]) -> None:
    fabric, seen = drawn
    together = compare_all(fabric, seen)
    points = single_points_all(together)
    for v in range(len(fabric.offers)):
        verdicts, single = one_by_one(fabric, seen, v)
        assert set(together.verdicts(v)) == set(verdicts)
        assert {p for p in points if p.volume == fabric.offers[v].volume} == set(single)


@settings(max_examples=80, deadline=None)
@given(fabrics(), st.data())
def test_a_loss_is_what_is_left_without_the_component(drawn: tuple[Fabric, np.ndarray], data: st.DataObject) -> None:
    fabric, seen = drawn
    paths = compare_all(fabric, seen & fabric.wiring[0][None])
    names = {("host", fabric.hosts[0]), ("array", "granite"), ("switch", "switch-1"), ("controller", "granite A")}
    component = Component(*data.draw(st.sampled_from(sorted(names))))
    loss = lose(paths, component)
    for v in range(len(fabric.offers)):
        for h, host in enumerate(fabric.hosts):
            left = [
                (p, q)
                for p, q in np.argwhere(paths.seen[v])
                if fabric.ports[p].host == host and not runs_through(component, fabric.ports[p], fabric.portals[q])
            ]
            assert loss.after[v, h] == len(left)
            assert (loss.effect(v, h) is Effect.STOPS) == (loss.before[v, h] > 0 and not left)


def test_losing_a_switch_leaves_hosts_with_two_legs_on_the_other() -> None:
    paths = expected_of(hosts("quay-01", "quay-02"), [offer("berth-a", "quay-01", "quay-02")])
    loss = lose(paths, Component("switch", "switch-1"))
    assert [loss.effect(0, h) for h in (0, 1)] == [Effect.THINNER, Effect.THINNER]
    assert loss.after.tolist() == [[2, 2]]


def test_losing_the_only_leg_of_a_host_stops_the_machines_on_it_alone() -> None:
    ports = [*hosts("quay-01"), port("quay-03", "storage-a"), port("quay-03", "storage-b", standby_uplinks=("u",))]
    paths = expected_of(ports, [offer("berth-a", "quay-01", "quay-03")])
    component = Component("switch", "switch-1")
    machines = [
        MachineUse("payroll", "quay-01", frozenset({"berth-a"})),
        MachineUse("mail-relay", "quay-03", frozenset({"berth-a"})),
        MachineUse("lamp-keeper", "quay-03", frozenset({"elsewhere"})),
    ]
    hit = machines_hit(paths, lose(paths, component), machines)
    assert hit == {"payroll": Effect.THINNER, "mail-relay": Effect.STOPS}


def test_a_host_already_on_one_switch_gets_thinner_when_it_comes_to_one_controller_as_well() -> None:
    ports = [port("quay-03", "storage-a"), port("quay-03", "storage-b", up=False)]
    paths = expected_of(ports, [offer("berth-a", "quay-03")])
    assert lose(paths, Component("controller", "granite B")).effect(0, 0) is Effect.THINNER
    # A portal less makes it depend on controller B alone in the same way; the other switch carries nothing of it.
    assert lose(paths, Component("portal", "granite A1")).effect(0, 0) is Effect.THINNER
    assert lose(paths, Component("switch", "switch-2")).effect(0, 0) is Effect.NONE


@pytest.mark.parametrize(
    ("component", "volumes", "effect"),
    [
        (Component("array", "granite"), (), Effect.STOPS),
        (Component("volume", "berth-a"), ("berth-a",), Effect.STOPS),
        (Component("pool", "granite-fast"), ("berth-a",), Effect.STOPS),
        (Component("volume", "berth-b"), ("berth-b",), Effect.NONE),
        (Component("controller", "granite A"), (), Effect.THINNER),
        (Component("portal", "granite A1"), (), Effect.NONE),
        (Component("host port", "quay-01 storage-a"), (), Effect.THINNER),
    ],
)
def test_each_kind_of_component_has_its_effect(component: Component, volumes: tuple[str, ...], effect: Effect) -> None:
    paths = expected_of(hosts("quay-01"), [offer("berth-a", "quay-01"), offer("berth-b", "quay-01")])
    assert lose(paths, component, volumes).effect(0, 0) is effect
