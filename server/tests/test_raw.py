"""Raw volumes: given to one machine or shared by several, never formatted, taken back only while the machine is off."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.reading import reread
from movelot.inventory.models import Device, Disk, HostDevice, Machine, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from movelot.lots.runner import Driver
from server.tests.conftest import drafted, run_to_end
from server.tests.test_lots import outside


def give(user: User, *names: str, **more: Any) -> Lot:
    machines = list(Machine.objects.filter(name__in=names).values_list("pk", flat=True))
    wanted = {"name": "raw-01", "size": "1 TiB", "pools": ["granite-mixed"], "raw": True, "machines": machines}
    return drafted("attach", user, **{**wanted, **more})


def everything(standins: StandIns) -> Any:
    return outside(standins), {m["name"]: m["raw"] for m in standins.world()["machines"] if m["raw"]}


def texts(lot: Lot, level: str) -> list[str]:
    return [check["text"] for check in lot.checks if check["level"] == level]


def switched(standins: StandIns, name: str, act: str) -> None:
    standins.control("machine", act=act, name=name)
    reread(Device.objects.all())


def test_a_machine_gets_a_volume_that_every_host_sees_and_nobody_formats(estate: StandIns, ines: User) -> None:
    lot = give(ines, "payroll")
    kinds = list(lot.steps.order_by("position").values_list("kind", flat=True))
    assert kinds == ["create_volume", "offer_volume", *["scan"] * 3, *["set_path_policy"] * 3, "give_volume"]
    # The cluster is that of the machine; the giving waits for every host.
    assert (lot.plan["cluster"], lot.title) == ("quayside", "Give raw-01 to payroll")
    assert lot.steps.get(kind="give_volume").needs == [2, 3, 4]
    assert run_to_end(lot).state == Lot.State.DONE
    volume, disk = Volume.objects.get(name="raw-01"), Disk.objects.exclude(raw_serial="").get()
    assert (disk.machine.name, disk.raw_serial, disk.shared) == ("payroll", volume.serial, False)
    assert set(HostDevice.objects.filter(serial=volume.serial).values_list("signature_kind", flat=True)) == {"None"}
    rows = {row["figure"]: (row["predicted"], row["measured"]) for row in lot.outcome["rows"]}
    assert rows == {"machines that have it": (1, 1), "paths": (20, 20)}


def test_an_undo_waits_for_the_machine_to_be_off_and_leaves_nothing(estate: StandIns, ines: User) -> None:
    before = everything(estate)
    undo = actions.undo(run_to_end(give(ines, "payroll")), ines)
    assert any("is on: raw-01 can be taken from it only while it is off." in text for text in texts(undo, "stop"))
    estate.control("machine", act="off", name="payroll")
    actions.run(undo)
    # Switched on again between check and step, the host refuses it.
    estate.control("machine", act="on", name="payroll")
    Driver(Lot.objects.get(pk=undo.pk)).run()
    assert "is on and uses device" in undo.steps.get(state="failed").problem["message"]
    estate.control("machine", act="off", name="payroll")
    assert run_to_end(Lot.objects.get(pk=undo.pk)).state == Lot.State.DONE
    assert everything(estate) == before


def test_machines_of_a_guest_cluster_share_it(estate: StandIns, ines: User) -> None:
    lot = give(ines, "payroll", "tug-roster")
    told = (
        "payroll, tug-roster share it: nothing but their guests' own cluster keeps them from writing over one another."
    )
    assert told in texts(lot, "warn")
    run_to_end(lot)
    assert [(d.machine.name, d.shared) for d in Disk.objects.exclude(raw_serial="").order_by("machine__name")] == [
        ("payroll", True),
        ("tug-roster", True),
    ]


@pytest.mark.parametrize(
    ("names", "form", "text"),
    [
        ((), {}, "Choose the machine that gets it, or those that share it."),
        (("gate-ocr-05",), {"cluster": "quayside"}, "gate-ocr-05 runs on hosts of another cluster"),
    ],
)
def test_who_cannot_get_it_is_said(estate: StandIns, ines: User, names: tuple[str, ...], form: Any, text: str) -> None:
    assert any(text in found for found in texts(give(ines, *names, **form), "stop"))


def test_it_is_never_offered_for_formatting(estate: StandIns, ines: User) -> None:
    run_to_end(give(ines, "payroll"))
    volume = Volume.objects.get(name="raw-01")
    lot = drafted("use_volume", ines, volume=volume.pk, name="x")
    assert texts(lot, "stop")[0] == "It is given to payroll as it is, and never formatted."
    assert not lot.steps.exists()


def test_it_is_no_idle_volume_and_its_trace_leads_from_machine_to_array(
    estate: StandIns, ines: User, api: APIClient
) -> None:
    run_to_end(give(ines, "payroll"))
    volume, disk = Volume.objects.get(name="raw-01"), Disk.objects.exclude(raw_serial="").get()
    findings = api.get("/api/rounds/").json()["findings"]
    assert not [row for row in findings if row["subject"] == "raw-01"]
    up = api.get(f"/api/trace/volume/{volume.pk}/").json()
    names = {layer["kind"]: [link["name"] for link in layer["links"]] for layer in up["layers"]}
    assert (names["machine"], names["disk"]) == (["payroll"], [disk.name])
    assert {way["host"] for way in up["ways"]} == {disk.machine.host.name}
    down = api.get(f"/api/trace/disk/{disk.pk}/").json()
    names = {layer["kind"]: [link["name"] for link in layer["links"]] for layer in down["layers"]}
    assert (names["volume"], names["pool"], names["array"]) == (["raw-01"], ["granite-mixed"], ["granite"])
    assert "datastore" not in names
    assert {"kind": "disk", "id": disk.pk, "to_kind": "volume", "to_id": volume.pk} in down["edges"]
    machine = api.get(f"/api/trace/machine/{disk.machine_id}/").json()
    names = {layer["kind"]: [link["name"] for link in layer["links"]] for layer in machine["layers"]}
    assert {"raw-01", "berth-a"} <= set(names["volume"])


def test_the_loss_of_it_stops_its_machine(estate: StandIns, ines: User, api: APIClient) -> None:
    run_to_end(give(ines, "payroll"))
    answer = api.get("/api/network/loss/", {"kind": "volume", "name": "granite raw-01"}).json()
    assert [(row["name"], row["effect"], row["datastores"]) for row in answer["machines"]] == [
        ("payroll", "stops", ["raw raw-01"])
    ]


def test_it_is_taken_away_once_its_machine_is_off(estate: StandIns, ines: User) -> None:
    before = everything(estate)
    run_to_end(give(ines, "payroll"))
    volume = Volume.objects.get(name="raw-01")
    lot = drafted("detach", ines, volume=volume.pk, confirm="raw-01")
    assert texts(lot, "stop")[0].startswith("raw-01 is used by payroll on quay-")
    switched(estate, "payroll", "off")
    lot = drafted("detach", ines, volume=volume.pk, confirm="raw-01")
    assert lot.steps.first().kind == "take_volume"
    assert run_to_end(lot).state == Lot.State.DONE
    assert everything(estate) == before
