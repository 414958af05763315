"""Expected against seen paths, the first failing condition, and single points of failure."""

import dataclasses

import pytest

from movelot_core.fabric.causes import Access, Cause
from movelot_core.fabric.paths import NVME, HostPort, Offer, Portal, compare_paths, lacking, single_points

PORT_A = HostPort("quay-01", "storage-a", "10.40.8.101/24", 408, "iqn.a", ("uplink-1",))
PORT_B = HostPort("quay-01", "storage-b", "10.40.9.101/24", 409, "iqn.a", ("uplink-2",))
PORTALS = [
    Portal("granite", "A", "A1", "10.40.8.11/24", 408),
    Portal("granite", "A", "A2", "10.40.9.11/24", 409),
    Portal("granite", "B", "B1", "10.40.8.12/24", 408),
    Portal("granite", "B", "B2", "10.40.9.12/24", 409),
]
OFFER = Offer("vol-1", "A", frozenset("AB"), frozenset({"iqn.a"}))


def test_four_host_ports_and_two_portals_of_one_subnet_make_eight_paths() -> None:
    ports = [dataclasses.replace(PORT_A, name=f"storage-{n}", address=f"10.40.8.{100 + n}/24") for n in range(4)]
    portals = [Portal("granite", "A", f"A{n}", f"10.40.8.{n}/24", 408) for n in (1, 2)]
    paths = compare_paths(ports, portals, OFFER, None)
    assert len(paths) == 8
    assert all(path.expected and path.seen for path in paths)


def test_paths_through_the_owning_controller_are_optimized() -> None:
    paths = compare_paths([PORT_A, PORT_B], PORTALS, OFFER, None)
    assert {path.portal: path.access for path in paths} == {
        "A1": Access.OPTIMIZED,
        "A2": Access.OPTIMIZED,
        "B1": Access.NON_OPTIMIZED,
        "B2": Access.NON_OPTIMIZED,
    }


@pytest.mark.parametrize(
    ("port", "cause"),
    [
        ({"active_uplinks": ("uplink-1", "uplink-2")}, Cause.TWO_UPLINKS),
        ({"standby_uplinks": ("uplink-2",)}, Cause.STANDBY_UPLINK),
        ({"active_uplinks": ()}, Cause.NO_UPLINK),
        ({"vlan": 999}, Cause.VLAN),
        ({"up": False}, Cause.PORT_DOWN),
        ({"initiator": "iqn.other"}, Cause.MASKED),
        # Several at once: the first in the order of the tests is the reason.
        ({"vlan": 999, "active_uplinks": ("u1", "u2"), "initiator": "iqn.other"}, Cause.VLAN),
    ],
)
def test_a_missing_path_names_its_first_failing_condition(port: dict[str, object], cause: Cause) -> None:
    broken = dataclasses.replace(PORT_A, **port)  # type: ignore[arg-type]
    paths = compare_paths([broken], PORTALS, OFFER, [])
    assert {path.cause for path in paths} == {cause}
    assert all(path.missing for path in paths)


def test_nothing_wrong_and_not_seen_means_not_rescanned() -> None:
    paths = compare_paths([PORT_A], PORTALS, OFFER, [])
    assert {path.cause for path in paths} == {Cause.NOT_RESCANNED}


def test_a_path_that_should_not_be_there_is_reported_too() -> None:
    paths = compare_paths([PORT_A], PORTALS, OFFER, [("quay-01", "storage-a", "A2")])
    extra = [path for path in paths if not path.expected]
    assert [path.portal for path in extra] == ["A2"]


def test_with_one_interface_left_its_subnet_is_a_single_point() -> None:
    broken = dataclasses.replace(PORT_B, active_uplinks=("uplink-1", "uplink-2"))
    paths = compare_paths([PORT_A, broken], PORTALS, OFFER, None)
    kinds = {point.kind for point in single_points([PORT_A, broken], PORTALS, OFFER, paths)}
    assert kinds == {"host port", "uplink", "subnet"}


def test_two_interfaces_and_two_controllers_have_no_single_point() -> None:
    paths = compare_paths([PORT_A, PORT_B], PORTALS, OFFER, None)
    assert single_points([PORT_A, PORT_B], PORTALS, OFFER, paths) == []


def test_nvme_takes_two_uplinks_and_names_what_is_not_connected() -> None:
    port = dataclasses.replace(PORT_A, protocol=NVME, initiator="nqn.a", standby_uplinks=("uplink-2",))
    portals = [dataclasses.replace(portal, protocol=NVME) for portal in PORTALS]
    offer = dataclasses.replace(OFFER, initiators=frozenset({"nqn.a"}))
    seen = [("quay-01", "storage-a", "A1")]
    paths = {path.portal: path for path in compare_paths([port], portals, offer, seen)}
    assert paths["A1"].seen
    assert paths["B1"].cause is Cause.NOT_CONNECTED
    # An uplink in reserve would take over, so that neither is a single point.
    assert "uplink" not in {point.kind for point in single_points([port], portals, offer, list(paths.values()))}


def test_a_port_does_not_reach_portals_of_another_protocol_in_its_subnet() -> None:
    portals = [dataclasses.replace(portal, protocol=NVME) for portal in PORTALS]
    assert compare_paths([PORT_A], portals, OFFER, None) == []


def test_a_host_without_an_interface_where_its_fellows_have_one_lacks_it() -> None:
    fellow = [dataclasses.replace(port, host="quay-02") for port in (PORT_A, PORT_B)]
    found = lacking([PORT_A, *fellow], PORTALS)
    assert [(lack.host, lack.subnet, lack.like.name) for lack in found] == [("quay-01", "10.40.9.0/24", "storage-b")]
    assert lacking([PORT_A, PORT_B, *fellow], PORTALS) == []


def test_a_port_that_strays_and_a_host_of_another_protocol_lack_nothing() -> None:
    fellow = [dataclasses.replace(port, host="quay-02") for port in (PORT_A, PORT_B)]
    stray = dataclasses.replace(PORT_B, address="10.40.77.1/24")
    assert lacking([PORT_A, stray, *fellow], PORTALS) == []
    other = dataclasses.replace(PORT_A, host="quay-03", protocol=NVME)
    assert lacking([PORT_A, PORT_B, other, *fellow], PORTALS) == []
    # One host in three with it is no rule for the others.
    third = dataclasses.replace(PORT_A, host="quay-04")
    assert lacking([PORT_A, *fellow, third], PORTALS) == []
