"""Fibre Channel in the demo: gatehouse on granite, its zones, the host that has iSCSI too, and lots over WWPNs."""

from __future__ import annotations

from typing import Any

from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.reading import reread
from movelot.inventory.models import Datastore, Device, HostDevice, HostPort, Initiator, Volume, Zone
from movelot.lots import actions
from movelot.lots.models import Lot
from server.tests.conftest import balanced, drafted, figures, run_to_end, signed_in
from server.tests.test_lots import outside

GATES = ["gate-01", "gate-02", "gate-03", "gate-04"]


def gatehouse(api: APIClient, **query: Any) -> dict[str, Any]:
    found: dict[str, Any] = api.get("/api/network/paths/", {"cluster": "gatehouse", "array": "granite", **query}).json()
    return found


def finding_of(host: str) -> dict[str, Any] | None:
    rows = signed_in("ines.marrow").get("/api/rounds/").json()["findings"]
    return next((row for row in rows if row["subject"] == host), None)


def attach(user: User, **more: Any) -> Lot:
    return drafted("attach", user, cluster="gatehouse", name="berth-n", size="1 TiB", pools=["granite-mixed"], **more)


def test_ports_zones_and_protocols_are_read(estate: StandIns) -> None:
    host = Device.objects.get(name="gate-01")
    assert host.wwpns == ["21:00:02:4b:42:00:01:01", "21:00:02:4b:42:00:01:02"]
    assert host.capabilities.get(code="protocols").detail == "FC, NFS"
    granite = Device.objects.get(name="granite")
    assert granite.protocols == {"iSCSI", "FC"}
    port = HostPort.objects.get(device=host, name="fc-b")
    assert (port.network, port.switch) == ("21:00:02:4b:42:00:01:02@fabric-2", "fc-switch-2")
    zone = Zone.objects.get(device=granite, name="gate-01-fc-b")
    assert [alias for alias, _ in zone.members] == ["gate-01-fc-b", "granite-af2", "granite-bf2"]
    assert Initiator.objects.get(identifier=host.wwpns[0]).name == "gate-01-fc-a"


def test_a_missing_zone_is_found_and_what_to_ask_for_is_said(estate: StandIns, api: APIClient) -> None:
    found = finding_of("gate-03")
    assert found
    assert (found["figures"]["seen"], found["figures"]["expected"], found["urgency"]) == (3, 4, "soon")
    assert found["reasons"] == ["no zone holds fc-b and the array's port together"]
    # Switches are nobody's device here: what can be done is to ask for the zone.
    assert found["draft"] is None
    (wish,) = gatehouse(api)["zones"]
    assert (wish["fabric"], wish["zone"], wish["new"]) == ("fabric-2", "gate-03-fc-b", False)
    assert [member["alias"] for member in wish["members"]] == ["granite-bf2"]
    assert api.get("/api/network/paths/", {"cluster": "quayside", "array": "granite"}).json()["zones"] == []


def test_once_zoned_a_rescan_brings_the_path_and_the_finding_goes(estate: StandIns, api: APIClient, ines: User) -> None:
    (wish,) = gatehouse(api)["zones"]
    zone = Zone.objects.get(fabric=wish["fabric"], name=wish["zone"])
    members = [*zone.members, *([member["alias"], member["wwpn"]] for member in wish["members"])]
    estate.control("zone", fabric=wish["fabric"], name=wish["zone"], members=members)
    reread(Device.objects.all())
    assert gatehouse(api)["zones"] == []
    found = finding_of("gate-03")
    assert found
    assert found["draft"]["action"] == "Rescan the host"
    lot = run_to_end(drafted(found["draft"]["kind"], ines, **found["draft"]["form"]))
    assert figures(lot) == (6, 8, 8)
    assert finding_of("gate-03") is None
    # It is settled: to draft it again finds the same paths.
    assert gatehouse(api)["board"]["seen"] == gatehouse(api)["board"]["expected"]


def test_a_host_without_a_port_in_a_fabric_is_told_to_lack_hardware(
    estate: StandIns, api: APIClient, ines: User
) -> None:
    wwpn = Device.objects.get(name="gate-02").wwpns[1]
    estate.control("wire", host="gate-02", interface="fc-b", address=f"{wwpn}@fabric-1")
    reread(Device.objects.all())
    rows = [row for row in api.get("/api/rounds/").json()["findings"] if row["kind"] == "no_interface"]
    assert [(row["subject"], row["figures"]["subnet"], row["figures"]["what"]) for row in rows] == [
        ("gate-02", "fabric-2", "port")
    ]
    # No lot can fit a port.
    assert rows[0]["draft"] is None
    lot = drafted("interfaces", ines, cluster="gatehouse", array="granite")
    assert lot.checks[0]["text"] == "What is missing are FC ports: gate-02 in fabric-2. These are cards and cables."
    board = gatehouse(api)["board"]
    assert "no port in fabric-2" in next(host for host in board["hosts"] if host["name"] == "gate-02")["reason"]


def test_iscsi_stands_by_on_the_host_that_has_both(estate: StandIns, api: APIClient) -> None:
    board = gatehouse(api, volume=Volume.objects.get(name="berth-j").pk)["board"]
    row = next(host for host in board["hosts"] if host["name"] == "gate-04")
    states = {(path["port"], path["state"]) for path in row["paths"]}
    assert states == {
        ("fc-a", "active"),
        ("fc-a", "other"),
        ("fc-b", "active"),
        ("fc-b", "other"),
        ("storage-a", "standby"),
    }
    # What the host itself reports is the same.
    device = HostDevice.objects.get(device__name="gate-04", serial=Volume.objects.get(name="berth-j").serial)
    assert {state for port, _, state in device.paths if port == "storage-a"} == {"Standby"}
    # Quayside has no FC ports: the array's are no columns of its board.
    quayside = api.get("/api/network/paths/", {"cluster": "quayside", "array": "granite"}).json()["board"]
    assert not [portal for portal in quayside["portals"] if "F" in portal["name"]]


def test_a_datastore_is_attached_over_fibre_channel_and_taken_back(estate: StandIns, ines: User) -> None:
    before = outside(estate)
    lot = attach(ines)
    # Two ports of four hosts and the IQN of the one that has iSCSI too.
    offer = lot.steps.get(kind="offer_volume")
    assert len(offer.params["initiator_uris"]) == 9
    assert not lot.steps.filter(kind="add_initiator").exists()
    assert (lot.plan["board"]["seen"], lot.plan["board"]["expected"]) == (19, 20)
    warned = [check["text"] for check in lot.checks if check["level"] == "warn"]
    assert warned == ["gate-03 would miss 1 of its paths: no zone holds fc-b and the array's port together."]
    assert run_to_end(lot).state == Lot.State.DONE
    store = Datastore.objects.get(name="berth-n")
    assert sorted(store.mounts.values_list("host__name", flat=True)) == GATES
    rows = {row["figure"]: row for row in lot.outcome["rows"]}
    assert rows["paths"]["predicted"] == rows["paths"]["measured"] == 19
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert outside(estate) == before


def test_a_volume_is_offered_to_hosts_whose_wwpns_are_new_to_the_array(estate: StandIns, ines: User) -> None:
    wwpn = Device.objects.get(name="gate-01").wwpns[0]
    Initiator.objects.filter(identifier=wwpn).delete()
    lot = drafted("spread", ines, volume=Volume.objects.get(name="slate-09").pk, cluster="gatehouse")
    made = lot.steps.get(kind="add_initiator")
    assert made.params == {"identifier": wwpn}
    assert made.title == f"Make the WWPN {wwpn} of gate-01 known"
    assert run_to_end(lot).state == Lot.State.DONE
    seen = HostDevice.objects.filter(serial=Volume.objects.get(name="slate-09").serial)
    assert sorted(seen.values_list("device__name", flat=True)) == GATES


def test_losing_a_fabric_leaves_every_host_on_the_other(estate: StandIns, api: APIClient) -> None:
    answer = api.get("/api/network/loss/", {"kind": "fabric", "name": "fabric-1"}).json()
    # gate-04, with one of the six machines, still has iSCSI beside the other fabric.
    assert (answer["machines_stop"], answer["machines_thinner"]) == (0, 5)
    gone = api.get("/api/network/loss/", {"kind": "subnet", "name": "fabric-1"})
    assert gone.status_code == 404


def test_the_trace_names_the_wwpns_that_a_host_sees_a_volume_by(estate: StandIns, api: APIClient) -> None:
    trace = api.get(f"/api/trace/datastore/{Datastore.objects.get(name='berth-j').pk}/").json()
    ways = {way["host"]: way for way in trace["ways"]}
    assert ways["gate-01"]["initiator"] == "21:00:02:4b:42:00:01:01, 21:00:02:4b:42:00:01:02"
    assert "iqn.2026-01.example.kestrelbay:gate-04" in ways["gate-04"]["initiator"]


def test_a_cluster_without_storage_ports_is_told_so(estate: StandIns, api: APIClient, ines: User) -> None:
    answer = api.get("/api/network/paths/", {"cluster": "lightvessel", "array": "granite"}).json()
    assert (answer["board"]["seen"], answer["points"], answer["zones"]) == (0, [], [])
    lot = drafted("attach", ines, cluster="lightvessel", name="lamp", size="1 TiB")
    stops = {check["text"] for check in lot.checks if check["level"] == "stop"}
    assert any("no host of the cluster reaches its array" in text for text in stops)
    board = api.get("/api/balance/groups/lightvessel/")
    assert (board.status_code, board.json()["datastores"]) == (200, [])
    assert balanced(api, "lightvessel")["plan"]["moves"] == []
    assert drafted("balance", ines, group="lightvessel", aim="even").steps.count() == 0
    told = api.get("/api/balance/groups/lightvessel/alternatives/").json()
    assert [(plan["fullest"], plan["moves"]) for plan in told] == [("", 0), ("", 0)]
