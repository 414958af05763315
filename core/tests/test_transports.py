"""Transports: what each has to hold to, and one that is made up here and known nowhere else."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from movelot_core.fabric import transports
from movelot_core.fabric.causes import Access, Cause
from movelot_core.fabric.matrix import Fabric, compare_all, single_points_all
from movelot_core.fabric.paths import HostPort, Offer, Portal, compare_paths, single_points
from movelot_core.fabric.transports import TRANSPORTS, block_transports, transport_of
from movelot_core.fabric.transports.base import Condition, KnownBy, Transport


class Tidal(Transport):
    """Made up: hosts are let in by address, their ports hang on a rope that both ends share, one end at a time."""

    name = "tidal"
    known_by = KnownBy.ADDRESS
    network_word = "rope"
    port_word = "cleat"
    makes_ports = False
    unused = Cause.NOT_CONNECTED
    stands_by_for = frozenset({"FC"})

    def conditions(self, port: HostPort, portal: Portal) -> Iterator[Condition]:
        yield portal.up, Cause.PORTAL_DOWN
        yield port.vlan == portal.vlan, Cause.VLAN

    def uplink(self, port: HostPort) -> str:
        return ""


@pytest.fixture
def tidal(monkeypatch: pytest.MonkeyPatch) -> str:
    monkeypatch.setitem(transports.TRANSPORTS, Tidal.name, Tidal())
    return Tidal.name


def ends(protocol: str, network: str = "10.40.8") -> tuple[HostPort, Portal]:
    if transport_of(protocol).known_by is KnownBy.WWPN:
        zones = frozenset({"f-1 quay"})
        return (
            HostPort("quay-01", "hba-1", "21:00:00:00:00:00:00:01@f-1", 0, "a", (), protocol=protocol, zones=zones),
            Portal("granite", "A", f"A1-{protocol}", "21:00:00:00:00:00:00:02@f-1", 0, protocol=protocol, zones=zones),
        )
    return (
        HostPort("quay-01", f"storage-{protocol}", f"{network}.11/24", 8, "a", ("up-1",), protocol=protocol),
        Portal("granite", "A", f"A1-{protocol}", f"{network}.1/24", 8, protocol=protocol),
    )


OFFER = Offer("berth-a", "A", frozenset({"A"}), frozenset({"a"}), "granite")


@pytest.mark.parametrize("name", sorted(TRANSPORTS))
def test_every_transport_keeps_the_contract(name: str) -> None:
    transport, (port, portal) = TRANSPORTS[name], ends(name)
    assert transport.name == name
    assert transport.__doc__
    assert isinstance(transport.known_by, KnownBy)
    assert all(other in TRANSPORTS for other in transport.stands_by_for)
    (path,) = compare_paths([port], [portal], OFFER, None)
    assert (path.seen, path.access) == (True, Access.OPTIMIZED)
    (missing,) = compare_paths([port], [portal], OFFER, [])
    assert missing.cause is transport.unused
    for holds, _cause in transport.conditions(port, portal):
        assert holds
    kinds = {point.kind for point in single_points([port], [portal], OFFER, [path])}
    assert transport.network_word in kinds


def test_one_that_is_made_up_is_compared_like_any_other(tidal: str) -> None:
    (port, portal), (fc_port, fc_portal) = ends(tidal), ends("FC")
    both = ([port, fc_port], [portal, fc_portal])
    rows = {path.portal: path for path in compare_paths(*both, OFFER, None)}
    assert rows["A1-tidal"].access is Access.STANDBY
    assert rows["A1-FC"].access is Access.OPTIMIZED
    alone = compare_all(Fabric((port,), (portal,), (OFFER,)), None)
    assert {(point.kind, point.component) for point in single_points_all(alone)} >= {("rope", "10.40.8.0/24")}
    assert not [point for point in single_points_all(alone) if point.kind == "subnet"]
    matrix = compare_all(Fabric(*map(tuple, both), (OFFER,)), None)
    assert {path.portal: path for path in matrix.verdicts(0)} == rows
    assert tidal in block_transports()
