"""Policies on a small world: which places serve them, who has which, what goes out, and what brings it back."""

from __future__ import annotations

import json
import re
from datetime import timedelta
from typing import Any

import jsonschema
import pytest
import yaml
from django.utils.timezone import now
from rest_framework.test import APIClient

from conftest import ROOT
from movelot.accounts.models import Role
from movelot.audit.models import Entry
from movelot.findings.base import REGISTRY
from movelot.findings.judging import WHOLE, judge_due
from movelot.findings.models import Due, Finding
from movelot.inventory.changes import everything_changed
from movelot.inventory.known_groups import known_group
from movelot.inventory.labels import set_labels
from movelot.inventory.models import (
    BalanceGroup,
    Cluster,
    Compliance,
    Datastore,
    DatastoreDay,
    Disk,
    Machine,
    Policy,
    Pool,
)
from movelot.lots.drafting import new_draft
from movelot.policies.documents import json_schema
from movelot.policies.judge import PolicyJudge
from server.worlds.tests.world import GIB, World, person


@pytest.fixture
def harbour(world: World) -> World:
    """Two hosts, a pool of flash and one of spinning drives, two datastores on each, and three disks."""
    made = world.array("granite", fast=10, mixed=20)
    made.pools["fast"] |= {"media": "SSD", "raid": "RAID6", "drives": 12}
    made.pools["mixed"] |= {"media": "HDD", "raid": "RAID10", "drives": 24}
    for name in ("quay-1", "quay-2"):
        world.host(name)
    hosts = ("quay-1", "quay-2")
    for name, pool in (("berth-a", "fast"), ("berth-b", "fast"), ("berth-c", "mixed"), ("berth-d", "mixed")):
        serial = world.volume("granite", pool, name, 2, hosts)
        world.datastore(name, [serial], 2, 0.4, hosts)
    world.machine("customs", "quay-1", one=("berth-a", 100), two=("berth-c", 200))
    world.machine("payroll", "quay-2", one=("berth-d", 300))
    world.read()
    judge_all()
    return world


@pytest.fixture
def api(harbour: World) -> APIClient:
    client = APIClient()
    client.force_authenticate(person("ines.marrow", Role.VIRTUALIZATION))
    return client


def judge_all() -> None:
    """Until nothing is due: what one judgement finds makes another one due."""
    while judge_due():
        pass


def made(api: APIClient, name: str = "Berth-critical", **asked: Any) -> dict[str, Any]:
    requirements = [{"kind": kind, "value": value} for kind, value in asked.items()]
    answer = api.post("/api/policies/", {"name": name, "requirements": requirements}, format="json")
    assert answer.status_code == 201, answer.content
    judge_all()
    return dict(answer.json())


def given(api: APIClient, policy: int, scope: str, target: Any) -> None:
    answer = api.post(f"/api/policies/{policy}/given/", {"scope": scope, "target": str(target)}, format="json")
    assert answer.status_code == 200, answer.content
    judge_all()


def row(api: APIClient, name: str = "Berth-critical") -> dict[str, Any]:
    board = api.get("/api/policies/").json()
    found = dict(next(each for each in board["policies"] if each["name"] == name))
    stores = {column["id"]: column["name"] for column in board["columns"]}
    found["cells"] = {stores[each["store"]]: (each["answer"], each["disks"], each["out"]) for each in found["cells"]}
    return found


def states() -> dict[str, tuple[str, str]]:
    rows = Compliance.objects.values_list("disk__name", "state", "because")
    return {name: (state, because) for name, state, because in rows}


def test_the_board_shows_where_a_policy_is_served_and_where_its_disks_are(api: APIClient) -> None:
    policy = made(api, media="SSD")
    given(api, policy["id"], "disk", Disk.objects.get(name="customs one").pk)
    given(api, policy["id"], "disk", Disk.objects.get(name="customs two").pk)
    found = row(api)
    assert (found["sentence"], found["disks"], found["out"]) == ("On flash.", 2, 1)
    assert found["cells"] == {
        "berth-a": ("has it", 1, 0),
        "berth-b": ("has it", 0, 0),
        "berth-c": ("cannot", 1, 1),
        "berth-d": ("cannot", 0, 0),
    }
    board = api.get("/api/policies/").json()
    assert (board["disks"], board["with_policy"]) == (3, 2)
    store = Datastore.objects.get(name="berth-c").pk
    why = api.get(f"/api/policies/{policy['id']}/places/{store}/").json()
    assert (why["answer"], why["reasons"], why["disks"]) == (
        "cannot",
        ["its pool has spinning drives"],
        ["customs two"],
    )
    trace = api.get(f"/api/trace/disk/{Disk.objects.get(name='customs two').pk}/").json()
    told = {figure["label"]: figure["text"] for figure in trace["figures"]}
    assert told["policy"] == "Berth-critical, given to the disk"
    assert re.fullmatch(r"out of policy since .* UTC: its pool has spinning drives", told["compliance"])
    media = next(kind for kind in board["kinds"] if kind["kind"] == "media")
    assert [(option["value"], option["places"]) for option in media["options"]] == [("SSD", 2), ("HDD", 2)]


def test_what_is_given_to_the_disk_counts_before_label_datastore_and_cluster(api: APIClient) -> None:
    flash, any_place = made(api, media="SSD"), made(api, "Scratch")
    given(api, any_place["id"], "cluster", Disk.objects.get(name="payroll one").machine.host.cluster_id)
    assert set(states().values()) == {("in policy", "of its cluster")}
    given(api, flash["id"], "datastore", Datastore.objects.get(name="berth-d").pk)
    assert states()["payroll one"] == ("out of policy", "of its datastore")
    given(api, any_place["id"], "label", "team=berths")
    set_labels("machine", Disk.objects.get(name="payroll one").machine_id, ["team=berths"])
    judge_all()
    assert states()["payroll one"] == ("in policy", "by a label")
    given(api, flash["id"], "disk", Disk.objects.get(name="payroll one").pk)
    assert states()["payroll one"] == ("out of policy", "given to the disk")


def test_disks_that_are_out_are_a_finding_with_the_moves_that_settle_them(api: APIClient) -> None:
    policy = made(api, media="SSD")
    for name in ("customs two", "payroll one"):
        given(api, policy["id"], "disk", Disk.objects.get(name=name).pk)
    found = {each.scope: each.evidence for each in Finding.objects.filter(kind="out_of_policy", gone_at=None)}
    assert set(found) == {"berth-c", "berth-d"}
    flash = set(Datastore.objects.filter(name__in=["berth-a", "berth-b"]).values_list("pk", flat=True))
    for evidence in found.values():
        assert evidence["lacks"] == ["its pool has spinning drives"]
        assert evidence["moves"][0][1] in flash
    moves = [{"disk": disk, "target": target} for each in found.values() for disk, target in each["moves"]]
    group = BalanceGroup.objects.get().name
    lot = new_draft("balance", {"group": group, "moves": moves}, person("ines.marrow", Role.VIRTUALIZATION))
    assert lot.title == f"Move 2 disks in {group}"
    assert lot.steps.count() == 2
    assert not [check["text"] for check in lot.checks if check["level"] == "stop"]


def test_one_plan_a_group_settles_what_is_out_and_keeps_its_ceilings(api: APIClient) -> None:
    policy = made(api, media="SSD")
    for name in ("customs two", "payroll one"):
        given(api, policy["id"], "disk", Disk.objects.get(name=name).pk)
    plan = api.get("/api/policies/").json()["settling"][0]
    assert (plan["group"], plan["out"], plan["settled"], plan["stays"]) == (BalanceGroup.objects.get().name, 2, 2, [])
    assert plan["moved_bytes"] == sum(
        Disk.objects.filter(pk__in=[disk for disk, _store in plan["moves"]]).values_list("size_bytes", flat=True)
    )
    assert 0 < plan["bound_bytes"] <= plan["moved_bytes"]
    form = {"group": plan["group"], "moves": [{"disk": disk, "target": store} for disk, store in plan["moves"]]}
    lot = new_draft("balance", form, person("ines.marrow", Role.VIRTUALIZATION))
    assert not [check["text"] for check in lot.checks if check["level"] == "stop"]
    # What has to move is another thing now: the plan that is kept is not taken for it.
    Disk.objects.filter(name="payroll one").update(pinned=True)
    everything_changed()
    judge_all()
    plan = api.get("/api/policies/").json()["settling"][0]
    assert (plan["out"], plan["settled"], plan["stays"]) == (2, 1, ["1 stays, as it is pinned"])


def test_one_plan_moves_what_lies_wrong_and_limits_what_lacks_a_cap(api: APIClient, harbour: World) -> None:
    """Flash with a cap is asked of a disk that lies well and of one that does not: one move, two caps, one lot."""
    for host in harbour.hosts.values():
        host.capabilities = [{"code": "disk_limits", "able": True, "detail": "a cap on each disk"}]
        for machine in host.machines:
            for disk in machine["disks"]:
                disk |= {"cap_iops": 0, "floor_iops": 0, "limited_by": "host"}
    harbour.read()
    policy = made(api, media="SSD", cap_iops=400)
    for name in ("customs one", "customs two"):
        given(api, policy["id"], "disk", Disk.objects.get(name=name).pk)
    plan = api.get("/api/policies/").json()["settling"][0]
    keys = {name: Disk.objects.get(name=name).pk for name in ("customs one", "customs two")}
    assert (plan["out"], plan["settled"]) == (2, 2)
    assert plan["limits"] == [[keys["customs one"], 400, 0], [keys["customs two"], 400, 0]]
    moves = [{"disk": disk, "target": store} for disk, store in plan["moves"]]
    limits = [{"disk": disk, "cap": cap, "floor": floor} for disk, cap, floor in plan["limits"]]
    form = {"group": plan["group"], "moves": moves, "limits": limits}
    lot = new_draft("balance", form, person("ines.marrow", Role.VIRTUALIZATION))
    steps = {(step.kind, step.params["name"]): step for step in lot.steps.all()}
    assert set(steps) == {("move_disk", "customs two"), ("cap_disk", "customs one"), ("cap_disk", "customs two")}
    # The cap of what moves waits until it is there; the other one waits for nothing.
    assert steps["cap_disk", "customs two"].needs == [steps["move_disk", "customs two"].position]
    assert steps["cap_disk", "customs one"].needs == []
    assert lot.title.endswith(" and limit 2 disks")
    # What has its cap already is not capped again.
    harbour.hosts["quay-1"].machines[0]["disks"][0]["cap_iops"] = 400
    harbour.read()
    judge_all()
    assert api.get("/api/policies/").json()["settling"][0]["limits"] == [[keys["customs two"], 400, 0]]


def test_what_no_datastore_serves_names_the_nearest(api: APIClient) -> None:
    policy = made(api, media="SSD", label="site=sea")
    given(api, policy["id"], "disk", Disk.objects.get(name="customs one").pk)
    plan = api.get("/api/policies/").json()["settling"][0]
    assert plan["moves"] == []
    assert plan["stays"] == ["1 stays, as no datastore of its group serves it; nearest is berth-a: no label site=sea"]


def test_what_has_no_place_says_the_least_that_would_give_it_one(api: APIClient, harbour: World) -> None:
    for host in harbour.hosts.values():
        for store in host.datastores:
            store["free_bytes"] = 500 * GIB if store["name"] == "berth-a" else store["free_bytes"]
    harbour.read()
    policy = made(api, media="SSD", no_label="full=yes")
    set_labels("datastore", Datastore.objects.get(name="berth-b").pk, ["full=yes"])
    given(api, policy["id"], "disk", Disk.objects.get(name="payroll one").pk)
    evidence = Finding.objects.get(kind="out_of_policy", gone_at=None).evidence
    assert evidence["moves"] == []
    # 2 TiB under a ceiling of 82 %: 1,679 GiB; 1,548 are used, and the disk has 300.
    assert evidence["stays"] == ["1 stays, as berth-a would need 169 GiB more room"]


def test_a_policy_that_fits_nowhere_is_a_finding_with_the_nearest_place(api: APIClient) -> None:
    made(api, "At sea", label="site=sea", media="SSD")
    evidence = Finding.objects.get(kind="fits_nowhere", gone_at=None).evidence
    assert (evidence["nearest"], evidence["lacks"]) == ("berth-a", ["no label site=sea"])
    set_labels("pool", Pool.objects.get(name="fast").pk, ["site=sea"])
    judge_all()
    assert not Finding.objects.filter(kind="fits_nowhere", gone_at=None).exists()


def test_the_planner_takes_no_disk_out_of_its_policy(api: APIClient) -> None:
    policy = made(api, media="SSD")
    disk = Disk.objects.get(name="customs one")
    given(api, policy["id"], "disk", disk.pk)
    found = known_group(BalanceGroup.objects.get())
    reach = dict(zip(found.group.datastores, found.group.reach[found.disk_index()[disk.pk]], strict=True))
    assert reach == {"berth-a": True, "berth-b": True, "berth-c": False, "berth-d": False}
    # One that is out already may stay where it is: nothing is made worse.
    other = Disk.objects.get(name="customs two")
    given(api, policy["id"], "disk", other.pk)
    found = known_group(BalanceGroup.objects.get())
    reach = dict(zip(found.group.datastores, found.group.reach[found.disk_index()[other.pk]], strict=True))
    assert reach == {"berth-a": True, "berth-b": True, "berth-c": True, "berth-d": False}


def told(api: APIClient, policy: int | None, **asked: Any) -> dict[str, Any]:
    requirements = json.dumps([{"kind": kind, "value": value} for kind, value in asked.items()])
    which = {"policy": policy} if policy else {}
    return dict(api.get("/api/policies/effect/", {**which, "requirements": requirements}).json())


def test_what_a_change_would_do_is_told_before_anything_is_stored(api: APIClient) -> None:
    policy = made(api)["id"]
    given(api, policy, "disk", Disk.objects.get(name="customs two").pk)
    before = Entry.objects.count()
    effect = told(api, policy, media="SSD")
    assert (effect["newly_out"], effect["move_bytes"], effect["homeless_count"]) == (["customs two"], 200 * GIB, 0)
    assert states()["customs two"][0] == "in policy"
    effect = told(api, policy, label="site=sea")
    assert (effect["homeless_count"], effect["move_bytes"]) == (1, 0)
    effect = told(api, None, media="SSD")
    assert (effect["sentence"], effect["out_count"]) == ("On flash.", 0)
    assert "say a number" in told(api, policy, paths="many")["title"]
    odd = api.get("/api/policies/effect/", {"requirements": "["}).json()
    assert odd["code"] == "requirements_unreadable"
    # It is asked for with every key, and is no act.
    assert Entry.objects.count() == before


def test_each_change_is_a_version_and_nobody_overwrites_what_they_have_not_seen(api: APIClient) -> None:
    policy = made(api, media="SSD")
    path = f"/api/policies/{policy['id']}/"
    hdd = {"requirements": [{"kind": "media", "value": "HDD"}], "note": "cheaper"}
    changed = api.put(path, hdd, format="json", headers={"If-Match": '"1"'})
    assert (changed.status_code, changed["ETag"]) == (200, '"2"')
    late = api.put(path, {"requirements": []}, format="json", headers={"If-Match": '"1"'})
    assert (late.status_code, late.json()["changes"]) == (412, ["version 2 asks: On spinning drives"])
    assert late.json()["changed_by"] == ["ines.marrow"]
    # Asking the same again is no version; going back is one.
    assert api.put(path, hdd, format="json")["ETag"] == '"2"'
    first = next(each for each in api.get(path).json()["versions"] if each["number"] == 1)
    back = api.put(path, {"requirements": first["requirements"]}, format="json").json()
    assert [(each["number"], each["sentence"]) for each in back["versions"]] == [
        (3, "On flash."),
        (2, "On spinning drives."),
        (1, "On flash."),
    ]
    assert [each["changes"] for each in back["versions"]] == [
        ["asks besides: on flash", "no longer: on spinning drives"],
        ["asks besides: on spinning drives", "no longer: on flash"],
        [],
    ]


@pytest.mark.parametrize(
    ("requirements", "said"),
    [
        ([{"kind": "media", "value": "paper"}], "“paper” is none of"),
        ([{"kind": "paths", "value": [1]}], "say a number"),
        ([{"kind": "shade", "value": "x"}], "There is no requirement"),
        ([{"kind": "media", "value": "SSD"}] * 2, "asked for twice"),
    ],
)
def test_what_is_no_requirement_is_refused_and_nothing_stored(
    api: APIClient, requirements: list[dict[str, Any]], said: str
) -> None:
    answer = api.post("/api/policies/", {"name": "Odd", "requirements": requirements}, format="json")
    assert (answer.status_code, said in answer.json()["title"]) == (422, True), answer.json()
    assert api.get("/api/policies/").json()["policies"] == []


def test_a_name_is_taken_once_and_a_target_has_to_be_there(api: APIClient) -> None:
    policy = made(api)
    again = api.post("/api/policies/", {"name": "Berth-critical", "requirements": []}, format="json")
    assert (again.status_code, again.json()["code"]) == (409, "name_taken")
    for scope, target in (("disk", "999999"), ("disk", "²"), ("datastore", "berth-a"), ("label", "no label")):
        body = {"scope": scope, "target": target}
        answer = api.post(f"/api/policies/{policy['id']}/given/", body, format="json")
        assert answer.status_code == 422, answer.content


def test_a_retired_policy_is_had_by_nothing_and_keeps_its_versions(api: APIClient) -> None:
    policy = made(api, media="SSD")
    given(api, policy["id"], "disk", Disk.objects.get(name="customs two").pk)
    assert api.delete(f"/api/policies/{policy['id']}/").status_code == 204
    judge_all()
    assert states() == {}
    assert api.get("/api/policies/").json()["policies"] == []
    assert len(api.get(f"/api/policies/{policy['id']}/").json()["versions"]) == 1


def test_since_when_a_disk_is_out_stays_while_it_is_out(api: APIClient, harbour: World) -> None:
    policy = made(api, media="SSD")
    given(api, policy["id"], "disk", Disk.objects.get(name="customs two").pk)
    since = Compliance.objects.get().since
    harbour.read()
    judge_all()
    assert Compliance.objects.get().since == since
    # Moved by other means to where it is served: it is in policy, from then on.
    for machine in harbour.hosts["quay-1"].machines:
        for disk in machine["disks"]:
            disk["datastore"] = "ds-berth-a"
    harbour.read()
    judge_all()
    assert (Compliance.objects.get().state, Compliance.objects.get().since > since) == ("in policy", True)


def test_auditors_look_and_change_nothing(api: APIClient) -> None:
    auditor = APIClient()
    auditor.force_authenticate(person("auditor", Role.AUDITOR))
    policy = made(api)
    assert auditor.get(f"/api/policies/{policy['id']}/").status_code == 200
    assert auditor.delete(f"/api/policies/{policy['id']}/").status_code == 403


def test_what_people_ask_of_disks_has_their_group_planned_anew_and_nothing_else(api: APIClient) -> None:
    policy = made(api, media="SSD")
    given(api, policy["id"], "disk", Disk.objects.get(name="customs two").pk)
    assert set(Due.objects.values_list("judgement", flat=True)) == set()
    PolicyJudge().judge(WHOLE, now())
    # Nothing is another one: nobody plans anew.
    assert set(Due.objects.values_list("judgement", flat=True)) == set()
    set_labels("datastore", Datastore.objects.get(name="berth-b").pk, ["site=sea"])
    assert set(Due.objects.values_list("judgement", flat=True)) == {"capacity:all", "machines:all", "policies:all"}
    path = f"/api/policies/{policy['id']}/"
    api.put(path, {"requirements": [{"kind": "label", "value": "site=sea"}]}, format="json")
    PolicyJudge().judge(WHOLE, now())
    group = BalanceGroup.objects.get()
    assert f"group:{group.pk}" in set(Due.objects.values_list("judgement", flat=True))


def test_a_cap_of_a_policy_is_set_by_a_lot_where_hosts_can(api: APIClient, harbour: World) -> None:
    policy = made(api, "Calm", cap_iops=400)
    given(api, policy["id"], "disk", Disk.objects.get(name="customs one").pk)
    assert row(api, "Calm")["cells"]["berth-a"] == ("cannot", 1, 1)
    for host in harbour.hosts.values():
        host.capabilities = [{"code": "disk_limits", "able": True, "detail": "a cap on each disk"}]
        for machine in host.machines:
            for disk in machine["disks"]:
                disk |= {"cap_iops": 0, "floor_iops": 0, "limited_by": "host"}
    harbour.read()
    judge_all()
    assert row(api, "Calm")["cells"]["berth-a"] == ("has it", 1, 1)
    assert Compliance.objects.get(disk__name="customs one").reason == "it has no cap, not 400 IOPS"
    (found,) = [each for each in api.get("/api/rounds/").json()["findings"] if each["kind"] == "limits_missing"]
    assert found["title"] == "1 disk without the limits of the policy"
    key = Disk.objects.get(name="customs one").pk
    assert found["draft"]["form"] == {"disks": [key], "cap": "400", "floor": ""}
    lot = new_draft("limits", found["draft"]["form"], person("ines.marrow", Role.VIRTUALIZATION))
    assert [step.kind for step in lot.steps.all()] == ["cap_disk"]
    # Another cap than the one asked is not it; what would change is told before it is stored.
    harbour.hosts["quay-1"].machines[0]["disks"][0]["cap_iops"] = 400
    harbour.read()
    judge_all()
    assert Compliance.objects.get(disk__name="customs one").state == Compliance.State.IN
    effect = {"policy": policy["id"], "requirements": json.dumps([{"kind": "cap_iops", "value": 300}])}
    told = api.get("/api/policies/effect/", effect).json()
    assert (told["newly_out"], told["move_bytes"]) == (["customs one"], 0)


def said_of(kind: str) -> list[str]:
    """Sentences of a kind of finding, with the subject's name before."""
    rows = Finding.objects.filter(kind=kind, gone_at=None).order_by("subject_name")
    told = [(row.subject_name, REGISTRY.kinds[kind]) for row in rows]
    return [
        f"{name}: {''.join(map(str, each.text(each.read(row.evidence))))}"
        for (name, each), row in zip(told, rows, strict=True)
    ]


def test_what_is_to_be_said_of_policies_together_is_found(api: APIClient) -> None:
    one = made(api, "Berth-critical", media="SSD")
    made(api, "Quick", media="SSD", paths=2)
    assert said_of("policies_alike") == ["Berth-critical: 2 datastores serve it, and Quick as well: one of them may do"]
    # While nobody has a policy, nobody is without one.
    assert said_of("without_policy") == []
    given(api, one["id"], "machine", Machine.objects.get(name="customs").pk)
    assert said_of("without_policy") == ["disks: of 3: nothing says where these have to be kept, or how"]
    assert said_of("policy_room_ends") == []
    store = Datastore.objects.get(name="berth-a")
    today = now().date()
    for day in range(20):
        used = int(0.4 * store.capacity_bytes) - day * 20 * GIB
        DatastoreDay.objects.create(
            datastore=store, day=today - timedelta(days=day), used_bytes=used, capacity_bytes=store.capacity_bytes
        )
    everything_changed()
    judge_all()
    # berth-a and berth-b have 42 % of 2 TiB each below their ceilings, and grow by 20 GiB a day.
    assert said_of("policy_room_ends") == [
        "Berth-critical: Room below the ceiling ends in 86 days on 2 datastores that serve it: "
        "the first of all policies"
    ]


def test_a_default_that_its_place_does_not_serve_is_a_finding(api: APIClient) -> None:
    policy = made(api, "Quick", media="SSD")
    for name in ("berth-a", "berth-c"):
        given(api, policy["id"], "datastore", Datastore.objects.get(name=name).pk)
    assert said_of("default_unserved") == [
        "Quick: Disks put on berth-c have it and are out of it at once: its pool has spinning drives"
    ]
    sea = made(api, "At sea", label="site=sea")
    given(api, sea["id"], "cluster", Cluster.objects.get(name="quayside").pk)
    assert "At sea: No datastore that all hosts of quayside mount serves it" in said_of("default_unserved")
    set_labels("datastore", Datastore.objects.get(name="berth-d").pk, ["site=sea"])
    judge_all()
    assert len(said_of("default_unserved")) == 1


FILE = """
format: movelot-policies
version: 1
policies:
- name: Berth-critical
  requirements:
  - media: SSD
  - paths: 2
  labels: [tier=critical]
- name: Records
  requirements:
  - label: keeps=records
"""


def taken(api: APIClient, text: str, dry_run: bool = False) -> Any:
    return api.post("/api/policies/import/", {"text": text, "dry_run": dry_run}, format="json")


def test_a_file_says_what_it_does_before_it_does_it_and_comes_back_as_it_was_written(api: APIClient) -> None:
    policy = made(api)
    given(api, policy["id"], "disk", Disk.objects.get(name="customs two").pk)
    given(api, policy["id"], "label", "tier=old")
    tried = {each["name"]: each for each in taken(api, FILE, dry_run=True).json()}
    first = tried["Berth-critical"]
    assert (first["does"], first["newly_out"], first["move_bytes"]) == ("asks otherwise", 1, 200 * GIB)
    assert (first["labels_given"], first["labels_taken"]) == (["tier=critical"], ["tier=old"])
    assert tried["Records"]["does"] == "new"
    assert row(api)["number"] == 1
    assert taken(api, FILE).status_code == 200
    judge_all()
    assert (row(api)["number"], row(api)["out"]) == (2, 1)
    written = api.get("/api/policies/export/").content.decode()
    assert [each["does"] for each in taken(api, written).json()] == ["same", "same"]
    found, meant = yaml.safe_load(written), yaml.safe_load(FILE)
    jsonschema.validate(found, json_schema())
    assert found["policies"] == [
        {**each, "requirements": found["policies"][n]["requirements"], "labels": each.get("labels", [])}
        for n, each in enumerate(meant["policies"])
    ]
    assert found["policies"][0]["requirements"] == [{"paths": 2}, {"media": "SSD"}]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("policies: [", "not YAML"),
        ("[]", "does not say that it has policies"),
        ("format: movelot-policies\nversion: 2", "does not say that it has policies"),
        (FILE.replace("SSD", "paper"), "Berth-critical: media: “paper” is none of"),
        (FILE.replace("paths: 2", "paths: many"), "Berth-critical: paths from every host: say a number"),
        (FILE.replace("paths: 2", "paths: nan"), "Berth-critical: paths from every host: say a number"),
        (FILE.replace("  - media: SSD", "  - SSD"), "Berth-critical: write each requirement as a kind"),
        (FILE.replace("- name: Records", "- name: Berth-critical"), "Berth-critical is there twice"),
        (FILE.replace("tier=critical", "critical"), "no key=value"),
        (FILE.replace("labels:", "label:"), "there is no label"),
    ],
)
def test_what_is_wrong_with_a_file_is_said_and_nothing_of_it_is_stored(api: APIClient, text: str, said: str) -> None:
    answer = taken(api, text)
    assert (answer.status_code, said in answer.json()["title"]) == (422, True), answer.json()["title"]
    assert not Policy.objects.exists()


def test_the_schema_that_is_shipped_is_that_of_the_kinds_there_are() -> None:
    shipped = json.loads((ROOT / "docs" / "policies.schema.json").read_text())
    assert shipped == json_schema(), "make it anew: make schema"
