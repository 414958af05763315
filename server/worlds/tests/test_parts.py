"""Machines' own files and snapshots: policies of their own, how they stand to them, and what moves them."""

from __future__ import annotations

from typing import Any

import pytest
from django.utils.timezone import now
from rest_framework.test import APIClient

from movelot.accounts.models import Role
from movelot.attach.detach import users_of
from movelot.findings.base import REGISTRY, Subject
from movelot.findings.judging import judge_due
from movelot.findings.models import Finding
from movelot.inventory.models import Datastore, Disk, Machine, MachineSnapshot, PartCompliance
from movelot.lots.drafting import new_draft
from movelot.lots.models import Lot
from server.worlds.tests.world import GIB, World, person


@pytest.fixture
def harbour(world: World) -> World:
    """Flash and spinning drives, two datastores on each; customs has its files on flash, and two snapshots.

    quay-2 does not mount berth-c.
    """
    made = world.array("granite", fast=10, mixed=20)
    made.pools["fast"] |= {"media": "SSD"}
    made.pools["mixed"] |= {"media": "HDD"}
    both = ("quay-1", "quay-2")
    for name in both:
        world.host(name)
    for name, pool in (("berth-a", "fast"), ("berth-b", "fast"), ("berth-c", "mixed"), ("berth-d", "mixed")):
        hosts = both[:1] if name == "berth-c" else both
        world.datastore(name, [world.volume("granite", pool, name, 2, hosts)], 2, 0.4, hosts)
    world.machine("customs", "quay-1", one=("berth-a", 100), two=("berth-c", 200))
    world.machine("payroll", "quay-2", one=("berth-d", 300))
    customs, payroll = world.hosts["quay-1"].machines[0], world.hosts["quay-2"].machines[0]
    customs["home"], payroll["home"] = "ds-berth-a", "ds-berth-d"
    customs["snapshots"] = [
        {
            "name": name,
            "parent": "",
            "taken_at": now(),
            "standing": False,
            "held": {"customs-one": GIB, "customs-two": 2 * GIB},
            "place": place,
        }
        for name, place in (("beside", ""), ("apart", "ds-berth-d"))
    ]
    world.read()
    judge_all()
    return world


def judge_all() -> None:
    while judge_due():
        pass


def made(api: APIClient, name: str, **asked: Any) -> int:
    requirements = [{"kind": kind, "value": value} for kind, value in asked.items()]
    answer = api.post("/api/policies/", {"name": name, "requirements": requirements}, format="json")
    assert answer.status_code == 201, answer.content
    return int(answer.json()["id"])


def give(api: APIClient, policy: int | None, **chosen: list[int]) -> None:
    answer = api.post("/api/policies/given/", {"policy": policy, **chosen}, format="json")
    assert answer.status_code == 200, answer.content
    judge_all()


def key(name: str) -> int:
    return Machine.objects.get(name=name).pk


def parts() -> dict[str, tuple[str, str, str]]:
    """How each part stands, by its name: policy, why it has that, state."""
    rows = PartCompliance.objects.select_related("files_of", "snapshot", "policy")
    return {
        str(row.files_of.name if row.files_of else row.snapshot.name): (row.policy.name, row.because, row.state)
        for row in rows
    }


def found() -> dict[str, str]:
    """What is found of parts: each label with its text."""
    rows = Finding.objects.filter(kind="parts_out", gone_at=None)
    kind = REGISTRY.kinds["parts_out"]
    texts = {}
    for row in rows:
        evidence = kind.read(row.evidence)
        texts[row.scope] = f"{kind.title(evidence)}: {kind.text(evidence)[0]}"
    return texts


def drafted(kind: str, **form: Any) -> Lot:
    return new_draft(kind, form, person("ines.marrow", Role.VIRTUALIZATION))


def said(lot: Lot) -> str:
    return " ".join(check["text"] for check in lot.checks)


def test_files_and_snapshots_are_judged_apart_from_disks(harbour: World, api: APIClient) -> None:
    flash, drives = made(api, "Flash", media="SSD"), made(api, "Drives", media="HDD")
    give(api, flash, machines=[key("customs")])
    # What the machine has counts for its files; a snapshot has the policy of its disks, and stands as the worst part.
    assert parts() == {
        "customs": ("Flash", "given to its machine", "in policy"),
        "beside": ("Flash", "given to its machine", "out of policy"),
        "apart": ("Flash", "given to its machine", "out of policy"),
    }
    assert found() == {}
    give(api, drives, files_of=[key("customs")], snapshots_of=[key("customs")])
    assert parts() == {
        "customs": ("Drives", "given to its own files", "out of policy"),
        "beside": ("Drives", "given to its snapshots", "out of policy"),
        "apart": ("Drives", "given to its snapshots", "in policy"),
    }
    assert found() == {
        "own files on berth-a": "1 machine with its own files out of policy: customs on berth-a: its pool has flash",
        "snapshots on berth-a": (
            "1 snapshot out of policy: beside of customs on berth-a: its pool has flash; "
            "merged on the machine's page they are gone"
        ),
    }
    give(api, None, files_of=[key("customs")], snapshots_of=[key("customs")])
    assert (parts()["customs"][0], found()) == ("Flash", {})


def test_since_when_stays_while_it_stands_so_and_a_merged_snapshot_is_forgotten(harbour: World, api: APIClient) -> None:
    give(api, made(api, "Drives", media="HDD"), files_of=[key("customs")], snapshots_of=[key("customs")])
    since = PartCompliance.objects.get(files_of=key("customs")).since
    harbour.hosts["quay-1"].machines[0]["snapshots"].pop(0)
    harbour.read()
    judge_all()
    assert PartCompliance.objects.get(files_of=key("customs")).since == since
    assert set(parts()) == {"customs", "apart"}
    assert MachineSnapshot.objects.count() == 1


def test_files_go_where_their_policy_is_served_and_their_host_mounts(harbour: World, api: APIClient) -> None:
    give(api, made(api, "Drives", media="HDD"), files_of=[key("customs"), key("payroll")])
    lot = drafted("move_files", machines=[key("customs"), key("payroll")])
    (step,) = lot.steps.all()
    assert step.title == "Move the files of customs"
    assert step.detail in ("berth-a → berth-c", "berth-a → berth-d")
    assert "payroll: they lie where their policy is served." in said(lot)
    chosen = drafted("move_files", machines=[key("payroll")], datastore=Datastore.objects.get(name="berth-c").pk)
    assert (chosen.steps.count(), said(chosen)) == (
        0,
        "payroll: quay-2 does not mount berth-c. There is nothing to do yet.",
    )


def test_files_whose_policy_fits_nowhere_stay_and_say_so(harbour: World, api: APIClient) -> None:
    give(api, made(api, "Nowhere", media="SSD", label="never=yes"), files_of=[key("customs")])
    lot = drafted("move_files", machines=[key("customs")])
    assert (lot.steps.count(), "None of the 4 datastores mounted by quay-1 serves its policy." in said(lot)) == (
        0,
        True,
    )
    (row,) = Finding.objects.filter(kind="parts_out", gone_at=None)
    kind = REGISTRY.kinds["parts_out"]
    assert kind.remedy(Subject("policy", row.subject_id, row.subject_name), kind.read(row.evidence)) is None


def test_a_snapshot_is_kept_where_the_policy_of_snapshots_is_served(harbour: World, api: APIClient) -> None:
    """Worked example: customs has 300 GiB of disks, of which a tenth has to have room."""
    give(api, made(api, "Drives", media="HDD"), snapshots_of=[key("customs")])
    lot = drafted("snapshot", machine=key("customs"), snapshot="before")
    assert "where Drives is served and 30.0 GiB have room, a tenth of its disks" in said(lot)
    assert lot.steps.get().params["datastore"] in ("ds-berth-c", "ds-berth-d")
    beside = drafted("snapshot", machine=key("payroll"), snapshot="before")
    assert beside.steps.get().params["datastore"] == ""


def test_a_snapshot_that_may_be_kept_nowhere_is_refused_unless_its_policy_allows_it(
    harbour: World, api: APIClient
) -> None:
    give(api, made(api, "Nowhere", label="never=yes"), snapshots_of=[key("customs")])
    assert drafted("snapshot", machine=key("customs"), snapshot="before").steps.count() == 0
    give(api, made(api, "Anyway", label="never=yes", impossible="anyway"), snapshots_of=[key("customs")])
    lot = drafted("snapshot", machine=key("customs"), snapshot="before")
    assert lot.steps.get().params["datastore"] == ""
    assert "It is kept beside each disk anyway, as Anyway allows." in said(lot)


def test_a_new_disk_goes_where_least_is_lacking_while_nothing_serves_its_policy(harbour: World, api: APIClient) -> None:
    """Flash at sea is served nowhere; flash alone is: berth-a and berth-b lack one requirement, berth-d two."""
    asked = {"media": "SSD", "label": "site=sea"}
    ids = made(api, "At sea", **asked), made(api, "At sea anyway", **asked, impossible="anyway")
    judge_all()
    machine = {"cluster": "quayside", "name": "tug", "processors": "2", "memory": "8"}
    refused, lot = (drafted("new_machine", **machine, disks=[{"size": "40", "policy": policy}]) for policy in ids)
    assert refused.steps.count() == 0
    assert lot.steps.get(kind="add_disk").params["datastore_name"] in ("berth-a", "berth-b")
    assert "out of policy, placed anyway: no label site=sea. It moves as soon as one serves it." in said(lot)


def test_a_machine_goes_to_a_host_that_does_not_mount_all_after_its_disks_have_moved(
    harbour: World, api: APIClient
) -> None:
    give(api, made(api, "Drives", media="HDD"), disks=[key_of_disk("customs-two")])
    harbour.hosts["quay-1"].machines[0]["home"] = "ds-berth-c"
    harbour.read()
    judge_all()
    lot = drafted("migrate", machine=key("customs"), host="quay-2")
    kinds = [step.kind for step in lot.steps.order_by("position")]
    assert sorted(kinds[:2]) == ["move_disk", "move_files"]
    assert kinds[2:] == ["migrate_machine", "see_machine"]
    # The policy of the disk leaves one place; its files have none, and go where most room is.
    assert lot.steps.get(kind="move_disk").params["target"] == "ds-berth-d"
    assert "customs two to berth-d" in said(lot)
    assert len(lot.steps.get(kind="migrate_machine").needs) == 2


def test_a_machine_whose_disk_finds_no_place_stays(harbour: World, api: APIClient) -> None:
    give(api, made(api, "Only here", label="keeps=records"), disks=[key_of_disk("customs-two")])
    lot = drafted("migrate", machine=key("customs"), host="quay-2")
    assert lot.steps.count() == 0
    assert "customs two finds no place. None of the 3 datastores mounted by quay-1, quay-2 serves its policy." in said(
        lot
    )


def test_nobody_detaches_a_datastore_that_has_files_or_snapshots(harbour: World, api: APIClient) -> None:
    store = Datastore.objects.get(name="berth-d")
    assert users_of(store) == ["payroll one on quay-2", "files of payroll", "snapshot apart of customs"]


def key_of_disk(identity: str) -> int:
    return Disk.objects.get(identity=identity).pk


def test_a_policy_is_given_to_files_and_snapshots_by_their_machine(harbour: World, api: APIClient) -> None:
    drives = made(api, "Drives", media="HDD")
    for scope in ("files_of", "snapshots_of"):
        given = {"scope": scope, "target": str(key("customs"))}
        assert api.post(f"/api/policies/{drives}/given/", given, format="json").status_code == 200
        refused = api.post(f"/api/policies/{drives}/given/", {"scope": scope, "target": "0"}, format="json")
        assert refused.status_code == 422
    judge_all()
    assert parts()["customs"] == ("Drives", "given to its own files", "out of policy")
    told = {each["scope"]: each["name"] for each in api.get(f"/api/policies/{drives}/").json()["given"]}
    assert told == {"own files of": "customs", "snapshots of": "customs"}
