"""iSCSI in the demo: sessions read and brought back, CHAP set by a lot and taken back, a target of a volume's own."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

import pytest
from rest_framework.test import APIClient
from standins.tests.test_devices import client

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.reading import reread
from movelot.inventory.capabilities import OWN_TARGET
from movelot.inventory.models import Datastore, Device, HostDevice, Initiator, Volume
from movelot.lots import actions
from movelot.lots.models import Lot, Step
from movelot.lots.runner import Driver
from server.tests.conftest import drafted, figures, refused, run_to_end, signed_in
from server.tests.test_lots import outside

TARGET = "iqn.2026-01.example.kestrelbay:granite"
QUAYS = ["quay-01", "quay-02", "quay-03"]


def paths(api: APIClient, array: str = "granite") -> dict[str, Any]:
    found: dict[str, Any] = api.get("/api/network/paths/", {"cluster": "quayside", "array": array}).json()
    return found


def finding_of(host: str, array: str) -> dict[str, Any] | None:
    rows = signed_in("ines.marrow").get("/api/rounds/").json()["findings"]
    return next((row for row in rows if row["subject"] == host and row["figures"].get("array") == array), None)


def iscsi(standins: StandIns) -> Any:
    """What of iSCSI the outside world consists of, secrets included."""
    world = standins.world()
    hosts = {host["name"]: (host["sessions"], host["chap"]) for host in world["hosts"]}
    return hosts, {array: asked for array, asked in world["chap"].items() if asked}, outside(standins)


def undone(lot: Lot, user: User) -> Lot:
    return run_to_end(actions.undo(lot, user))


def chap(user: User, method: str, **more: Any) -> Lot:
    return drafted("chap", user, cluster="quayside", array="granite", method=method, **more)


@pytest.fixture
def cut_off(estate: StandIns) -> Iterator[StandIns]:
    """quay-01 with one session of eight to granite, and what it sees as it rescanned since."""
    estate.control("session", host="quay-01", array="granite", keep=[["storage-a", "A1"]])
    reread(Device.objects.all())
    return estate


def test_targets_and_sessions_are_read(estate: StandIns) -> None:
    granite, host = Device.objects.get(name="granite"), Device.objects.get(name="quay-01")
    assert granite.target == TARGET
    assert len(host.sessions[TARGET]) == 8
    assert set(granite.volumes.values_list("target", flat=True)) == {TARGET}
    assert Initiator.objects.get(device=granite, identifier=host.initiator).chap == "off"
    assert granite.can(OWN_TARGET)
    assert not Device.objects.get(name="chalk").can("target per volume")


def test_lost_sessions_are_a_finding_and_a_lot_logs_in_again(cut_off: StandIns, api: APIClient, ines: User) -> None:
    found = finding_of("quay-01", "granite")
    assert found
    assert (found["figures"]["seen"], found["figures"]["expected"]) == (1, 8)
    assert found["reasons"][0] == "nothing stands in the way; the host has not logged in over storage-a"
    assert found["draft"]["action"] == "Log in to the array"
    row = next(row for row in paths(api)["sessions"] if row["host"] == "quay-01")
    assert (row["sessions"], row["possible"]) == (1, 8)
    before = iscsi(cut_off)
    lot = drafted(found["draft"]["kind"], ines, **found["draft"]["form"])
    login, rescan = lot.steps.order_by("position")
    assert (login.kind, login.detail) == (
        "log_in",
        "granite tells its portals at 10.40.8.11; sessions over 8 paths",
    )
    assert (rescan.kind, rescan.needs) == ("rescan", [0])
    run_to_end(lot)
    assert lot.state == Lot.State.DONE
    assert finding_of("quay-01", "granite") is None
    assert len(HostDevice.objects.get(device__name="quay-01", name__endswith="0001").paths) == 8
    assert undone(lot, ines).state == Lot.State.DONE
    assert iscsi(cut_off) == before


def test_the_fix_of_uplinks_logs_in_to_each_array_of_the_host(estate: StandIns, ines: User) -> None:
    before = iscsi(estate)
    lot = run_to_end(drafted("uplinks", ines, host="quay-03"))
    paths, predicted, measured = figures(lot)
    assert paths < predicted == measured
    assert [step.title for step in lot.steps.order_by("position")][1:] == [
        "Log quay-03 in to basalt",
        "Log quay-03 in to granite",
        "Rescan quay-03",
    ]
    host = Device.objects.get(name="quay-03")
    assert {target.rsplit(":", 1)[1]: len(pairs) for target, pairs in host.sessions.items()} == {
        "basalt": 4,
        "granite": 8,
    }
    undone(lot, ines)
    assert iscsi(estate) == before


def test_chap_is_set_on_both_sides_proved_by_logins_and_taken_back(
    estate: StandIns, api: APIClient, ines: User
) -> None:
    before = iscsi(estate)
    lot = chap(ines, "mutual")
    kinds = list(lot.steps.order_by("position").values_list("kind", flat=True))
    assert kinds == ["set_array_chap", "set_host_chap", "log_in_again"] * 3
    # One host after the other.
    assert [step.needs for step in lot.steps.order_by("position")] == [[n] if n >= 0 else [] for n in range(-1, 8)]
    run_to_end(lot)
    assert lot.state == Lot.State.DONE
    world = estate.world()
    assert {name.rsplit(":", 1)[1] for name in world["chap"]["granite"]} == set(QUAYS)
    for host in world["hosts"]:
        if host["name"] in QUAYS:
            assert {method for *_, method in host["sessions"][TARGET]} == {"MutualCHAP"}
            assert host["chap"]["granite"] == world["chap"]["granite"][host["iqn"]]
    entries = list(world["chap"]["granite"].values())
    secrets = {entry[part] for entry in entries for part in ("Secret", "TargetSecret")}
    assert len(secrets) == 6
    assert {(row["on_host"], row["on_array"]) for row in paths(api)["sessions"]} == {("mutual", "mutual")}
    (row,) = lot.outcome["rows"]
    assert (row["before"], row["predicted"], row["measured"]) == (0, 3, 3)
    assert undone(lot, ines).state == Lot.State.DONE
    assert iscsi(estate) == before


def test_no_secret_is_told_or_stored_in_the_clear(estate: StandIns, api: APIClient, ines: User, caplog: Any) -> None:
    lot = run_to_end(chap(ines, "mutual"))
    entries = estate.world()["chap"]["granite"].values()
    secrets = {entry[part] for entry in entries for part in ("Secret", "TargetSecret")}
    kept = json.dumps(list(Step.objects.filter(lot=lot).values("params", "result", "title", "detail")))
    shown = [api.get(f"/api/lots/{lot.pk}/").content.decode(), api.get(f"/api/lots/{lot.pk}/sheet/").content.decode()]
    for text in (kept, *shown, caplog.text):
        assert not [secret for secret in secrets if secret in text]


def test_an_undo_brings_back_the_secrets_of_the_lot_before(estate: StandIns, ines: User) -> None:
    run_to_end(chap(ines, "one-way"))
    before = iscsi(estate)
    assert next(check["text"] for check in chap(ines, "one-way").checks if check["level"] == "stop") == (
        "CHAP is one-way for every host of quayside that granite knows."
    )
    lot = run_to_end(chap(ines, "one-way", renew=True))
    assert iscsi(estate) != before
    undone(lot, ines)
    assert iscsi(estate) == before


def test_a_secret_that_no_lot_set_is_overwritten_only_after_being_told(estate: StandIns, ines: User) -> None:
    host = estate.world()["hosts"][0]
    fields = {"Method": "CHAP", "UserName": "x", "Secret": "typed-by-hand-long-ago"}
    for device, verb, uri, body in (
        ("granite", "patch", "/redfish/v1/Fabrics/granite/Endpoints/quay-01", {"Oem": {"Kestrel": {"Chap": fields}}}),
        (
            "quay-01",
            "post",
            "/redfish/v1/Systems/quay-01/Actions/Oem/Kestrel.SetChap",
            {"Target": TARGET, "Chap": fields},
        ),
    ):
        assert getattr(client(estate, device), verb)(uri, body=body).status == 200
    reread(Device.objects.all())
    lot = chap(ines, "mutual")
    told = [check["text"] for check in lot.checks if check["level"] == "warn"]
    assert told[0] == f"{host['name']} has a secret that no lot set: it is overwritten, and nothing brings it back."
    kinds = set(lot.steps.values_list("kind", flat=True))
    assert {"replace_array_chap", "replace_host_chap"} <= kinds
    assert run_to_end(lot).state == Lot.State.DONE


def test_chap_that_differs_is_the_reason_and_the_lot_settles_it(cut_off: StandIns, api: APIClient, ines: User) -> None:
    fields = {"Method": "CHAP", "UserName": "x", "Secret": "typed-by-hand-long-ago"}
    uri = "/redfish/v1/Fabrics/granite/Endpoints/quay-01"
    assert client(cut_off, "granite").patch(uri, body={"Oem": {"Kestrel": {"Chap": fields}}}).status == 200
    reread(Device.objects.all())
    found = finding_of("quay-01", "granite")
    assert found
    assert found["reasons"] == ["the array and this host are set to different CHAP, so that no login succeeds"]
    assert (found["draft"]["kind"], found["draft"]["action"]) == ("chap", "Set CHAP on both sides")
    lot = run_to_end(drafted("chap", ines, **found["draft"]["form"]))
    assert lot.state == Lot.State.DONE
    row = next(row for row in paths(api)["sessions"] if row["host"] == "quay-01")
    assert (row["on_host"], row["on_array"]) == ("one-way", "one-way")
    # A login that now agrees brings the other sessions.
    found = finding_of("quay-01", "granite")
    assert found is None or found["draft"]["action"] in ("Log in to the array", "Rescan the host")


@pytest.mark.parametrize(("device", "nth"), [("granite", 1), ("granite", 3), ("quay-02", 1), ("quay-02", 2)])
def test_a_chap_lot_that_fails_midway_is_undone_with_every_session_up(
    estate: StandIns, ines: User, device: str, nth: int
) -> None:
    before = iscsi(estate)
    lot = chap(ines, "one-way")
    actions.run(lot)
    estate.fault(device, "fail_nth", n=nth)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.FAILED
    sessions = {host["name"]: len(host["sessions"].get(TARGET, [])) for host in estate.world()["hosts"][:3]}
    assert sessions == {"quay-01": 8, "quay-02": 8, "quay-03": 4}
    if lot.steps.filter(state=Step.State.DONE).exists():
        assert undone(lot, ines).state == Lot.State.DONE
    assert iscsi(estate) == before


def test_a_chap_lot_that_failed_runs_on(estate: StandIns, ines: User) -> None:
    lot = chap(ines, "mutual")
    actions.run(lot)
    estate.fault("quay-02", "fail_nth", n=2)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert run_to_end(lot).state == Lot.State.DONE
    methods = {session[2] for host in estate.world()["hosts"][:3] for session in host["sessions"][TARGET]}
    assert methods == {"MutualCHAP"}


@pytest.mark.parametrize("device", ["granite", "quay-02"])
def test_an_answer_lost_on_the_way_leaves_the_same_secrets_on_both_sides(
    estate: StandIns, ines: User, device: str
) -> None:
    lot = chap(ines, "mutual")
    actions.run(lot)
    estate.fault(device, "drop")
    lot.refresh_from_db()
    Driver(lot).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.DONE
    world = estate.world()
    for host in world["hosts"][:3]:
        assert host["chap"]["granite"] == world["chap"]["granite"][host["iqn"]]
        assert {method for *_, method in host["sessions"][TARGET]} == {"MutualCHAP"}


@pytest.mark.parametrize(
    ("form", "text"),
    [
        ({"array": "chalk", "method": "mutual"}, "The array has no iSCSI target"),
        ({"array": "granite", "method": "off"}, "CHAP is off for every host of quayside that granite knows."),
    ],
)
def test_what_chap_cannot_be_set_for_is_said(estate: StandIns, ines: User, form: dict[str, str], text: str) -> None:
    lot = drafted("chap", ines, cluster="quayside", **form)
    assert any(text in check["text"] for check in lot.checks if check["level"] == "stop")
    assert not lot.steps.exists()
    assert "method" in refused("chap", ines, array="granite", method="guess")


def test_volumes_behind_targets_of_their_own_are_attached_and_taken_away_whole(estate: StandIns, ines: User) -> None:
    before = iscsi(estate)
    lot = drafted(
        "attach", ines, cluster="quayside", name="own-##", size="1 TiB", count="2", pools=["granite-mixed"],
        own_target=True,
    )  # fmt: skip
    kinds = list(lot.steps.values_list("kind", flat=True))
    assert kinds.count("log_in") == 6
    run_to_end(lot)
    assert lot.state == Lot.State.DONE
    volume = Volume.objects.get(name="own-01")
    assert volume.target == f"{TARGET}.own-01"
    assert {len(d.paths) for d in HostDevice.objects.filter(serial=volume.serial)} == {4, 8}
    assert Datastore.objects.get(name="own-01").mounts.count() == 3
    assert all(volume.target in host.sessions for host in Device.objects.filter(name__in=QUAYS))
    taken = run_to_end(drafted("detach", ines, volume=volume.pk, confirm="own-01"))
    assert taken.state == Lot.State.DONE
    assert [step.kind for step in taken.steps.order_by("position")].count("log_out") == 3
    assert not any(volume.target in host.sessions for host in Device.objects.filter(name__in=QUAYS))
    # The other one goes with the undo of the lot that made both; of the first nothing is left to take back.
    run_to_end(drafted("detach", ines, volume=Volume.objects.get(name="own-02").pk, confirm="own-02"))
    assert iscsi(estate) == before


def test_a_volume_behind_its_own_target_that_was_only_detached_comes_back(estate: StandIns, ines: User) -> None:
    form = {"cluster": "quayside", "name": "own-01", "size": "1 TiB", "pools": ["granite-mixed"], "own_target": True}
    run_to_end(drafted("attach", ines, **form))
    before = iscsi(estate)
    lot = run_to_end(drafted("detach", ines, volume=Volume.objects.get(name="own-01").pk, keep=True))
    assert not any(f"{TARGET}.own-01" in host["sessions"] for host in estate.world()["hosts"])
    assert undone(lot, ines).state == Lot.State.DONE
    assert iscsi(estate) == before


def test_what_was_settled_between_two_sides_that_differed_can_be_undone(estate: StandIns, ines: User) -> None:
    run_to_end(chap(ines, "one-way"))
    # Somebody takes the secret off the host: what the array asks for is known from the lot.
    action = "/redfish/v1/Systems/quay-01/Actions/Oem/Kestrel.SetChap"
    body = {"Target": TARGET, "Chap": {"Method": "None"}}
    assert client(estate, "quay-01").post(action, body=body).status == 200
    reread(Device.objects.all())
    lot = run_to_end(drafted("chap", ines, cluster="quayside", array="granite", host="quay-01"))
    assert lot.state == Lot.State.DONE
    assert undone(lot, ines).state == Lot.State.DONE
    (host,) = [each for each in estate.world()["hosts"] if each["name"] == "quay-01"]
    assert (host["chap"], len(host["sessions"][TARGET])) == ({}, 8)


def test_a_lot_with_targets_of_their_own_is_undone(estate: StandIns, ines: User) -> None:
    before = iscsi(estate)
    lot = drafted(
        "attach", ines, cluster="quayside", name="own-01", size="1 TiB", pools=["granite-mixed"], own_target=True
    )
    run_to_end(lot)
    assert undone(lot, ines).state == Lot.State.DONE
    assert iscsi(estate) == before


def test_an_array_without_such_targets_is_refused_with_the_reason(estate: StandIns, ines: User) -> None:
    lot = drafted("attach", ines, cluster="quayside", name="own-01", size="1 TiB", pools=["chalk-one"], own_target=True)
    checks = {check["name"]: check for check in lot.checks}
    assert checks["target of its own"]["level"] == "stop"
    assert "not reached over iSCSI" in checks["target of its own"]["text"]
