"""File storage on real stand-ins: attached, compared, set together, spread and taken away; whole worlds compared."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.reading import reread
from movelot.devices.session import session_with
from movelot.inventory.changes import everything_changed
from movelot.inventory.models import Datastore, Device, Export, HostPort, Machine, Mount, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from server.tests.conftest import drafted, run_to_end, signed_in
from server.tests.test_lots import outside
from server.tests.test_masking import checks_of

SERVER = "shale-b.kestrelbay.example"
QUAYS = ("quay-01", "quay-02", "quay-03")
FORM = {"cluster": "quayside", "name": "sand-05", "size": "1 TiB"}


def whole(standins: StandIns) -> dict[str, Any]:
    """The outside world with all that file storage has."""
    world = standins.world()
    return {
        **outside(standins),
        "exports": sorted((e["path"], e["clients"], e["root"], e["versions"]) for e in world["exports"]),
        "file": [(h["name"], h["file_client"], sorted(h["file_versions"].items())) for h in world["hosts"]],
        "datastores": sorted((d["id"], d["name"]) for d in world["datastores"]),
    }


def mounting(name: str) -> list[str]:
    return sorted(Mount.objects.filter(datastore__name=name).values_list("host__name", flat=True))


def act(host: str, verb: str, **body: Any) -> None:
    """Something that somebody else does on a host."""
    device = Device.objects.get(name=host)
    session_with(device).post(f"/redfish/v1/Systems/{host}/Actions/Oem/Kestrel.{verb}", body)
    reread(Device.objects.all())
    everything_changed()


def test_an_export_is_made_and_mounted_alike_on_every_host(estate: StandIns, ines: User) -> None:
    lot = drafted("attach_file", ines, **FORM)
    kinds = [step.kind for step in lot.steps.all()]
    assert kinds == ["set_file_client"] * 2 + ["create_file_system", "export_file_system"] + ["mount_export"] * 3
    assert run_to_end(lot).state == Lot.State.DONE
    assert mounting("sand-05") == ["quay-01", "quay-02", "quay-03"]
    assert Datastore.objects.get(name="sand-05").serials == [Volume.objects.get(name="sand-05").serial]
    assert [(row["figure"], row["predicted"], row["measured"]) for row in lot.outcome["rows"]] == [
        ("hosts that mount it", 3, 3),
        ("identities", 1, 1),
        ("capacity in bytes", 2**40, 2**40),
    ]
    # Each host's address and no other is let in.
    clients = [network for network, _ in Export.objects.get(name="sand-05").clients]
    assert clients == ["10.40.10.101/32", "10.40.10.102/32", "10.40.10.103/32"]


def test_the_form_chooses_server_version_and_clients(estate: StandIns, ines: User) -> None:
    lot = drafted(
        "attach_file",
        ines,
        **FORM,
        pool="shale-home",
        server=SERVER,
        version="NFSv3",
        clients="subnet",
        limits=False,
    )
    assert (lot.plan["pool"], lot.plan["server"], lot.plan["clients"]) == (
        "shale-home",
        SERVER,
        [["10.40.10.0/24", "ReadWrite"]],
    )
    assert lot.steps.filter(kind="set_file_client").count() == 0
    run_to_end(lot)
    mount = Mount.objects.filter(datastore__name="sand-05").first()
    assert mount is not None
    assert (mount.server, mount.path, mount.version) == (SERVER, "/exports/sand-05", "NFSv3")
    assert Volume.objects.get(name="sand-05").controller == "B"


@pytest.mark.parametrize(
    ("part", "text"),
    [
        ({"vlan": 999}, "files is on another VLAN than the portal"),
        ({"frame_bytes": 1500}, "files and the portal use frames of different size"),
        ({"active_uplinks": []}, "files has no active uplink"),
        ({"network": "10.40.11.5/24"}, "no interface of it reaches the server"),
    ],
)
def test_a_host_that_cannot_mount_is_named_with_its_reason(
    estate: StandIns, ines: User, part: dict[str, Any], text: str
) -> None:
    HostPort.objects.filter(device__name="quay-02", name="files").update(**part)
    everything_changed()
    lot = drafted("attach_file", ines, **FORM)
    assert f"quay-02: {text}." in checks_of(lot, "stop")


def test_a_host_at_its_limit_of_mounts_stops_the_lot(estate: StandIns, ines: User) -> None:
    host = Device.objects.get(name="quay-03")
    host.file_client = {**host.file_client, "mounts_max": 2}
    host.save()
    lot = drafted("attach_file", ines, **FORM, limits=False)
    assert "quay-03: it has as many mounts as its limit allows." in checks_of(lot, "stop")


@pytest.mark.parametrize(("name", "text"), [("sand-01", "exists already"), ("berth-a", "exists already")])
def test_a_name_in_use_is_refused_beside_the_field(estate: StandIns, ines: User, name: str, text: str) -> None:
    lot = drafted("attach_file", ines, **{**FORM, "name": name})
    assert text in lot.plan["problems"][0]["message"]
    assert lot.steps.count() == 0


def test_pools_of_a_file_array_are_not_offered_for_blocks_nor_the_other_way_round(estate: StandIns, ines: User) -> None:
    block, file = drafted("attach", ines), drafted("attach_file", ines)
    assert {pool["array"] for pool in block.plan["pools"]} == {"granite", "basalt", "chalk"}
    assert {pool["array"] for pool in file.plan["pools"]} == {"shale"}


def test_without_a_file_array_it_says_so(estate: StandIns, ines: User) -> None:
    Device.objects.filter(name="shale").delete()
    lot = drafted("attach_file", ines, **FORM)
    assert "No array with a pool is linked yet." in checks_of(lot, "stop")


def test_limits_that_differ_are_listed_beside_what_is_recommended(estate: StandIns, api: APIClient) -> None:
    answer = api.get("/api/attach/file-limits/").json()
    names = [setting["name"] for setting in answer["settings"]]
    values = {row["host"]: dict(zip(names, row["values"], strict=True)) for row in answer["hosts"]}
    assert values["quay-02"]["request_timeout_seconds"] == 10
    assert {(row["host"], row["setting"], row["now"], row["wanted"]) for row in answer["differ"]} == {
        ("quay-02", "request_timeout_seconds", 10, 45),
        ("quay-02", "retries", 2, 4),
        ("quay-03", "keepalive_seconds", 30, 9),
        ("quay-03", "mounts_max", 12, 48),
    }
    assert {row["host"]: row["mounts"] for row in answer["hosts"]} == dict.fromkeys(QUAYS, 2)


def test_limits_are_set_together_and_come_back_by_undo(estate: StandIns, ines: User, api: APIClient) -> None:
    before = whole(estate)
    lot = run_to_end(drafted("file_limits", ines))
    assert lot.state == Lot.State.DONE
    assert api.get("/api/attach/file-limits/").json()["differ"] == []
    assert "file_limits" not in {f["kind"] for f in api.get("/api/rounds/").json()["findings"]}
    assert (lot.outcome["rows"][0]["before"], lot.outcome["rows"][0]["measured"]) == (4, 0)
    run_to_end(actions.undo(lot, ines))
    assert whole(estate) == before


def test_a_limit_changed_by_hand_meanwhile_stops_the_run(estate: StandIns, ines: User) -> None:
    from movelot.problems import Problem

    lot = drafted("file_limits", ines)
    act("quay-02", "SetFileClient", Settings={"retries": 3})
    with pytest.raises(Problem) as stale:
        actions.run(lot)
    assert "retries of quay-02 was 2, is 3" in stale.value.detail


def test_one_mounted_by_some_is_mounted_by_all_as_the_others_do(estate: StandIns, ines: User, api: APIClient) -> None:
    run_to_end(drafted("attach_file", ines, **FORM))
    act("quay-02", "UnmountExport", Identity=Datastore.objects.get(name="sand-05").identity)
    found = next(f for f in api.get("/api/rounds/").json()["findings"] if f["subject"] == "sand-05")
    assert found["kind"] == "seen_by_some"
    assert found["reasons"] == ["quay-02: nothing stands in the way; the host has not mounted it"]
    lot = run_to_end(drafted(found["draft"]["kind"], ines, **found["draft"]["form"]))
    assert lot.state == Lot.State.DONE
    assert mounting("sand-05") == ["quay-01", "quay-02", "quay-03"]
    assert Datastore.objects.filter(name="sand-05").count() == 1


def test_an_export_that_nobody_mounts_can_be_mounted_by_all(estate: StandIns, ines: User) -> None:
    before = whole(estate)
    lot = run_to_end(drafted("spread", ines, volume=Volume.objects.get(name="sand-04").pk))
    assert lot.state == Lot.State.DONE
    assert mounting("sand-04") == ["quay-01", "quay-02", "quay-03"]
    run_to_end(actions.undo(lot, ines))
    assert whole(estate) == before


def test_a_host_outside_the_client_list_is_let_in_first(estate: StandIns, ines: User) -> None:
    volume = Volume.objects.get(name="sand-04")
    export = volume.exports.get()
    session_with(volume.device).patch(
        export.uri, {"Oem": {"Kestrel": {"Clients": [{"Network": "10.40.10.101/32", "Access": "ReadWrite"}]}}}, ""
    )
    reread([volume.device])
    lot = run_to_end(drafted("spread", ines, volume=volume.pk))
    assert lot.state == Lot.State.DONE
    assert lot.steps.order_by("position")[0].kind == "set_clients"
    networks = [network for network, _ in Export.objects.get(pk=export.pk).clients]
    assert networks == ["10.40.10.101/32", "10.40.10.102/32", "10.40.10.103/32"]


def test_two_spellings_of_one_export_are_a_finding(estate: StandIns, api: APIClient) -> None:
    act("quay-02", "MountExport", Server="10.40.10.11", Path="/exports/sand-01", Version="NFSv4_1", Name="sand-01-ip")
    found = {f["kind"]: f for f in api.get("/api/rounds/").json()["findings"] if f["subject"] == "sand-01"}
    assert found["spelled_apart"]["reasons"] == [
        "shale-a.kestrelbay.example:/exports/sand-01 on quay-01, quay-02, quay-03",
        "10.40.10.11:/exports/sand-01 on quay-02",
    ]


def mounts_on(host: str) -> set[str]:
    rows = Mount.objects.filter(host__name=host, datastore__extents__serial=Volume.objects.get(name="sand-01").serial)
    return {f"{mount.server}:{mount.path} {mount.version}" for mount in rows}


USUAL = "shale-a.kestrelbay.example:/exports/sand-01 NFSv4_1"


def test_a_second_spelling_is_let_go_and_can_come_back(estate: StandIns, api: APIClient, ines: User) -> None:
    act("quay-02", "MountExport", Server="10.40.10.11", Path="/exports/sand-01", Version="NFSv4_1", Name="sand-01-ip")
    before = whole(estate)
    found = next(f for f in api.get("/api/rounds/").json()["findings"] if f["kind"] == "spelled_apart")
    assert found["draft"]["action"] == "Mount it alike"
    lot = drafted(found["draft"]["kind"], ines, **found["draft"]["form"])
    # The usual spelling is mounted there too: only the other one goes.
    assert [step.kind for step in lot.steps.all()] == ["unmount_export"]
    assert run_to_end(lot).state == Lot.State.DONE
    assert mounts_on("quay-02") == {USUAL}
    assert lot.outcome["rows"][0]["measured"] == 0
    run_to_end(actions.undo(lot, ines))
    assert whole(estate) == before


def apart(host: str, server: str, version: str, name: str) -> None:
    """The host mounts sand-01 in this way only, its machines being elsewhere."""
    identity = Mount.objects.get(host__name=host, datastore__name="sand-01").datastore.identity
    act(host, "UnmountExport", Identity=identity)
    act(host, "MountExport", Server=server, Path="/exports/sand-01", Version=version, Name=name)


@pytest.mark.parametrize(
    ("how", "kind"),
    [
        (("10.40.10.11", "NFSv4_1", "sand-01-ip"), "spelled_apart"),
        (("shale-a.kestrelbay.example", "NFSv3", "sand-01"), "versions_apart"),
    ],
)
def test_a_host_that_mounts_it_apart_mounts_it_anew(
    estate: StandIns, api: APIClient, ines: User, how: tuple[str, str, str], kind: str
) -> None:
    # archive-02 to -04 have their disks there: one host has none of them once these are gone.
    for machine in Machine.objects.filter(disks__placement__datastore__name="sand-01", placement__host__name="quay-02"):
        estate.control("machine", act="delete", name=machine.name)
    reread(Device.objects.all())
    apart("quay-02", *how)
    before = whole(estate)
    found = next(f for f in api.get("/api/rounds/").json()["findings"] if f["kind"] == kind)
    lot = run_to_end(drafted("mount_alike", ines, **found["draft"]["form"]))
    assert [step.kind for step in lot.steps.all()] == ["unmount_export", "mount_export"]
    assert mounts_on("quay-02") == {USUAL}
    assert not [f for f in api.get("/api/rounds/").json()["findings"] if f["kind"] == kind]
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert whole(estate) == before


def test_an_export_is_not_mounted_anew_beneath_a_machine(estate: StandIns, ines: User) -> None:
    volume = Volume.objects.get(name="sand-01")
    Mount.objects.filter(host__name="quay-01", datastore__name="sand-01").update(version="NFSv3")
    users = Machine.objects.filter(
        disks__placement__datastore__name="sand-01", placement__host__name="quay-01"
    ).distinct()
    lot = drafted("mount_alike", ines, volume=volume.pk)
    told = checks_of(lot, "stop")
    assert users
    assert all(machine.name in told for machine in users)
    assert "Move these machines to another host first" in told


def test_an_export_in_use_is_not_taken_away(estate: StandIns, ines: User) -> None:
    lot = drafted("detach", ines, volume=Volume.objects.get(name="sand-02").pk, confirm="sand-02")
    assert "sand-02 is used by build-01 disk 1" in checks_of(lot, "stop")


def test_an_unused_export_is_taken_away_in_order_and_its_space_comes_back(estate: StandIns, ines: User) -> None:
    run_to_end(drafted("attach_file", ines, **FORM))
    volume = Volume.objects.get(name="sand-05")
    lot = drafted("detach", ines, volume=volume.pk, confirm="sand-05")
    kinds = [step.kind for step in lot.steps.all()]
    assert kinds == ["unmount_export"] * 3 + ["withdraw_export", "delete_file_system"]
    assert run_to_end(lot).state == Lot.State.DONE
    assert not Volume.objects.filter(name="sand-05").exists()
    assert "sand-05" not in {d["name"] for d in estate.world()["datastores"]}


def test_detached_only_it_can_come_back(estate: StandIns, ines: User) -> None:
    run_to_end(drafted("attach_file", ines, **FORM))
    before = whole(estate)
    lot = run_to_end(drafted("detach", ines, volume=Volume.objects.get(name="sand-05").pk, keep=True))
    assert lot.state == Lot.State.DONE
    assert mounting("sand-05") == []
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert whole(estate) == before


def test_the_board_of_a_file_array_shows_one_way_a_host_and_controller(estate: StandIns, api: APIClient) -> None:
    board = api.get("/api/network/paths/", {"array": "shale"}).json()["board"]
    assert (board["seen"], board["expected"]) == (6, 6)
    assert {path["port"] for host in board["hosts"] for path in host["paths"]} == {"files"}


def test_losing_a_server_interface_stops_what_is_mounted_over_it(estate: StandIns, api: APIClient) -> None:
    answer = api.get("/api/network/loss/", {"kind": "portal", "name": "shale A1"}).json()
    assert {row["name"] for row in answer["machines"] if row["effect"] == "stops"} == {
        "archive-02",
        "archive-03",
        "archive-04",
    }
    assert [row["name"] for row in answer["volumes"]] == ["sand-01"]


def test_a_draft_is_changed_by_its_api_and_only_by_who_may(estate: StandIns, ines: User, api: APIClient) -> None:
    lot = drafted("attach_file", ines, **FORM)
    url = f"/api/attach/file-drafts/{lot.pk}/"
    answer = api.put(url, {**FORM, "size": "2 TiB", "version": "NFSv3"}, format="json")
    assert (answer.status_code, answer.json()["plan"]["version"]) == (200, "NFSv3")
    assert api.put(url, {**FORM, "version": "NFSv9"}, format="json").status_code == 422
    assert signed_in("auditor").get(url).status_code == 200
    assert signed_in("auditor").put(url, FORM, format="json").status_code == 403


def test_what_was_drafted_stays_a_promise_of_the_quota(estate: StandIns, ines: User) -> None:
    tobias = signed_in("tobias.wren")
    pool = Volume.objects.get(name="sand-02").pool
    answer = tobias.put(f"/api/attach/grants/{pool.pk}/", {"quota": "3.5 TiB"}, format="json")
    assert answer.status_code == 200, answer.content
    lot = drafted("attach_file", ines, **FORM, pool="shale-home")
    assert "512 GiB of the granted quota left" in checks_of(lot, "stop")
