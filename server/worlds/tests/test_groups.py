"""Balance groups: made, renamed, changed and retired by people, with what each choice of datastores means."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from movelot.accounts.models import Role, User
from movelot.audit.models import Entry
from movelot.findings.judging import judge_due
from movelot.findings.models import Finding
from movelot.inventory.changes import everything_changed
from movelot.inventory.models import BalanceGroup, Datastore, Volume
from movelot.lots.drafting import new_draft, redraft
from server.tests.conftest import signed_in
from server.worlds.tests.world import World, person

QUAY, GATE = ("quay-1", "quay-2"), ("gate-1",)
MEMBERS = "/api/balance/members/"


@pytest.fixture
def two(world: World) -> World:
    """quayside mounts three of volumes and an export, gatehouse one of volumes; both mount the yard, of gatehouse."""
    world.array("flint", fast=60, slow=60)
    for host in QUAY:
        world.host(host)
    world.host("gate-1", cluster="gatehouse")
    for name, pool, hosts in (
        ("berth-a", "fast", QUAY),
        ("berth-b", "fast", QUAY),
        ("berth-c", "slow", QUAY),
        ("yard", "slow", (*QUAY, *GATE)),
        ("sand-1", "slow", QUAY),
        ("gate-a", "slow", GATE),
    ):
        world.datastore(name, [world.volume("flint", pool, name, 4, hosts)], 4, 0.3, hosts)
    world.machine("ledger-1", "quay-1", a=("berth-a", 2000), b=("berth-a", 1600))
    world.machine("ledger-2", "quay-2", c=("berth-b", 300))
    world.read()
    # Of what made worlds say all is volumes: this one is a file system.
    Volume.objects.filter(serial="6002-flint-sand-1").update(kind=Volume.Kind.FILE)
    everything_changed()
    return world


def key(name: str) -> int:
    return Datastore.objects.get(name=name).pk


def typed(name: str, *stores: str, joins: str = "") -> dict[str, Any]:
    return {"name": name, "joins": joins, "datastores": [key(store) for store in stores]}


def make(client: APIClient, name: str, *stores: str, joins: str = "") -> Any:
    answer = client.post("/api/balance/groups/", typed(name, *stores, joins=joins), format="json")
    everything_changed()
    return answer


def change(client: APIClient, group: str, form: dict[str, Any], seen: str | None = None) -> Any:
    headers = {"If-Match": seen} if seen else {}
    answer = client.put(f"/api/balance/groups/{group}/members/", form, format="json", headers=headers)
    everything_changed()
    return answer


def retire(client: APIClient, group: str, seen: str | None = None) -> Any:
    answer = client.delete(f"/api/balance/groups/{group}/", headers={"If-Match": seen} if seen else {})
    everything_changed()
    return answer


def shape(parts: list[dict[str, Any]]) -> list[tuple[str, list[str], list[str]]]:
    return [(part["kind"], [store["name"] for store in part["datastores"]], part["remarks"]) for part in parts]


def members(client: APIClient) -> dict[str, list[str]]:
    told = client.get(MEMBERS).json()
    found = {
        group["name"]: sorted(store["name"] for part in group["parts"] for store in part["datastores"])
        for group in told["groups"]
    }
    return found | {"": [store["name"] for store in told["alone"]]}


def effect(client: APIClient, group: str, *stores: str) -> dict[str, Any]:
    keys = ",".join(str(key(store)) for store in stores)
    found: dict[str, Any] = client.get(f"{MEMBERS}effect/", {"group": group, "datastores": keys}).json()
    return found


def test_a_group_of_two_clusters_is_made_and_says_who_trades_with_whom(two: World, api: APIClient) -> None:
    said = effect(api, "", "berth-a", "yard", "gate-a", "sand-1")
    alone = "It trades with no other: none is of its kind and on all hosts that it is on."
    assert shape(said["parts"]) == [("block", ["berth-a", "gate-a", "yard"], []), ("file", ["sand-1"], [alone])]
    assert sorted(said["changes"]) == [
        "berth-a, sand-1 leave quayside for the new group.",
        "gate-a, yard leave gatehouse for the new group.",
    ]
    answer = make(api, "harbour", "berth-a", "yard", "gate-a", "sand-1", joins="gatehouse")
    assert answer.status_code == 201, answer.content
    assert (answer.json()["number"], answer.json()["joins"], answer.json()["by"]) == (1, "gatehouse", "ines.marrow")
    assert members(api) == {
        "harbour": ["berth-a", "gate-a", "sand-1", "yard"],
        "quayside": ["berth-b", "berth-c"],
        "gatehouse": [],
        "": [],
    }
    # What is new in the cluster joins it, and no longer the group that came with the cluster.
    two.datastore("gate-b", [two.volume("flint", "slow", "gate-b", 4, GATE)], 4, 0.3, GATE)
    two.read()
    assert "gate-b" in members(api)["harbour"]


def test_one_pool_and_what_not_all_hosts_mount_are_said(two: World, api: APIClient) -> None:
    part = effect(api, "quayside", "berth-a", "berth-b")["parts"]
    assert shape(part) == [
        ("block", ["berth-a", "berth-b"], ["All of it lies in fast: moves even out fill, and make nothing faster."])
    ]
    two.host("quay-3")
    two.read()
    (lonely, *_rest) = effect(api, "quayside", "berth-a")["parts"]
    assert lonely["remarks"] == ["No cluster has berth-a on all its hosts: nothing moves there."]


def test_a_plan_keeps_disks_on_storage_of_their_kind_and_people_may_move_them_to_another(
    two: World, ines: User, api: APIClient
) -> None:
    """berth-a is 88 % full, and in its group only the export has room."""
    make(api, "mixed", "berth-a", "sand-1")
    lot = new_draft("balance", {"group": "mixed"}, ines)
    assert lot.plan["moves"] == []
    assert any("of another kind" in text for text in lot.plan["unresolved"])
    board = api.get("/api/balance/groups/mixed/").json()
    disk = next(
        block["id"] for stack in board["datastores"] for block in stack["blocks"] if block["size_bytes"] > 10**12
    )
    by_hand = new_draft("balance", {"group": "mixed", "moves": [{"disk": disk, "target": key("sand-1")}]}, ines)
    assert [check["text"] for check in by_hand.checks if check["level"] == "stop"] == []
    assert [move["target_name"] for move in by_hand.plan["moves"]] == ["sand-1"]
    # With one of volumes beside it moves there.
    make(api, "alike", "berth-a", "sand-1", "berth-c")
    (move,) = new_draft("balance", {"group": "alike"}, ines).plan["moves"]
    assert move["target_name"] == "berth-c"


def test_a_renamed_group_is_found_by_what_it_was_called(two: World, ines: User, api: APIClient) -> None:
    lot = new_draft("balance", {"group": "quayside"}, ines)
    names = ("berth-a", "berth-b", "berth-c", "sand-1")
    assert change(api, "quayside", typed("waterfront", *names, joins="quayside")).json()["name"] == "waterfront"
    assert api.get("/api/balance/groups/quayside/").json()["name"] == "waterfront"
    assert redraft(lot).plan["group"] == "waterfront"
    assert change(api, "quayside", typed("gatehouse", *names)).status_code == 409
    # A cluster that is new may be called as the group once was, and its group be renamed in turn.
    BalanceGroup.objects.create(name="quayside")
    assert change(api, "quayside", typed("inner quay", "sand-1")).status_code == 200
    assert api.get("/api/balance/groups/quayside/members/").json()["name"] == "inner quay"
    # Who takes the name that is free is it from then on.
    assert make(api, "quayside", "sand-1").status_code == 201
    told = api.get("/api/balance/groups/quayside/members/").json()
    assert [store["name"] for part in told["parts"] for store in part["datastores"]] == ["sand-1"]


def test_who_was_faster_is_said_and_nothing_stored(two: World, api: APIClient) -> None:
    seen = api.get("/api/balance/groups/quayside/members/")["ETag"]
    tobias = signed_in(person("tobias.wren", Role.STORAGE).username)
    assert change(tobias, "quayside", typed("quayside", "berth-a", "berth-b"), seen).status_code == 200
    late = change(api, "quayside", typed("quayside", "berth-a"), seen)
    assert (late.status_code, late.json()["changes"]) == (412, ["it is quayside with 2 datastores: berth-a, berth-b"])
    assert retire(api, "quayside", seen).status_code == 412
    assert members(api)["quayside"] == ["berth-a", "berth-b"]
    assert members(api)[""] == ["berth-c", "sand-1"]


def test_a_retired_group_ends_its_findings_and_leaves_its_datastores(two: World, ines: User, api: APIClient) -> None:
    assert Finding.objects.filter(kind="over_fill", gone_at=None).exists()
    lot = new_draft("balance", {"group": "quayside"}, ines)
    assert retire(api, "quayside").status_code == 204
    judge_due()
    assert not Finding.objects.filter(kind="over_fill", gone_at=None).exists()
    assert api.get("/api/balance/groups/quayside/").status_code == 404
    assert members(api)[""] == ["berth-a", "berth-b", "berth-c", "sand-1"]
    assert redraft(lot).checks[0]["text"] == "There is no group “quayside”."
    # What comes later joins nothing, as nobody said so.
    two.datastore("berth-d", [two.volume("flint", "slow", "berth-d", 4, QUAY)], 4, 0.3, QUAY)
    two.read()
    assert "berth-d" in members(api)[""]
    entry = Entry.objects.filter(subject="group quayside").latest("at")
    assert str(entry.before).startswith("quayside with 4 datastores: berth-a")


def test_rules_that_a_choice_tears_apart_are_named(two: World, api: APIClient) -> None:
    rule = {"name": "ledgers apart", "kind": "split", "among": "machines", "apart_by": "datastore"}
    answer = api.post("/api/balance/rules/", {**rule, "machines": ["ledger-1", "ledger-2"]}, format="json")
    assert answer.status_code == 201, answer.content
    everything_changed()
    assert effect(api, "quayside", "berth-a", "berth-b", "sand-1")["changes"] == [
        "berth-c leaves quayside for no group."
    ]
    assert effect(api, "quayside", "berth-a", "berth-c", "sand-1")["changes"] == [
        "berth-b leaves quayside for no group.",
        "“ledgers apart” is kept only within a group: 2 disks of it would be in quayside, 1 in no group.",
    ]
    (quayside,) = (group for group in api.get(MEMBERS).json()["groups"] if group["name"] == "quayside")
    assert quayside["lost_rules"] == ["“ledgers apart” with 3 disks"]


@pytest.mark.parametrize(
    ("form", "code"),
    [
        ({"name": "rules"}, "name_reserved"),
        ({"name": "a/b"}, "invalid"),
        ({"name": ".."}, "invalid"),
        ({"name": "a\nb"}, "invalid"),
        ({"datastores": []}, "group_empty"),
        ({"datastores": [10**9]}, "datastore_unknown"),
        ({"joins": "nowhere"}, "cluster_unknown"),
    ],
)
def test_what_cannot_be_a_group_is_refused(two: World, api: APIClient, form: dict[str, Any], code: str) -> None:
    answer = api.post("/api/balance/groups/", {**typed("other", "berth-a"), **form}, format="json")
    assert answer.json()["code"] == code
    assert not BalanceGroup.objects.filter(name=form.get("name", "other")).exists()


def test_who_reads_only_changes_no_group(two: World) -> None:
    auditor = signed_in(person("auditor", Role.AUDITOR).username)
    assert make(auditor, "other", "berth-a").status_code == 403
    assert retire(auditor, "quayside").status_code == 403
    assert members(auditor)["quayside"] == ["berth-a", "berth-b", "berth-c", "sand-1"]


def hold(client: APIClient, store: str) -> Any:
    answer = client.post("/api/balance/held/", {"datastore": key(store)}, format="json")
    everything_changed()
    return answer


def test_a_datastore_held_empty_is_emptied_by_the_plan_and_stays_so_until_released(
    two: World, ines: User, api: APIClient
) -> None:
    assert hold(api, "berth-b").status_code == 204
    judge_due()
    found = Finding.objects.get(kind="not_empty", gone_at=None)
    assert (found.subject_name, found.evidence["disks"], found.evidence["leave"]) == ("berth-b", 1, 1)
    lot = new_draft("balance", {"group": "quayside"}, ines)
    assert lot.title.startswith("Empty berth-b, clear berth-a")
    targets = {move["name"]: move["target_name"] for move in lot.plan["moves"]}
    # What has to leave leaves, and what berth-a has too much does not go where it would have fitted.
    assert targets["ledger-2 c"] == "berth-c"
    assert "berth-b" not in targets.values()
    even = new_draft("balance", {"group": "quayside", "aim": "even"}, ines)
    assert "berth-b" not in {move["target_name"] for move in even.plan["moves"]}
    assert {move["name"] for move in even.plan["moves"]} >= {"ledger-2 c"}
    stays = api.get(MEMBERS).json()["groups"][1]["parts"][0]["datastores"]
    assert [(each["name"], each["held_by"]) for each in stays if each["held_by"]] == [("berth-b", "ines.marrow")]

    assert api.delete(f"/api/balance/held/{key('berth-b')}/").status_code == 204
    everything_changed()
    judge_due()
    assert not Finding.objects.filter(kind="not_empty", gone_at=None).exists()
    assert new_draft("balance", {"group": "quayside"}, ines).title == "Clear berth-a"


def test_what_cannot_leave_is_said_with_the_least_that_would_let_it(two: World, ines: User, api: APIClient) -> None:
    hold(api, "berth-a")
    remarks = new_draft("balance", {"group": "quayside"}, ines).plan["remarks"]
    # 2,000 GiB fit on berth-c; of 1,600 GiB beside 300 GiB berth-b takes all. With less room there one stays.
    assert not [text for text in remarks if "stays on berth-a" in text]
    for store in two.hosts["quay-1"].datastores:
        if store["name"] == "berth-b":
            store["free_bytes"] = store["capacity_bytes"] // 20
    two.read()
    remarks = new_draft("balance", {"group": "quayside"}, ines).plan["remarks"]
    (said,) = [text for text in remarks if "stays on berth-a" in text]
    assert " lacks " in said
    assert "below its fill ceiling" in said


def test_what_is_in_no_group_cannot_be_held_empty(two: World, api: APIClient) -> None:
    change(api, "quayside", typed("quayside", "berth-a", "berth-b"))
    assert hold(api, "berth-c").json()["code"] == "in_no_group"
    assert hold(signed_in(person("auditor", Role.AUDITOR).username), "berth-a").status_code == 403
