"""Paths as read, single points of failure, and path policies of many devices, over the API and as lots."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.attach.path_policies import PolicyFilter, rows_of
from movelot.inventory.models import Device, HostDevice, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from movelot.lots.runner import Driver
from movelot.problems import Problem
from server.tests.conftest import drafted, run_to_end


def paths(api: APIClient, **query: Any) -> dict[str, Any]:
    answer = api.get("/api/attach/paths/", query)
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
    assert len(points["switch", "switch-1"]["volumes"]) == 5


def test_once_the_uplink_is_bound_no_single_point_is_left(estate: StandIns, api: APIClient, ines: User) -> None:
    run_to_end(drafted("uplinks", ines, host="quay-03"))
    answer = paths(api)
    assert (answer["board"]["seen"], answer["points"]) == (24, [])


@pytest.mark.parametrize(
    "query", [{"cluster": "nowhere"}, {"array": "flint"}, {"volume": "999999"}, {"volume": "x"}, {"volume": "-1"}]
)
def test_what_is_not_there_is_said(estate: StandIns, api: APIClient, query: dict[str, str]) -> None:
    answer = api.get("/api/attach/paths/", query)
    assert answer.status_code == 404
    assert answer.json()["hint"]


def test_an_empty_estate_says_what_to_link(db: None, api: APIClient) -> None:
    Device.objects.all().delete()
    answer = api.get("/api/attach/paths/")
    assert (answer.status_code, answer.json()["code"]) == (404, "no_paths")


def test_policies_are_listed_row_by_row_and_odd_ones_marked(estate: StandIns, api: APIClient) -> None:
    answer = api.get("/api/attach/path-policies/").json()
    # Eight volumes on three hosts, but for the one that quay-02 does not see; two on four hosts.
    assert answer["total"] == 23 + 8
    odd = {(row["host"], row["datastore"]) for row in answer["rows"] if row["odd"]}
    assert odd == {("quay-03", "berth-a"), ("quay-03", "berth-b")}


@pytest.mark.parametrize(
    ("which", "count"),
    [
        ({"cluster": "quayside"}, 23),
        ({"cluster": "gatehouse"}, 8),
        ({"host": "quay-02"}, 7),
        ({"array": "granite"}, 22),
        ({"array": "basalt"}, 9),
        ({"text": "berth-f"}, 2),
        ({"text": "BERTH-A", "host": "quay-01"}, 1),
        ({"text": "teapot"}, 0),
    ],
)
def test_policies_are_filtered_by_the_server(estate: StandIns, which: dict[str, str], count: int) -> None:
    rows, total = rows_of(PolicyFilter.of(which))
    assert len(rows) == total == count


def test_many_policies_change_with_one_step_a_host_and_come_back_by_undo(estate: StandIns, ines: User) -> None:
    before = policies()
    lot = drafted("path_policy", ines, policy="RoundRobin", filter={"cluster": "quayside"})
    assert [step.device.name for step in lot.steps.select_related("device")] == ["quay-01", "quay-02", "quay-03"]
    assert run_to_end(lot).state == Lot.State.DONE
    assert set(policies().values()) == {"RoundRobin"}
    (row,) = lot.outcome["rows"]
    assert (row["before"], row["predicted"], row["measured"]) == (13, 23, 23)
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert policies() == before


def test_only_what_the_filter_takes_is_changed(estate: StandIns, ines: User) -> None:
    before = policies()
    run_to_end(drafted("path_policy", ines, policy="ShortestQueue", filter={"text": "berth-c"}))
    changed = {key for key, policy in policies().items() if before[key] != policy}
    serial = Volume.objects.get(name="berth-c").serial
    assert changed == {(host, serial) for host in ("quay-01", "quay-02", "quay-03")}


@pytest.mark.parametrize(
    ("form", "text"),
    [
        ({"policy": "Teapot"}, "Choose one of"),
        ({}, "Choose one of"),
        ({"policy": "RoundRobin", "filter": {"host": "quay-01", "text": "berth-a"}}, "have round robin already"),
        ({"policy": "RoundRobin", "filter": "nonsense"}, ""),
    ],
)
def test_nothing_to_change_is_said(estate: StandIns, ines: User, form: dict[str, Any], text: str) -> None:
    lot = drafted("path_policy", ines, **form)
    stops = " ".join(check["text"] for check in lot.checks if check["level"] == "stop")
    assert text in stops
    assert bool(text) == bool(stops)


def test_a_device_with_one_path_is_pointed_out(estate: StandIns, ines: User) -> None:
    row = HostDevice.objects.filter(device__name="quay-03").first()
    assert row is not None
    row.paths = row.paths[:1]
    row.save()
    lot = drafted("path_policy", ines, policy="RoundRobin", filter={})
    assert any("quay-03 have devices with one path" in check["text"] for check in lot.checks)


def test_a_host_that_fails_in_the_middle_is_tried_again_without_touching_the_done_ones(
    estate: StandIns, ines: User
) -> None:
    lot = drafted("path_policy", ines, policy="ShortestQueue", filter={})
    actions.run(lot)
    estate.fault("quay-02", "fail_nth", n=2)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.FAILED
    actions.run(lot)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.DONE
    assert set(policies().values()) == {"ShortestQueue"}


@pytest.mark.parametrize("n", [1, 2, 3])
def test_an_answer_lost_on_the_way_loses_nothing_of_the_undo(estate: StandIns, ines: User, n: int) -> None:
    before = policies()
    lot = drafted("path_policy", ines, policy="ShortestQueue", filter={})
    actions.run(lot)
    estate.fault("quay-02", "drop", n=n)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.DONE
    run_to_end(actions.undo(lot, ines))
    assert policies() == before


def test_a_policy_changed_by_hand_meanwhile_stops_the_run(estate: StandIns, ines: User) -> None:
    lot = drafted("path_policy", ines, policy="RoundRobin", filter={})
    other = drafted("path_policy", ines, policy="RoundRobin", filter={"text": "berth-c"})
    run_to_end(other)
    with pytest.raises(Problem) as stale:
        actions.run(lot)
    assert "devices with another policy was 10, is 7" in stale.value.detail
