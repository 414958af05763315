"""Rules on where disks lie to one another, from the API to the plan that mends them and the move that is refused."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.utils.timezone import now
from rest_framework.test import APIClient

from movelot.accounts.models import Role, User
from movelot.balance.plans import plan_by_itself
from movelot.balance.rules_end import end_rules
from movelot.findings.judging import judge_due
from movelot.findings.models import Due, Finding
from movelot.inventory.changes import everything_changed
from movelot.inventory.known_groups import known_group
from movelot.inventory.labels import set_labels
from movelot.inventory.models import BalanceGroup, Datastore, Disk, Machine, PlacementRule
from movelot.inventory.rule_kinds import RULE_KINDS
from movelot.inventory.rule_kinds.base import GroupRules, OfGroup, RuleDisk, RuleKind
from movelot.lots.drafting import new_draft
from movelot_core.units import GIB
from server.tests.conftest import signed_in
from server.worlds.tests.world import World, person

URL = "/api/balance/rules/"
HOSTS = ("quay-1", "quay-2")
APART: dict[str, Any] = {
    "name": "ledger nodes apart",
    "kind": "split",
    "among": "machines",
    "apart_by": "datastore",
    "machines": ["ledger-1", "ledger-2"],
}


@pytest.fixture
def nodes(world: World) -> World:
    """Two nodes with two disks each, on one datastore but for a disk; three datastores on two pools."""
    world.array("flint", fast=60, slow=60)
    for host in HOSTS:
        world.host(host)
    for name, pool in (("berth-a", "fast"), ("berth-b", "fast"), ("berth-c", "slow")):
        serial = world.volume("flint", pool, name, 4, HOSTS)
        world.datastore(name, [serial], 4, 0.3, HOSTS)
    world.machine("ledger-1", "quay-1", a=("berth-a", 100), b=("berth-a", 200))
    world.machine("ledger-2", "quay-2", c=("berth-a", 300), d=("berth-b", 50))
    world.read()
    return world


def rule(client: APIClient, **changed: Any) -> Any:
    answer = client.post(URL, {**APART, **changed}, format="json")
    # What is told once a transaction is stored is told here.
    everything_changed()
    return answer


def moved(ines: User) -> dict[str, str]:
    """Which disks the plan moves, and where to."""
    plan = new_draft("balance", {"group": "quayside"}, ines).plan
    return {move["name"].split()[-1]: move["target_name"] for move in plan["moves"]}


def test_a_rule_that_is_broken_is_a_finding_whose_plan_mends_it(nodes: World, ines: User, api: APIClient) -> None:
    answer = rule(api)
    assert answer.status_code == 201, answer.content
    assert answer.json()["sentence"] == "Disks of different machines of ledger-1, ledger-2 lie on different datastores."
    (told,) = api.get(URL).json()
    assert told["standing"] == [{"group": "quayside", "disks": 4, "out": 1}]
    found = Finding.objects.get(kind="broken_rule", gone_at=None)
    assert (found.subject_name, found.evidence["plan_moves"]) == ("ledger nodes apart", 1)
    # The one disk of 300 GiB moves, which is no less than the two of 100 and 200; not to where its neighbour is alone.
    lot = new_draft("balance", {"group": "quayside"}, ines)
    assert [check["text"] for check in lot.checks if check["level"] == "stop"] == []
    (move,) = lot.plan["moves"]
    assert (move["source_name"], move["size_bytes"]) == ("berth-a", 300 * GIB)
    assert move["reasons"][0].startswith("rule ledger nodes apart: 1 disk is out of it")


def test_a_move_by_hand_that_breaks_a_rule_is_no_plan(nodes: World, ines: User, api: APIClient) -> None:
    assert rule(api, machines=[], labelled="role=db", among="disks").status_code == 201
    for name in ("b", "d"):
        disk = Disk.objects.get(name__endswith=name)
        answer = api.put(f"/api/labels/disk/{disk.pk}/", {"labels": ["role=db"]}, format="json")
        assert answer.status_code == 200, answer.content
    everything_changed()
    disk, store = Disk.objects.get(name__endswith="d"), Datastore.objects.get(name="berth-a")
    lot = new_draft("balance", {"group": "quayside", "moves": [{"disk": disk.pk, "target": store.pk}]}, ines)
    (broken,) = [check["text"] for check in lot.checks if check["level"] == "stop"]
    assert broken == "ledger nodes apart would be broken: 2 of its disks would lie side by side."


@pytest.mark.parametrize(
    ("changed", "code", "text"),
    [
        ({"machines": []}, "rule_of_nothing", "names no disks"),
        ({"machines": ["nobody"]}, "machine_unknown", "no machine named nobody"),
        ({"disks": ["nothing"]}, "disk_unknown", "no disk named nothing"),
        ({"kind": "bond"}, "rule_meaningless", "not machines"),
        ({"kind": "off"}, "rule_of_nowhere", "names no datastore"),
        ({"kind": "off", "datastore": "berth-z"}, "datastore_unknown", "no datastore named berth-z"),
        ({"until": "2026-01-01T00:00:00Z"}, "rule_ended", "would have ended already"),
        ({"machines": [], "labelled": "no label"}, None, ""),
        ({"among": "disks"}, "rule_cannot_hold", "have 3 places between them for 4 disks"),
        ({"among": "machines", "apart_by": "array"}, "rule_cannot_hold", "have 1 place between them for 2 disks"),
    ],
)
def test_a_rule_that_cannot_be_meant_or_cannot_hold_is_refused_and_nothing_stored(
    nodes: World, api: APIClient, changed: dict[str, Any], code: str | None, text: str
) -> None:
    answer = rule(api, **changed)
    assert answer.status_code == 422, answer.content
    assert code is None or answer.json()["code"] == code
    assert text in answer.json()["title"]
    assert not PlacementRule.objects.exists()


def test_a_rule_on_more_pairs_than_are_looked_after_is_refused(
    nodes: World, api: APIClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("movelot.balance.rules.PAIRS_MAX", 4)
    answer = rule(api)
    assert (answer.status_code, answer.json()["code"]) == (422, "rule_too_large")
    assert not PlacementRule.objects.exists()


def test_rules_that_contradict_each_other_are_told_by_both_names(nodes: World, api: APIClient) -> None:
    assert rule(api, name="together", kind="bond", among="disks", machines=["ledger-1"]).status_code == 201
    answer = rule(api, name="apart", among="each machine", machines=["ledger-1"])
    assert answer.status_code == 422
    assert "“apart” and “together” contradict each other on " in answer.json()["title"]
    assert [each.name for each in PlacementRule.objects.all()] == ["together"]


def test_a_rule_is_written_anew_and_taken_back_as_it_was_seen(nodes: World, ines: User, api: APIClient) -> None:
    made = rule(api).json()
    where = f"{URL}{made['id']}/"
    seen = api.get(where)["ETag"]
    by_pool = api.put(where, {**APART, "apart_by": "pool"}, format="json", headers={"If-Match": seen})
    assert (by_pool.status_code, by_pool.json()["number"]) == (200, 2)
    late = api.delete(where, headers={"If-Match": seen})
    assert late.status_code == 412
    assert "different pools" in late.json()["detail"]
    assert set(moved(ines)) <= {"a", "b", "c", "d"} != set()
    assert api.delete(where, headers={"If-Match": by_pool["ETag"]}).status_code == 204
    everything_changed()
    judge_due()
    assert moved(ines) == {}
    assert not Finding.objects.filter(kind="broken_rule", gone_at=None).exists()


def test_what_is_pinned_stays_and_is_in_no_plan(nodes: World, ines: User, api: APIClient) -> None:
    assert rule(api).status_code == 201
    assert set(moved(ines)) == {"c"}
    answer = rule(api, name="the large one stays", kind="pin", machines=["ledger-2"])
    assert (answer.status_code, answer.json()["among"]) == (201, "disks")
    assert answer.json()["sentence"] == "Disks of ledger-2 stay where they are."
    assert set(moved(ines)) == {"a", "b"}
    told = {each["name"]: each["standing"] for each in api.get(URL).json()}
    assert told["the large one stays"] == [{"group": "quayside", "disks": 2, "out": 0}]
    # Pinned side by side they cannot be kept apart: the rule that is there is named.
    both = rule(api, name="all stay", kind="pin", machines=["ledger-1", "ledger-2"])
    assert (both.status_code, both.json()["code"]) == (422, "rule_cannot_hold")
    assert "which “ledger nodes apart” keeps apart" in both.json()["title"]
    assert not PlacementRule.objects.filter(name="all stay").exists()


def test_disks_kept_off_a_datastore_leave_it_and_do_not_come_back(nodes: World, ines: User, api: APIClient) -> None:
    off = {"kind": "off", "name": "not on berth-b", "datastore": "berth-b", "machines": [], "disks": ["ledger-2 d"]}
    made = rule(api, **off)
    assert made.status_code == 201, made.content
    told = made.json()
    assert told["sentence"] == "Disks of ledger-2 d do not lie on berth-b."
    assert ([each["name"] for each in told["disks"]], told["datastore"]) == (["ledger-2 d"], "berth-b")
    judge_due()
    found = Finding.objects.get(kind="broken_rule", gone_at=None)
    assert (found.subject_name, found.evidence["disks"], found.evidence["out"]) == ("not on berth-b", 1, 1)
    assert moved(ines).keys() == {"d"}
    assert rule(api, **{**off, "name": "nor c", "disks": ["ledger-2 c"]}).status_code == 201
    assert moved(ines).keys() == {"d"}
    disk, store = Disk.objects.get(name="ledger-2 c").pk, Datastore.objects.get(name="berth-b").pk
    lot = new_draft("balance", {"group": "quayside", "moves": [{"disk": disk, "target": store}]}, ines)
    assert "“nor c” keeps ledger-2 c off berth-b." in [
        check["text"] for check in lot.checks if check["level"] == "stop"
    ]
    # A new disk of a machine is kept off as well.
    assert rule(api, **{**off, "name": "nor others", "machines": ["ledger-2"], "disks": []}).status_code == 201
    assert added(ines, datastore=store) == (
        "",
        "No datastore takes it. berth-b: out of a rule (rule nor others keeps it from there).",
    )


def test_a_rule_ends_by_itself(nodes: World, ines: User, api: APIClient) -> None:
    until = now() + timedelta(days=30)
    off = {
        "kind": "off",
        "name": "refused",
        "datastore": "berth-b",
        "machines": ["ledger-2"],
        "until": until.isoformat(),
    }
    told = rule(api, **off).json()
    assert told["sentence"] == f"Disks of ledger-2 do not lie on berth-b. Until {until:%-d %B %Y %H:%M} UTC."
    assert moved(ines).keys() == {"d"}
    judge_due()
    end_rules(until - timedelta(seconds=1))
    assert PlacementRule.objects.filter(name="refused").exists()
    end_rules(until)
    everything_changed()
    assert not PlacementRule.objects.exists()
    assert moved(ines) == {}
    assert f"group:{BalanceGroup.objects.get().pk}" in set(Due.objects.values_list("judgement", flat=True))


@pytest.mark.parametrize("kind", sorted(RULE_KINDS))
def test_each_kind_of_rule_is_written_said_and_stands_in_its_group(nodes: World, api: APIClient, kind: str) -> None:
    one = RULE_KINDS[kind]
    named = {"machines": ["ledger-2"], "datastore": "berth-c" if one.has_datastore else ""}
    made = rule(api, name=f"a {kind}", kind=kind, among="disks", **named)
    assert made.status_code == 201, made.content
    told = made.json()
    assert (told["kind"], told["among"], told["datastore"]) == (kind, "disks", named["datastore"])
    assert "ledger-2" in told["sentence"]
    assert told["sentence"].endswith(".")
    judge_due()
    (standing,) = api.get(URL).json()[0]["standing"]
    assert (standing["group"], standing["disks"]) == ("quayside", 2)
    # Of one disk a rule on disks to one another says nothing, any other what it says of two.
    of_one = rule_of_one(kind, one)
    assert bool(of_one) is not one.to_one_another


def rule_of_one(kind: str, one: RuleKind) -> list[Any]:
    """What a rule of a kind comes to for a group that has one disk of it."""
    stored = PlacementRule.objects.get(name=f"a {kind}")
    store = stored.datastore_id or 1
    sites = dict.fromkeys(PlacementRule.ApartBy.values, (0,))
    found = GroupRules()
    one.gather(stored, [0], OfGroup([RuleDisk(1, 1)], [store], sites), found)
    return [*found.splits, *found.bonds, *found.pins, *found.kept_off, *found.by_people]


def test_what_only_people_move_is_in_their_plans_and_not_in_what_the_group_does(
    nodes: World, ines: User, api: APIClient
) -> None:
    assert rule(api).status_code == 201
    assert set(moved(ines)) == {"c"}
    people = rule(api, name="with the owner", kind="people", machines=[], disks=["ledger-2 c"])
    assert people.json()["sentence"] == "Disks of ledger-2 c are moved by people only, by no group that acts by itself."
    assert set(moved(ines)) == {"c"}
    found = known_group(BalanceGroup.objects.get()).by_itself
    kept = plan_by_itself(found, lambda _text, _done, _total: False)
    names = dict(zip(found.disk_keys, found.group.disks, strict=True))
    assert {names[disk] for disk, _store in kept.moves} == {"ledger-1 a", "ledger-1 b"}
    # Others are shown the whole plan, which nobody replaced.
    assert set(moved(ines)) == {"c"}


def test_who_may_not_change_reads_rules_and_writes_none(nodes: World, api: APIClient) -> None:
    rule(api)
    auditor = signed_in(person("edda.glass", Role.AUDITOR).username)
    assert len(auditor.get(URL).json()) == 1
    assert rule(auditor, name="another").status_code == 403


def test_groups_are_judged_anew_for_rules_and_for_labels_that_rules_name(nodes: World, api: APIClient) -> None:

    machine = Machine.objects.get(name="ledger-1")
    group = f"group:{BalanceGroup.objects.get(name='quayside').pk}"

    def due_after(label: str) -> bool:
        judge_due()
        set_labels("machine", machine.pk, [label])
        return group in set(Due.objects.values_list("judgement", flat=True))

    assert not due_after("role=db")
    assert rule(api, machines=[], labelled="role=db", among="disks").status_code == 201
    assert due_after("role=web")


def added(ines: User, **form: Any) -> tuple[str, str]:
    """Where a disk of 50 GiB for ledger-2 would go, or why nowhere."""
    machine = Machine.objects.get(name="ledger-2").pk
    lot = new_draft("machine_disk", {"machine": machine, "size": "50 GiB", **form}, ines)
    [said] = [check for check in lot.checks if check["name"] == "a place for it"]
    return lot.facts.get("place", ""), said["text"] if said["level"] == "stop" else ""


def test_a_disk_for_a_machine_goes_where_its_rules_let_it(nodes: World, ines: User, api: APIClient) -> None:
    """berth-a and berth-b have a disk of it each: kept apart it may only go to berth-c, kept together never there."""
    spread = {"among": "each machine", "machines": ["ledger-2"], "name": "ledger-2 apart"}
    made = rule(api, **spread)
    assert made.status_code == 201, made.content
    assert added(ines) == ("berth-c", "")
    beside, away = (Datastore.objects.get(name=name).pk for name in ("berth-b", "berth-c"))
    said = "No datastore takes it. berth-b: out of a rule (rule ledger-2 apart keeps it from there)."
    assert added(ines, datastore=beside) == ("", said)
    assert api.delete(f"{URL}{made.json()['id']}/", HTTP_IF_MATCH=made.headers["ETag"]).status_code == 204
    everything_changed()
    assert added(ines, datastore=beside) == ("berth-b", "")
    assert rule(api, **{**spread, "kind": "bond", "apart_by": "datastore"}).status_code == 201
    assert added(ines)[0] in ("berth-a", "berth-b")
    assert added(ines, datastore=away)[0] == ""
