"""What the loss of each component would do to the demo's estate, as the API answers it."""

from __future__ import annotations

import csv
import io
from collections import Counter
from typing import Any

import pytest
from django.db.models import Q
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.inventory.models import Datastore, Device, Disk, Machine, Mount, Volume
from server.tests.conftest import signed_in


def on_granite() -> set[str]:
    """Datastores on volumes of granite."""
    of_granite = Volume.objects.filter(device__name="granite").values("serial")
    return set(Datastore.objects.filter(extents__serial__in=of_granite).values_list("name", flat=True))


def machines_on(stores: set[str]) -> set[str]:
    return set(Machine.objects.filter(disks__placement__datastore__name__in=stores).values_list("name", flat=True))


def loss(api: APIClient, kind: str, name: str) -> dict[str, Any]:
    answer = api.get("/api/network/loss/", {"kind": kind, "name": name})
    assert answer.status_code == 200, answer.content
    found: dict[str, Any] = answer.json()
    return found


def effects(answer: dict[str, Any]) -> dict[str, str]:
    return {row["name"]: row["effect"] for row in answer["machines"]}


def test_losing_the_switch_of_the_only_leg_left_stops_that_host_alone(estate: StandIns, api: APIClient) -> None:
    answer = loss(api, "switch", "switch-1")
    over_iscsi = Q(disks__placement__datastore__name__startswith="berth") | Q(
        disks__placement__datastore__name__startswith="slate"
    )
    on_blocks = Machine.objects.filter(over_iscsi, placement__host__cluster__name="quayside").distinct()
    on_quay_03 = set(on_blocks.filter(placement__host__name="quay-03").values_list("name", flat=True))
    stopped = {name for name, effect in effects(answer).items() if effect == "stops"}
    assert stopped == on_quay_03
    # File storage goes over an interface of two uplinks, the active one cabled to that switch.
    files = Datastore.objects.filter(mounts__in=Mount.objects.exclude(server=""))
    on_files = Machine.objects.filter(disks__placement__datastore__in=files).distinct()
    thinner = {*on_blocks.values_list("name", flat=True), *on_files.values_list("name", flat=True)} - on_quay_03
    assert answer["machines_thinner"] == len(thinner)
    assert answer["hosts_stop"] == 1
    berth_a = next(row for row in answer["volumes"] if row["name"] == "berth-a")
    assert (berth_a["stops"], berth_a["thinner"]) == (["quay-03"], ["quay-01", "quay-02"])


def test_losing_the_other_switch_stops_nobody(estate: StandIns, api: APIClient) -> None:
    answer = loss(api, "switch", "switch-2")
    assert answer["machines_stop"] == 0
    # quay-03 has nothing on it to lose.
    assert "quay-03" not in {host for row in answer["volumes"] for host in row["thinner"]}


def test_losing_a_controller_leaves_every_host_on_the_other(estate: StandIns, api: APIClient) -> None:
    answer = loss(api, "controller", "granite A")
    assert answer["machines_stop"] == 0
    assert answer["machines_thinner"] == len(machines_on(on_granite()))
    assert {row["datastore"] for row in answer["volumes"]} == on_granite()


def test_losing_one_portal_of_eight_touches_nothing(estate: StandIns, api: APIClient) -> None:
    answer = loss(api, "portal", "granite A1")
    assert (answer["volumes"], answer["machines"]) == ([], [])


@pytest.mark.parametrize(
    ("kind", "name", "stores"),
    [
        ("pool", "granite granite-fast", {"berth-a", "berth-b"}),
        ("volume", "granite berth-c", {"berth-c"}),
        ("array", "granite", None),
    ],
)
def test_what_goes_whole_stops_every_machine_on_it(
    estate: StandIns, api: APIClient, kind: str, name: str, stores: set[str] | None
) -> None:
    answer = loss(api, kind, name)
    stores = stores or on_granite()
    assert {row["datastore"] for row in answer["volumes"] if row["stops"]} == stores
    on_it = machines_on(stores)
    assert {n for n, effect in effects(answer).items() if effect == "stops"} == on_it
    assert answer["machines_stop"] == len(on_it)


def test_losing_a_host_stops_its_machines(estate: StandIns, api: APIClient) -> None:
    answer = loss(api, "host", "quay-01")
    assert set(effects(answer)) == set(
        Machine.objects.filter(placement__host__name="quay-01").values_list("name", flat=True)
    )
    assert set(effects(answer).values()) == {"stops"}


def test_a_host_goes_with_all_its_disks_wherever_they_lie(estate: StandIns, api: APIClient) -> None:
    for host in Device.objects.filter(kind="host").values_list("name", flat=True):
        answer = loss(api, "host", host)
        disks = Disk.objects.filter(machine__placement__host__name=host)
        by_machine = Counter(disks.values_list("machine__name", flat=True))
        assert answer["disks_stop"] == disks.count(), host
        assert {row["name"]: row["disks"] for row in answer["machines"]} == dict(by_machine), host


def test_a_machine_with_disks_on_two_arrays_is_counted_with_both(estate: StandIns, api: APIClient) -> None:
    answer = loss(api, "switch", "switch-1")
    for row in answer["machines"]:
        of_machine = Disk.objects.filter(machine__name=row["name"])
        assert row["disks"] <= of_machine.count()
        assert set(row["datastores"]) <= {*of_machine.values_list("placement__datastore__name", flat=True)}


@pytest.mark.parametrize(("kind", "name"), [("uplink", "quay-01 uplink-3"), ("uplink", "quay-01 uplink-4")])
def test_an_uplink_of_a_file_interface_leaves_the_host_on_the_other(
    estate: StandIns, api: APIClient, kind: str, name: str
) -> None:
    answer = loss(api, kind, name)
    on_files = Datastore.objects.filter(mounts__host__name="quay-01").exclude(mounts__server="")
    assert {row["datastore"] for row in answer["volumes"]} == set(on_files.values_list("name", flat=True))
    assert {host for row in answer["volumes"] for host in row["thinner"]} == {"quay-01"}
    assert answer["machines_stop"] == 0


def test_each_machine_is_named_with_host_system_and_address(estate: StandIns, api: APIClient) -> None:
    row = next(row for row in loss(api, "pool", "granite granite-fast")["machines"] if row["name"] == "berth-plan-db")
    assert (row["os"], row["address"], row["disks"]) == ("Linux 6.1", "10.40.20.11", 3)
    assert (row["datastores"], row["labels"]) == (["berth-a"], [])


def test_the_csv_has_every_machine_and_whose_it_is(estate: StandIns, api: APIClient) -> None:
    for key, value in (("team", "wages"), ("owner", "ada")):
        Machine.objects.get(name="payroll").labels.create(key=key, value=value)
    answer = api.get("/api/network/loss/csv/", {"kind": "array", "name": "granite"})
    assert answer["Content-Type"].startswith("text/csv")
    rows = list(csv.DictReader(io.StringIO(answer.content.decode())))
    assert {row["machine"] for row in rows} == machines_on(on_granite())
    assert {row["effect"] for row in rows} == {"stops"}
    assert {row["machine"]: row["labels"] for row in rows if row["labels"]} == {"payroll": "owner=ada team=wages"}


def test_no_name_becomes_a_formula(estate: StandIns, api: APIClient) -> None:
    Machine.objects.filter(name="payroll").update(name="=1+1")
    answer = api.get("/api/network/loss/csv/", {"kind": "array", "name": "granite"})
    assert "\r\n'=1+1,stops," in answer.content.decode()


@pytest.mark.parametrize(("kind", "name"), [("", ""), ("teapot", "granite"), ("array", "flint"), ("pool", "berth-a")])
def test_a_component_that_is_not_there_is_said(estate: StandIns, api: APIClient, kind: str, name: str) -> None:
    answer = api.get("/api/network/loss/", {"kind": kind, "name": name})
    assert (answer.status_code, answer.json()["code"]) == (404, "component_unknown")


def test_components_are_found_by_kind_and_name(estate: StandIns, api: APIClient) -> None:
    def names(text: str) -> set[tuple[str, str]]:
        return {(row["kind"], row["name"]) for row in api.get("/api/network/components/", {"q": text}).json()}

    assert names("switch switch-") == {("switch", "switch-1"), ("switch", "switch-2")}
    assert names("fabric-") == {("fabric", "fabric-1"), ("fabric", "fabric-2")}
    assert ("uplink", "quay-01 uplink-1") in names("quay-01")
    assert ("controller", "granite B") in names("controller")
    assert names("teapot") == set()
    assert len(names("")) <= 60


def test_every_component_offered_has_an_answer(estate: StandIns, api: APIClient) -> None:
    for row in api.get("/api/network/components/").json():
        answer = loss(api, row["kind"], row["name"])
        assert answer["machines_stop"] + answer["machines_thinner"] <= 43


def test_the_storage_team_and_the_auditor_may_ask(estate: StandIns) -> None:
    for name in ("tobias.wren", "auditor"):
        assert loss(signed_in(name), "switch", "switch-1")["machines_stop"] > 0
