"""What a loss does, beside routes counted one by one: each is a port, one of its uplinks, and a portal."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from movelot_core.fabric.loss import LEGS, Component, Effect, lose
from movelot_core.fabric.matrix import Fabric, compare_all
from movelot_core.fabric.paths import NFS, HostPort, Offer, Portal, network_of
from movelot_core.fabric.transports import transport_of

Route = dict[str, set[str]]


def routes(fabric: Fabric, seen: np.ndarray, host: str) -> list[Route]:
    """Every way of a host to a volume with all that it needs, by kind; written without a word of the code it checks."""
    found = []
    cabled: dict[str, set[str]] = {}
    for port in fabric.ports:
        if port.host == host and port.active_uplinks and port.switch:
            cabled.setdefault(port.switch, set()).add(port.active_uplinks[0])
    for p, q in np.argwhere(seen):
        port, portal = fabric.ports[p], fabric.portals[q]
        if port.host != host:
            continue
        binds = transport_of(port.protocol).binds_uplink
        uplinks = [*port.active_uplinks, *port.standby_uplinks] or ["-"]
        for n, uplink in enumerate(uplinks[:1] if binds else uplinks):
            # Of an interface only the switch of its active uplink is known.
            switches = {portal.switch, *([port.switch] if n == 0 else [])} - {""}
            found.append(
                {
                    "uplink": {f"{host} {uplink}"},
                    "switch": switches,
                    transport_of(portal.protocol).network_word: {network_of(portal.address)},
                    "controller": {f"{portal.array} {portal.controller}"},
                    "portal": {f"{portal.array} {portal.name}"},
                    "host port": {f"{host} {port.name}"},
                    "array": {portal.array},
                    "host": {host},
                    # What is cabled there goes with it, also where it was to take over.
                    "goes with switch": switches | {s for s, names in cabled.items() if uplink in names},
                }
            )
    return found


def hangs_on(kind: str, left: Iterable[Route]) -> bool:
    """Whether one thing of this kind is needed by every route."""
    sets = [route.get(kind, set()) for route in left]
    return bool(sets) and bool(set.intersection(*sets))


def expected(before: list[Route], component: Component) -> Effect:
    kind = "goes with switch" if component.kind == "switch" else component.kind
    after = [route for route in before if component.name not in route.get(kind, set())]
    if before and not after:
        return Effect.STOPS
    fewer = len(after) < len(before)
    newly = any(hangs_on(kind, after) and not hangs_on(kind, before) for kind in LEGS)
    return Effect.THINNER if fewer and newly else Effect.NONE


HOSTS = ("quay-01", "quay-02")


@st.composite
def estates(draw: st.DrawFn) -> tuple[Fabric, np.ndarray]:
    protocol = draw(st.sampled_from(["iSCSI", NFS]))
    uplinks = st.lists(st.sampled_from(["uplink-1", "uplink-2", "uplink-3"]), min_size=1, max_size=3, unique=True)
    switches = st.sampled_from(["switch-1", "switch-2", ""])
    cabling = {(host, f"uplink-{n}"): draw(switches) for host in HOSTS for n in (1, 2, 3)}
    ports = []
    for host in HOSTS:
        for n in range(draw(st.integers(1, 2))):
            chosen = draw(uplinks)
            cut = 1 if protocol == "iSCSI" else draw(st.integers(1, len(chosen)))
            active, standby = tuple(chosen[:cut]), () if protocol == "iSCSI" else tuple(chosen[cut:])
            # An uplink is cabled to one switch, whichever interface takes it.
            switch = cabling[host, active[0]]
            address = f"10.40.{8 + n}.{HOSTS.index(host) + 1}/24"
            ports.append(
                HostPort(host, f"if-{n}", address, 0, address, active, standby, protocol=protocol, switch=switch)
            )
    ends = st.tuples(st.sampled_from("AB"), st.sampled_from(["switch-1", "switch-3", ""]))
    portals = [
        Portal("granite", controller, f"{controller}{n}", f"10.40.{8 + n}.9/24", 0, protocol=protocol, switch=switch)
        for n, (controller, switch) in enumerate(draw(st.lists(ends, min_size=1, max_size=3)))
    ]
    offer = Offer("berth-a", "A", frozenset("AB"), frozenset(port.initiator for port in ports), "granite")
    fabric = Fabric.of(ports, portals, [offer])
    size = len(fabric.ports) * len(fabric.portals)
    seen = np.array(draw(st.lists(st.booleans(), min_size=size, max_size=size))).reshape(1, len(fabric.ports), -1)
    return fabric, seen & fabric.wiring[0][None]


@settings(max_examples=400)
@given(estates())
def test_a_loss_does_what_counting_routes_says(drawn: tuple[Fabric, np.ndarray]) -> None:
    fabric, seen = drawn
    paths = compare_all(fabric, seen)
    by_host = {host: routes(fabric, seen[0], host) for host in fabric.hosts}
    components = {
        (kind, name)
        for found in by_host.values()
        for route in found
        for kind, names in route.items()
        for name in names
        if kind != "goes with switch"
    }
    for kind, name in sorted(components):
        loss = lose(paths, Component(kind, name))
        for h, host in enumerate(fabric.hosts):
            wanted = expected(by_host[host], Component(kind, name))
            assert loss.effect(0, h) is wanted, (kind, name, host, fabric.ports, fabric.portals)


@pytest.mark.parametrize(
    ("component", "effect"),
    [
        (Component("uplink", "quay-01 uplink-3"), Effect.THINNER),
        (Component("uplink", "quay-01 uplink-4"), Effect.THINNER),
        (Component("switch", "switch-1"), Effect.THINNER),
        (Component("uplink", "quay-01 uplink-5"), Effect.NONE),
        (Component("host port", "quay-01 files"), Effect.STOPS),
    ],
)
def test_an_interface_that_loses_one_of_two_uplinks_is_on_the_last(component: Component, effect: Effect) -> None:
    port = HostPort(
        "quay-01",
        "files",
        "10.40.10.1/24",
        410,
        "10.40.10.1",
        ("uplink-3",),
        ("uplink-4",),
        protocol=NFS,
        switch="switch-1",
    )
    portal = Portal("shale", "A", "A1", "10.40.10.9/24", 410, protocol=NFS)
    offer = Offer("sand-01", "A", frozenset("A"), frozenset(["10.40.10.1"]), "shale")
    paths = compare_all(Fabric.of([port], [portal], [offer]), np.ones((1, 1, 1), dtype=bool))
    assert lose(paths, component).effect(0, 0) is effect
