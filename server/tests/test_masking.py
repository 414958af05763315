"""Masking put right, and volumes taken away, on real stand-ins: run, verified, undone, refused."""

from __future__ import annotations

from typing import Any

import pytest
from django.utils.timezone import now
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices import array
from movelot.devices.reading import reread
from movelot.devices.session import session_with
from movelot.inventory.changes import everything_changed
from movelot.inventory.follow.shared import initiator_listing, initiator_sets
from movelot.inventory.luns import numbers_apart
from movelot.inventory.models import Datastore, Device, HostDevice, Initiator, Offer, Volume
from movelot.lots import actions
from movelot.lots.drafting import redraft, set_form
from movelot.lots.models import Lot, Step
from movelot.lots.runner import Driver
from movelot.problems import Problem
from server.tests.conftest import drafted, refused, run_to_end, signed_in
from server.tests.test_lots import outside

RETIRED = "iqn.2026-01.example.kestrelbay:quay-09"


def volume(name: str) -> int:
    return Volume.objects.get(name=name).pk


def checks_of(lot: Lot, level: str) -> str:
    return " ".join(check["text"] for check in lot.checks if check["level"] == level)


def run_with_fault(lot: Lot, standins: StandIns, device: str, kind: str, n: int = 1) -> Lot:
    """Start, switch a fault on, and drive the lot as far as it goes."""
    actions.run(lot)
    standins.fault(device, kind, n=n)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    standins.fault(device)
    lot.refresh_from_db()
    return lot


def test_a_volume_seen_by_some_is_shown_to_all_and_mounted(estate: StandIns, ines: User) -> None:
    lot = drafted("spread", ines, volume=volume("berth-f"))
    assert [step.kind for step in lot.steps.all()] == ["let_in", "scan", "mount", "set_path_policy"]
    assert run_to_end(lot).state == Lot.State.DONE
    store = Datastore.objects.get(name="berth-f")
    assert sorted(store.mounts.values_list("host__name", flat=True)) == ["quay-01", "quay-02", "quay-03"]
    luns = HostDevice.objects.filter(serial__in=store.serials).values_list("lun", flat=True)
    assert set(luns) == {16}
    assert lot.outcome["rows"][0]["measured"] == 3


def test_a_volume_that_all_see_leaves_nothing_to_do(estate: StandIns, ines: User) -> None:
    lot = drafted("spread", ines, volume=volume("berth-a"))
    assert "Every host sees berth-a already." in checks_of(lot, "stop")
    with pytest.raises(Problem):
        actions.run(lot)


def test_a_lun_number_in_use_on_the_host_stops_the_lot(estate: StandIns, ines: User) -> None:
    Offer.objects.filter(volume__name="berth-a").update(lun=16)
    lot = drafted("spread", ines, volume=volume("berth-f"))
    assert "LUN number 16 is another volume's on quay-02." in checks_of(lot, "stop")


@pytest.fixture
def numbered_apart(estate: StandIns, ines: User) -> Volume:
    """berth-e, that somebody offers to quay-03 under a LUN number of its own."""
    run_to_end(drafted("attach", ines, cluster="quayside", name="berth-e", size="1 TiB"))
    offer = Offer.objects.get(volume__name="berth-e")
    quay_03 = Initiator.objects.get(device=offer.device, identifier__endswith="quay-03").uri
    known = Initiator.objects.filter(device=offer.device, identifier__in=offer.initiators)
    others = [{"@odata.id": row.uri} for row in known if row.uri != quay_03]
    session = session_with(offer.device)
    session.patch(offer.uri, {"Links": {"InitiatorEndpoints": others}}, offer.etag)
    array.offer_volume(session, offer.volume.uri, [quay_03], 40)
    reread(Device.objects.all())
    return offer.volume


def test_lun_numbers_that_differ_are_a_finding_and_a_warning(numbered_apart: Volume, ines: User) -> None:
    rows = signed_in("ines.marrow").get("/api/rounds/").json()["findings"]
    (found,) = [row for row in rows if row["kind"] == "numbered_apart"]
    luns = dict(HostDevice.objects.filter(serial=numbered_apart.serial).values_list("device__name", "lun"))
    assert luns["quay-01"] == luns["quay-02"] != luns["quay-03"] == 40
    assert (found["subject"], found["draft"]) == ("berth-e", None)
    assert found["reasons"] == [f"{luns['quay-01']} on quay-01, quay-02", "40 on quay-03"]
    lot = drafted("spread", ines, volume=numbered_apart.pk)
    assert "Every host sees berth-e already." in checks_of(lot, "stop")


def test_a_host_is_let_in_to_the_offer_of_its_own_cluster(numbered_apart: Volume, ines: User) -> None:
    older, newer = Offer.objects.filter(volume=numbered_apart).order_by("pk")
    # As if the older one were of another cluster, and quay-02 in neither.
    gates = list(older.device.initiators.exclude(identifier__contains="quay").values_list("identifier", flat=True))
    assert gates
    key = older.device_id, initiator_listing(gates)
    Offer.objects.filter(pk=older.pk).update(initiator_set=initiator_sets(older.device_id, [gates])[key])
    HostDevice.objects.filter(device__name__in=["quay-01", "quay-02"], serial=numbered_apart.serial).delete()
    lot = drafted("spread", ines, volume=numbered_apart.pk)
    step = lot.steps.get(kind="let_in")
    assert (step.params["uri"], step.detail) == (newer.uri, "LUN number 40, as on the other hosts")
    assert len(step.params["wanted"]) > len(step.params["before"]) == 1


def test_a_device_that_was_withdrawn_has_no_number(numbered_apart: Volume) -> None:
    assert [apart.name for apart in numbers_apart()] == ["berth-e"]
    session_with(numbered_apart.device).delete(Offer.objects.get(volume=numbered_apart, lun=40).uri)
    reread(Device.objects.all())
    # The host has not rescanned since.
    assert HostDevice.objects.filter(device__name="quay-03", serial=numbered_apart.serial, lun=0).exists()
    assert not list(numbers_apart())


def test_what_is_offered_to_each_host_apart_is_taken_away_whole_and_comes_back(
    estate: StandIns, numbered_apart: Volume, ines: User
) -> None:
    before = outside(estate)
    lot = run_to_end(drafted("detach", ines, volume=numbered_apart.pk, keep=True))
    assert (lot.state, lot.steps.filter(kind="withdraw_volume").count()) == (Lot.State.DONE, 2)
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert outside(estate) == before


def test_an_initiator_of_nobody_is_forgotten_and_can_come_back(estate: StandIns, ines: User) -> None:
    before = outside(estate)
    lot = run_to_end(drafted("initiator", ines, initiator=RETIRED))
    assert lot.state == Lot.State.DONE
    assert RETIRED not in estate.world()["initiators"]
    assert not Initiator.objects.filter(identifier=RETIRED).exists()
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert outside(estate) == before


def test_the_initiator_of_a_linked_host_is_not_forgotten(estate: StandIns, ines: User) -> None:
    lot = drafted("initiator", ines, initiator="iqn.2026-01.example.kestrelbay:quay-01")
    assert "It is the initiator of quay-01, which is linked." in checks_of(lot, "stop")


def test_masking_changed_by_somebody_else_meanwhile_stops_the_run(estate: StandIns, ines: User) -> None:
    lot = drafted("initiator", ines, initiator=RETIRED)
    other = drafted("spread", ines, volume=volume("berth-f"))
    run_to_end(other)
    assert run_to_end(lot).state == Lot.State.DONE
    sees = next(c for c in estate.world()["connections"] if c["volume"] == "6")["initiators"]
    assert len(sees) == 3


def test_an_idle_volume_is_deleted_once_its_name_is_typed(estate: StandIns, ines: User) -> None:
    lot = drafted("detach", ines, volume=volume("slate-09"))
    assert "Type the volume's name, slate-09" in checks_of(lot, "stop")
    with pytest.raises(Problem):
        actions.run(lot)
    set_form(lot, {**lot.form, "confirm": "slate-09"}, lot.created_by)
    assert run_to_end(lot).state == Lot.State.DONE
    assert "slate-09" not in {v["name"] for v in estate.world()["volumes"]}
    rows = {row["figure"]: row["measured"] for row in lot.outcome["rows"]}
    assert rows["capacity in bytes"] == 1024**4
    with pytest.raises(Problem) as final:
        actions.undo(lot, ines)
    assert final.value.code == "irreversible"


@pytest.mark.parametrize("typed", ["", "slate", "SLATE-09", "berth-a"])
def test_another_name_does_not_allow_deleting(estate: StandIns, ines: User, typed: str) -> None:
    lot = drafted("detach", ines, volume=volume("slate-09"), confirm=typed)
    assert "Type the volume's name" in checks_of(lot, "stop")


def test_a_datastore_in_use_is_refused_with_its_users(estate: StandIns, ines: User) -> None:
    lot = drafted("detach", ines, volume=volume("berth-d"), confirm="berth-d")
    text = checks_of(lot, "stop")
    assert "berth-d is used by archive-01 disk 1 on quay-0" in text
    with pytest.raises(Problem) as refused:
        actions.run(lot)
    assert refused.value.code == "check_stops"
    assert "archive-01 disk 1" in refused.value.detail


def test_images_and_templates_count_as_use(estate: StandIns, ines: User) -> None:
    lot = drafted("detach", ines, volume=volume("berth-f"), keep=True)
    assert "image installer images, template linux template" in checks_of(lot, "stop")


def attached(estate: StandIns, ines: User, name: str = "berth-g") -> int:
    """A new, empty datastore on all hosts; returns its volume."""
    run_to_end(drafted("attach", ines, cluster="quayside", name=name, size="1 TiB"))
    return volume(name)


def test_an_empty_datastore_is_detached_everywhere_and_comes_back_by_undo(estate: StandIns, ines: User) -> None:
    key = attached(estate, ines)
    before = outside(estate)
    lot = run_to_end(drafted("detach", ines, volume=key, keep=True))
    assert lot.state == Lot.State.DONE
    world = estate.world()
    kept = next(v for v in world["volumes"] if v["name"] == "berth-g")
    assert not any(kept["serial"] in host["known"] for host in world["hosts"])
    assert not Datastore.objects.filter(name="berth-g").exists()
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert outside(estate) == before


def test_a_detached_datastore_is_attached_again_as_it_is(estate: StandIns, ines: User) -> None:
    key = attached(estate, ines)
    identity = Datastore.objects.get(name="berth-g").identity
    run_to_end(drafted("detach", ines, volume=key, keep=True))
    without = outside(estate)
    lot = run_to_end(drafted("spread", ines, volume=key))
    assert lot.state == Lot.State.DONE
    store = Datastore.objects.get(name="berth-g")
    assert (store.identity, store.mounts.count()) == (identity, 3)
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert outside(estate) == without


def test_a_volume_without_a_datastore_is_shown_and_left_as_it_is(estate: StandIns, ines: User) -> None:
    before = outside(estate)
    lot = run_to_end(drafted("spread", ines, volume=volume("slate-09"), cluster="quayside"))
    assert lot.state == Lot.State.DONE
    serial = Volume.objects.get(name="slate-09").serial
    assert HostDevice.objects.filter(serial=serial).count() == 3
    assert set(HostDevice.objects.filter(serial=serial).values_list("signature_kind", flat=True)) == {"None"}
    assert not Datastore.objects.filter(extents__serial=serial).exists()
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert outside(estate) == before


@pytest.mark.parametrize("kind", ["filesystem", "partition"])
def test_a_volume_that_carries_something_else_is_neither_mounted_nor_touched(
    estate: StandIns, ines: User, kind: str
) -> None:
    estate.control("sign", volume="slate-09", kind=kind)
    lot = run_to_end(drafted("spread", ines, volume=volume("slate-09")))
    assert lot.state == Lot.State.DONE
    assert next(v for v in estate.world()["volumes"] if v["name"] == "slate-09")["signature_kind"] == kind
    assert {step.result.get("left") for step in lot.steps.filter(kind="mount")} == {kind}


def test_deleting_gives_the_space_and_the_lun_number_back(estate: StandIns, ines: User) -> None:
    before = outside(estate)
    key = attached(estate, ines)
    lot = run_to_end(drafted("detach", ines, volume=key, confirm="berth-g"))
    assert lot.state == Lot.State.DONE
    assert outside(estate) == before


def test_a_user_that_comes_after_the_check_stops_the_run(estate: StandIns, ines: User) -> None:
    key = attached(estate, ines)
    lot = drafted("detach", ines, volume=key, confirm="berth-g")
    estate.control("hold", datastore="berth-g", kind="heartbeat", name="quayside heartbeat")
    with pytest.raises(Problem) as stopped:
        actions.run(lot)
    assert stopped.value.code in ("stale", "check_stops")
    assert "quayside heartbeat" in stopped.value.detail
    assert "berth-g" in {v["name"] for v in estate.world()["volumes"]}


def test_a_user_that_comes_after_the_start_is_kept_by_the_host_itself(estate: StandIns, ines: User) -> None:
    key = attached(estate, ines)
    lot = drafted("detach", ines, volume=key, confirm="berth-g")
    actions.run(lot)
    estate.control("hold", datastore="berth-g", kind="swap", name="payroll swap")
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.FAILED
    assert "payroll swap" in lot.steps.filter(state=Step.State.FAILED).first().problem["message"]  # type: ignore[union-attr]
    assert "berth-g" in {v["name"] for v in estate.world()["volumes"]}


@pytest.mark.parametrize(
    ("device", "kind", "n"), [("granite", "drop", 1), ("quay-01", "drop", 2), ("granite", "drop", 2)]
)
def test_an_answer_lost_while_taking_away_does_no_harm(
    estate: StandIns, ines: User, device: str, kind: str, n: int
) -> None:
    before = outside(estate)
    key = attached(estate, ines)
    lot = run_with_fault(drafted("detach", ines, volume=key, confirm="berth-g"), estate, device, kind, n)
    assert lot.state == Lot.State.DONE
    assert outside(estate) == before


def test_a_detach_that_failed_half_way_is_undone_whole(estate: StandIns, ines: User) -> None:
    key = attached(estate, ines)
    before = outside(estate)
    lot = run_with_fault(drafted("detach", ines, volume=key, keep=True), estate, "quay-03", "fail_nth", 2)
    assert lot.state == Lot.State.FAILED
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert outside(estate) == before


def test_findings_go_once_their_lots_have_run(estate: StandIns, ines: User, api: APIClient) -> None:
    def kinds() -> set[str]:
        return {finding["kind"] for finding in api.get("/api/rounds/").json()["findings"]}

    assert {"seen_by_some", "idle_volume", "leftover_initiator", "clock_off"} <= kinds()
    for finding in api.get("/api/rounds/").json()["findings"]:
        if finding["kind"] in ("seen_by_some", "idle_volume", "leftover_initiator"):
            kind, form = finding["draft"]["kind"], finding["draft"]["form"]
            if kind == "detach":
                form = {**form, "confirm": finding["subject"]}
            run_to_end(drafted(kind, ines, **form))
    assert not {"seen_by_some", "idle_volume", "leftover_initiator"} & kinds()
    estate.control("clock", device="granite", seconds=2)
    reread([Device.objects.get(name="granite")])
    assert "clock_off" not in kinds()


def test_the_reason_a_host_does_not_see_a_volume_is_said(estate: StandIns, api: APIClient) -> None:
    findings = api.get("/api/rounds/").json()["findings"]
    uneven = next(f for f in findings if f["kind"] == "seen_by_some")
    assert (uneven["figures"]["seen"], uneven["figures"]["hosts"]) == (2, 3)
    assert uneven["reasons"] == ["quay-02: the array does not let this host in"]
    clock = next(f for f in findings if f["kind"] == "clock_off")
    assert clock["figures"]["offset_seconds"] == pytest.approx(540, abs=3)


@pytest.mark.parametrize(
    ("wire", "reason"),
    [
        ({"mtu": 1500}, "storage-a and the portal use frames of different size"),
        ({"vlan": 400}, "storage-a is on another VLAN than the portal"),
        ({"address": "10.40.3.9/24"}, "storage-a is in another subnet than on the other hosts"),
    ],
)
def test_a_wrong_wire_is_named(estate: StandIns, api: APIClient, wire: dict[str, Any], reason: str) -> None:
    estate.control("wire", host="quay-01", interface="storage-a", **wire)
    reread([Device.objects.get(name="quay-01")])
    (found,) = [f for f in api.get("/api/rounds/").json()["findings"] if f["subject"] == "quay-01"]
    assert (found["kind"], found["reasons"]) == ("missing_paths", [reason])
    # One thing is wrong with the paths to two arrays: one finding.
    assert (found["figures"]["seen"], found["figures"]["expected"]) == (6, 12)
    assert found["figures"]["arrays"] == ["basalt", "granite"]


def test_the_detach_form_is_kept_and_answers_with_the_plan(estate: StandIns, api: APIClient) -> None:
    body = {"kind": "detach", "form": {"volume": volume("slate-09")}}
    lot = api.post("/api/lots/", body, format="json").json()["summary"]["id"]
    path = f"/api/attach/detach/{lot}/"
    first = api.get(path).json()
    assert (first["plan"]["volume"], first["plan"]["confirmed"], first["lot"]["can_run"]) == ("slate-09", False, False)
    second = api.put(path, {**first["form"], "confirm": "slate-09"}, format="json").json()
    assert (second["plan"]["confirmed"], second["lot"]["can_run"]) == (True, True)
    kept = api.put(path, {**first["form"], "keep": True}, format="json").json()
    assert kept["lot"]["summary"]["title"] == "Detach slate-09"


def test_a_volume_that_is_gone_is_said(estate: StandIns, ines: User) -> None:
    lot = drafted("detach", ines, volume=volume("slate-09"))
    Volume.objects.filter(name="slate-09").update(gone_at=now())
    assert "no longer on any array" in checks_of(redraft(lot), "stop")


@pytest.mark.parametrize("value", ["text", "", -3, 999_999, [1], {"a": 1}, "²", 10**40])
def test_a_volume_named_by_nonsense_is_refused(estate: StandIns, ines: User, value: Any) -> None:
    assert "volume" in refused("detach", ines, volume=value)


def test_a_lot_about_no_volume_has_nothing_to_do(estate: StandIns, ines: User) -> None:
    assert "no longer on any array" in checks_of(drafted("detach", ines), "stop")


def test_a_volume_that_a_running_lot_is_about_to_use_is_not_called_idle(
    estate: StandIns, ines: User, api: APIClient
) -> None:
    def idle() -> set[str]:
        return {f["subject"] for f in api.get("/api/rounds/").json()["findings"] if f["kind"] == "idle_volume"}

    before = idle()
    lot = drafted("attach", ines, cluster="quayside", name="berth-e", size="1 TiB")
    actions.run(lot)
    estate.fault("quay-01", "fail_nth", n=1)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    assert idle() == before | {"berth-e"}
    Lot.objects.filter(pk=lot.pk).update(state=Lot.State.RUNNING)
    everything_changed()
    assert idle() == before


def strays(api: APIClient) -> dict[str, dict[str, Any]]:
    rows = api.get("/api/rounds/").json()["findings"]
    return {row["subject"]: row for row in rows if row["kind"] == "stray_volume"}


def test_what_a_lot_left_behind_is_found_and_taken_away_by_a_lot(estate: StandIns, ines: User, api: APIClient) -> None:
    """After a restore from an older backup nobody knows the lot; after an undo that left it, nobody undoes it."""
    lot = run_to_end(drafted("attach", ines, cluster="quayside", name="berth-e", size="1 TiB"))
    assert lot.state == Lot.State.DONE
    assert strays(api) == {}
    undo = Lot.objects.create(kind="undo", title="undone", created_by=ines, undoes=lot, state=Lot.State.DONE)
    everything_changed()
    assert strays(api)["berth-e"]["figures"]["known"]
    undo.delete()
    number = lot.pk
    Lot.objects.filter(pk=lot.pk).delete()
    everything_changed()
    found = strays(api)["berth-e"]
    assert found["figures"] == {"size_bytes": 1024**4, "lot": number, "known": False, "users": 3}
    away = drafted(found["draft"]["kind"], ines, **found["draft"]["form"], confirm="berth-e")
    assert run_to_end(away).state == Lot.State.DONE
    assert "berth-e" not in {v["name"] for v in estate.world()["volumes"]}
    assert strays(api) == {}
