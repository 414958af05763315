"""Paths as read, single points of failure, and path policies of many devices, over the API and as lots."""

from __future__ import annotations

from importlib import import_module
from typing import Any

import pytest
from django.apps import apps
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.host import set_device
from movelot.devices.session import session_with
from movelot.inventory.models import Device, HostDevice, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from movelot.lots.runner import Driver
from movelot.problems import Problem
from server.tests.conftest import drafted, refused, run_to_end, seen_over


def paths(api: APIClient, **query: Any) -> dict[str, Any]:
    answer = api.get("/api/network/paths/", query)
    assert answer.status_code == 200, answer.content
    found: dict[str, Any] = answer.json()
    return found


def policies() -> dict[tuple[str, str], str]:
    return {(row.device.name, row.serial): row.path_policy for row in HostDevice.objects.select_related("device").all()}


def test_the_board_counts_each_pair_once_and_lists_who_misses_paths_first(estate: StandIns, api: APIClient) -> None:
    board = paths(api)["board"]
    assert (board["seen"], board["expected"]) == (20, 24)
    first = board["hosts"][0]
    assert (first["name"], first["seen"], first["expected"]) == ("quay-03", 4, 8)
    assert "standby uplink" in first["reason"]
    assert {host["reason"] for host in board["hosts"][1:]} == {""}


def test_one_volume_shows_which_controller_owns_it(estate: StandIns, api: APIClient) -> None:
    volume = Volume.objects.get(name="berth-b")
    answer = paths(api, volume=volume.pk)
    assert answer["volume"] == volume.pk
    states = {(path["portal"][0], path["state"]) for host in answer["board"]["hosts"] for path in host["paths"]} - {
        ("A", "missing"),
        ("B", "missing"),
    }
    assert states == {("B", "active"), ("A", "other")}


def test_a_volume_masked_from_a_host_shows_that_host_without_paths(estate: StandIns, api: APIClient) -> None:
    board = paths(api, volume=Volume.objects.get(name="berth-f").pk)["board"]
    quay_02 = next(host for host in board["hosts"] if host["name"] == "quay-02")
    assert (quay_02["seen"], quay_02["expected"]) == (0, 8)
    assert quay_02["reason"] == "the array does not let this host in"


def test_single_points_name_the_hosts_and_volumes_that_hang_on_them(estate: StandIns, api: APIClient) -> None:
    points = {(p["kind"], p["component"]): p for p in paths(api)["points"]}
    assert set(points) == {
        ("host port", "quay-03 storage-a"),
        ("uplink", "quay-03 uplink-1"),
        ("switch", "switch-1"),
        ("subnet", "10.40.8.0/24"),
    }
    assert points["switch", "switch-1"]["hosts"] == ["quay-03"]
    on_quay_03 = HostDevice.objects.filter(device__name="quay-03", path_set__isnull=False).values("serial")
    of_granite = Volume.objects.filter(device__name="granite", serial__in=on_quay_03)
    assert points["switch", "switch-1"]["volumes"] == sorted(of_granite.values_list("name", flat=True))


def test_once_the_uplink_is_bound_no_single_point_is_left(estate: StandIns, api: APIClient, ines: User) -> None:
    run_to_end(drafted("uplinks", ines, host="quay-03"))
    answer = paths(api)
    assert (answer["board"]["seen"], answer["points"]) == (24, [])


@pytest.mark.parametrize(
    "query", [{"cluster": "nowhere"}, {"array": "flint"}, {"volume": "999999"}, {"volume": "x"}, {"volume": "-1"}]
)
def test_what_is_not_there_is_said(estate: StandIns, api: APIClient, query: dict[str, str]) -> None:
    answer = api.get("/api/network/paths/", query)
    assert answer.status_code == 404
    assert answer.json()["hint"]


# What the hosts' interfaces for NVMe/TCP and NFS have.
OTHERS = [f"uplink-{n}" for n in (3, 4, 5, 6)]


def test_interfaces_are_listed_with_their_uplinks_and_the_lot_that_settles_them(
    estate: StandIns, api: APIClient
) -> None:
    def listed(array: str) -> dict[tuple[str, str], dict[str, Any]]:
        rows = api.get("/api/network/paths/", {"cluster": "quayside", "array": array}).json()["interfaces"]
        return {(row["host"], row["name"]): row for row in rows}

    granite = listed("granite")
    broken = granite["quay-03", "storage-b"]
    # The host with the trouble comes first.
    assert next(iter(granite))[0] == "quay-03"
    assert (broken["active"], broken["standby"], broken["unused"]) == (["uplink-2"], ["uplink-1"], OTHERS)
    assert "standby uplink" in broken["reason"]
    assert broken["fix"] == {"kind": "uplinks", "form": {"host": "quay-03"}, "action": "Bind one uplink"}
    whole = granite["quay-01", "storage-a"]
    assert (whole["vlan"], whole["frame_bytes"], whole["reason"], whole["fix"]) == (408, 9000, "", None)
    assert (whole["active"], whole["unused"]) == (["uplink-1"], ["uplink-2", *OTHERS])
    chalk = listed("chalk")
    assert chalk["quay-03", "nvme-b"]["fix"]["kind"] == "frames"
    lacking = chalk["quay-02", "nvme-b"]
    assert (lacking["address"], lacking["fix"]["kind"]) == ("", "interfaces")


def test_an_interface_that_something_hangs_on_is_not_changed(estate: StandIns, ines: User) -> None:
    def check() -> dict[str, Any]:
        lot = drafted("uplinks", ines, host="quay-03")
        return next(check for check in lot.checks if check["name"] == "nothing stops meanwhile")

    assert check() == {
        "name": "nothing stops meanwhile",
        "level": "pass",
        "text": "storage-b carries no path now; the others stay up",
    }
    device = HostDevice.objects.get(device__name="quay-03", serial=Volume.objects.get(name="berth-a").serial)
    seen_over(device, [*device.paths, ["storage-b", "A2", "ActiveOptimized"]])
    assert (check()["level"], check()["text"]) == (
        "warn",
        "Paths over storage-b to berth-a are lost for a moment; the others stay up.",
    )
    seen_over(device, device.paths[-1:])
    assert check()["level"] == "stop"
    assert check()["text"].startswith("Nothing but storage-b leads quay-03 to berth-a, which would stop")


def test_an_empty_estate_says_what_to_link(db: None, api: APIClient) -> None:
    Device.objects.all().delete()
    answer = api.get("/api/network/paths/")
    assert (answer.status_code, answer.json()["code"]) == (404, "no_paths")


def test_policies_are_listed_row_by_row_and_odd_ones_marked(estate: StandIns, api: APIClient) -> None:
    answer = api.get("/api/network/device-settings/").json()
    assert answer["total"] == HostDevice.objects.count()
    odd = {(row["host"], row["datastore"], *row["odd"]) for row in answer["rows"] if row["odd"]}
    assert odd == {
        *(("quay-03", name, "path_policy") for name in ("berth-a", "berth-b")),
        *(("quay-02", name, "queue_depth") for name in ("berth-a", "berth-b", "berth-c", "berth-d")),
    }


def test_many_policies_change_with_one_step_a_host_and_come_back_by_undo(estate: StandIns, ines: User) -> None:
    before = policies()
    lot = drafted("device_settings", ines, setting="path_policy", value="RoundRobin", filter={"cluster": "quayside"})
    assert [step.device.name for step in lot.steps.select_related("device")] == ["quay-01", "quay-02", "quay-03"]
    assert run_to_end(lot).state == Lot.State.DONE
    assert set(policies().values()) == {"RoundRobin"}
    (row,) = lot.outcome["rows"]
    quays = {key: policy for key, policy in before.items() if key[0].startswith("quay")}
    round_robin = list(quays.values()).count("RoundRobin")
    assert 0 < round_robin < len(quays)
    assert (row["before"], row["predicted"], row["measured"]) == (round_robin, len(quays), len(quays))
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert policies() == before


def test_only_what_the_filter_takes_is_changed(estate: StandIns, ines: User) -> None:
    before = policies()
    run_to_end(
        drafted("device_settings", ines, setting="path_policy", value="ShortestQueue", filter={"text": "berth-c"})
    )
    changed = {key for key, policy in policies().items() if before[key] != policy}
    serial = Volume.objects.get(name="berth-c").serial
    assert changed == {(host, serial) for host in ("quay-01", "quay-02", "quay-03")}


@pytest.mark.parametrize(
    ("form", "text"),
    [
        ({"setting": "path_policy", "value": "Teapot"}, "Choose one of"),
        ({}, "Choose one of"),
        (
            {"setting": "path_policy", "value": "RoundRobin", "filter": {"host": "quay-01", "text": "berth-a"}},
            "have round robin already",
        ),
    ],
)
def test_nothing_to_change_is_said(estate: StandIns, ines: User, form: dict[str, Any], text: str) -> None:
    lot = drafted("device_settings", ines, **form)
    assert text in " ".join(check["text"] for check in lot.checks if check["level"] == "stop")


@pytest.mark.parametrize("form", [{"setting": "teapot"}, {"filter": "nonsense"}, {"filter": {"hots": "quay-01"}}])
def test_a_setting_or_filter_that_there_is_not_is_refused(estate: StandIns, ines: User, form: dict[str, Any]) -> None:
    assert [field.split(".")[0] for field in refused("device_settings", ines, **form)] == [*form]


def test_a_device_with_one_path_is_pointed_out(estate: StandIns, ines: User) -> None:
    row = HostDevice.objects.filter(device__name="quay-03").first()
    assert row is not None
    seen_over(row, row.paths[:1])
    lot = drafted("device_settings", ines, setting="path_policy", value="RoundRobin", filter={})
    assert any("quay-03 have devices with one path" in check["text"] for check in lot.checks)


def test_a_policy_changed_by_hand_meanwhile_stops_the_run(estate: StandIns, ines: User) -> None:
    lot = drafted("device_settings", ines, setting="path_policy", value="RoundRobin", filter={})
    other = drafted("device_settings", ines, setting="path_policy", value="RoundRobin", filter={"text": "berth-c"})
    run_to_end(other)
    with pytest.raises(Problem) as stale:
        actions.run(lot)
    assert "devices with another value was 10, is 7" in stale.value.detail


def limits(setting: str) -> dict[tuple[str, str], int]:
    rows = HostDevice.objects.filter(device__cluster__name="quayside").values_list("device__name", "serial", setting)
    return {(host, serial): value for host, serial, value in rows}


def test_a_queue_depth_is_set_where_it_differs_and_comes_back_by_undo(estate: StandIns, ines: User) -> None:
    before = limits("queue_depth")
    form = {"setting": "queue_depth", "value": "24", "filter": {"text": "berth-a"}}
    lot = drafted("device_settings", ines, **form)
    assert [step.title for step in lot.steps.all()] == [
        "Set 1 device of quay-01 to queue depth 24",
        "Set 1 device of quay-03 to queue depth 24",
    ]
    assert lot.facts == {"devices with another value": "2"}
    # 40 + 24 + 40 now, three times 24 then.
    assert any("104 I/Os to one volume at most now, 72 after" in check["text"] for check in lot.checks)
    assert run_to_end(lot).state == Lot.State.DONE
    assert lot.outcome["rows"][0]["measured"] == 3
    serial = Volume.objects.get(name="berth-a").serial
    assert {key: now for key, now in limits("queue_depth").items() if before[key] != now} == {
        (host, serial): 24 for host in ("quay-01", "quay-03")
    }
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert limits("queue_depth") == before


def test_a_turn_length_says_where_it_has_no_effect_yet(estate: StandIns, ines: User) -> None:
    lot = drafted("device_settings", ines, setting="turn_ios", value=8, filter={"cluster": "quayside"})
    assert any("10 of the devices do not use round robin" in check["text"] for check in lot.checks)
    assert run_to_end(lot).state == Lot.State.DONE
    assert set(limits("turn_ios").values()) == {8}


@pytest.mark.parametrize(
    ("form", "text"),
    [
        ({"value": 3}, "Choose one of path policy, queue depth, turn length."),
        ({"setting": "queue_depth", "value": "many"}, "Give a whole number from 1 to 256 I/Os."),
        ({"setting": "queue_depth"}, "Give a whole number from 1 to 256 I/Os."),
        ({"setting": "queue_depth", "value": 24, "filter": {"host": "quay-01"}}, "quay-01 cannot set limits"),
    ],
)
def test_what_cannot_be_set_is_said(estate: StandIns, ines: User, form: dict[str, Any], text: str) -> None:
    host = Device.objects.get(name="quay-01")
    host.capabilities.filter(code="device_limits").update(able=False)
    lot = drafted("device_settings", ines, **form)
    assert text in " ".join(check["text"] for check in lot.checks if check["level"] == "stop")


def test_a_depth_set_by_hand_after_the_check_is_not_overwritten(estate: StandIns, ines: User) -> None:
    lot = drafted("device_settings", ines, setting="queue_depth", value=32, filter={"text": "berth-b"})
    actions.run(lot)
    serial = Volume.objects.get(name="berth-b").serial
    host = Device.objects.get(name="quay-03")
    set_device(session_with(host), serial, "queue_depth", 200)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.FAILED
    assert "Meanwhile another value was given" in str([step.problem for step in lot.steps.all()])


def test_lots_of_path_policies_from_before_can_still_be_undone(estate: StandIns, ines: User) -> None:
    lot = run_to_end(drafted("device_settings", ines, setting="path_policy", value="RoundRobin", filter={}))
    # As an earlier version kept it.
    for kept in (lot.form, lot.plan):
        kept.pop("setting")
        kept["policy"] = kept.pop("value")
    lot.kind = "path_policy"
    lot.save()
    for step in lot.steps.all():
        step.kind = "set_path_policies"
        step.params.pop("setting")
        step.save()
    import_module("movelot.lots.migrations.0003_device_settings").rename(apps, None)
    lot = Lot.objects.get(pk=lot.pk)
    assert lot.plan["value"] == "RoundRobin"
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert set(policies().values()) == {"RoundRobin", "OnePath"}


def test_devices_beyond_the_filter_are_not_judged_and_depths_not_told_are_counted(estate: StandIns, ines: User) -> None:
    seen = HostDevice.objects.filter(serial=Volume.objects.get(name="berth-b").serial)
    seen.filter(device__name="quay-01").update(queue_depth=0)
    other = HostDevice.objects.get(device__name="quay-03", serial=Volume.objects.get(name="berth-c").serial)
    seen_over(other, other.paths[:1])
    lot = drafted("device_settings", ines, setting="path_policy", value="ShortestQueue", filter={"text": "berth-b"})
    assert not any("one path" in check["text"] for check in lot.checks)
    lot = drafted("device_settings", ines, setting="queue_depth", value=32, filter={"text": "berth-b"})
    # Nothing told + 24 + 40 now, three times 32 then.
    assert any("64 I/Os to one volume at most now, 96 after; 1 device whose" in check["text"] for check in lot.checks)
