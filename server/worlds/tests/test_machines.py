"""Machines in lists and alone: figures of their disks, filters, what is said of many at once, CSV."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from django.utils.timezone import now
from rest_framework.test import APIClient

from movelot.findings.judging import judge_due
from movelot.inventory.models import Disk, Machine, MachineSnapshot, PastCompliance, Policy, PolicyVersion
from movelot.placement.places import pool_peaks
from server.worlds.tests.world import GIB, World


@pytest.fixture
def quay(world: World) -> World:
    """Two hosts, two datastores on a pool, three machines; customs has a chain of two snapshots."""
    world.array("granite", fast=10)
    hosts = ("quay-1", "quay-2")
    for host in hosts:
        world.host(host)
    for name, fill in (("berth-a", 0.5), ("berth-b", 0.9)):
        world.datastore(name, [world.volume("granite", "fast", name, 2, hosts)], 2, fill, hosts)
    world.machine("customs", "quay-1", one=("berth-a", 100), two=("berth-b", 200))
    world.machine("payroll", "quay-2", one=("berth-b", 300))
    world.machine("tide-model", "quay-2", one=("berth-a", 50))
    customs, payroll = world.hosts["quay-1"].machines[0], world.hosts["quay-2"].machines[0]
    customs |= {"processors": 4, "memory_bytes": 16 * GIB, "home": "ds-berth-a"}
    payroll["power"] = "Off"
    for disk, written in zip(customs["disks"], (40, 20), strict=True):
        disk["written_bytes"] = written * GIB
    customs["snapshots"] = [
        {
            "name": name,
            "parent": parent,
            "taken_at": now(),
            "standing": standing,
            "held": {"customs-one": 3 * GIB, "customs-two": 5 * GIB},
        }
        for name, parent, standing in (("before", "", False), ("after", "before", True))
    ]
    world.read()
    profile = np.zeros((3, 24), dtype=np.float32)
    profile[0, 9], profile[1, 9] = 400, 100
    Disk.objects.filter(identity="customs-one").update(weekday_profile=profile.tobytes())
    judge_all()
    return world


def judge_all() -> None:
    while judge_due():
        pass


def names(api: APIClient, query: str = "") -> list[str]:
    return [row["name"] for row in api.get(f"/api/machines/?{query}").json()["results"]]


def key(name: str) -> int:
    return Machine.objects.get(name=name).pk


def test_a_row_has_the_figures_of_all_disks(quay: World, api: APIClient) -> None:
    (row,) = api.get("/api/machines/?text=customs").json()["results"]
    assert (row["host"], row["cluster"], row["power"]) == ("quay-1", "quayside", "On")
    assert (row["processors"], row["memory_bytes"]) == (4, 16 * GIB)
    assert (row["disks"], row["provisioned_bytes"], row["written_bytes"]) == (2, 300 * GIB, 60 * GIB)
    assert (row["snapshots"], row["snapshot_bytes"]) == (2, 16 * GIB)
    assert (row["peak_iops"], row["peak_hour"]) == (500.0, 9)
    assert row["latency_ms"] == (round(max(pool_peaks().values()), 2) if pool_peaks() else None)
    (untold,) = api.get("/api/machines/?text=payroll").json()["results"]
    assert (untold["written_bytes"], untold["peak_hour"]) == (None, None)


def test_lists_are_filtered_and_sorted_by_the_server(quay: World, api: APIClient) -> None:
    assert names(api) == ["customs", "payroll", "tide-model"]
    assert names(api, "ordering=-provisioned_bytes") == ["customs", "payroll", "tide-model"]
    assert names(api, "ordering=provisioned_bytes") == ["tide-model", "customs", "payroll"]
    assert names(api, "host=quay-2&ordering=-name") == ["tide-model", "payroll"]
    assert names(api, "power=Off") == ["payroll"]
    assert names(api, "datastore=berth-b") == ["customs", "payroll"]
    assert names(api, "state=no policy") == ["customs", "payroll", "tide-model"]
    assert names(api, "ordering=nonsense") == ["customs", "payroll", "tide-model"]
    assert api.get("/api/machines/?state=fine").status_code == 400


def test_a_page_costs_the_same_queries_whatever_its_length(
    quay: World, api: APIClient, django_assert_max_num_queries: Any
) -> None:
    with django_assert_max_num_queries(6):
        assert len(api.get("/api/machines/").json()["results"]) == 3


def test_labels_of_many_are_given_and_taken_together(quay: World, api: APIClient) -> None:
    both = [key("customs"), key("payroll")]
    assert api.post("/api/machines/labels/", {"machines": both, "add": ["team=dues"]}, format="json").json() == {
        "count": 2
    }
    judge_all()
    assert names(api, "label=team=dues") == ["customs", "payroll"]
    assert api.get("/api/machines/?text=payroll").json()["results"][0]["labels"] == "team=dues"
    form = {"machines": both[:1], "add": ["tier=gold"], "remove": ["team=dues"]}
    api.post("/api/machines/labels/", form, format="json")
    assert names(api, "label=team=dues") == ["payroll"]
    assert names(api, "label=tier") == ["customs"]
    wrong = api.post("/api/machines/labels/", {"machines": both, "add": ["x=1", "no label"]}, format="json")
    assert wrong.status_code == 422
    assert names(api, "label=x=1") == []


def flash() -> Policy:
    policy = Policy.objects.create(name="Fast")
    asked = [{"kind": "media", "value": "SSD"}]
    PolicyVersion.objects.create(policy=policy, number=1, requirements=asked, by="ines.marrow")
    return policy


def test_a_policy_is_given_to_many_and_to_single_disks(quay: World, api: APIClient) -> None:
    policy = flash()
    both = [key("customs"), key("payroll")]
    given = api.post("/api/policies/given/", {"policy": policy.pk, "machines": both}, format="json")
    assert given.json() == {"count": 2}
    judge_all()
    assert names(api, "state=in policy") == ["customs", "payroll"]
    assert names(api, f"policy={policy.pk}") == ["customs", "payroll"]
    shown = api.get(f"/api/machines/{both[0]}/").json()
    assert shown["given"] == policy.pk
    assert [(disk["policy"], disk["because"], disk["given"]) for disk in shown["disks"]] == [
        ("Fast", "given to its machine", None)
    ] * 2
    one = Disk.objects.get(identity="customs-one").pk
    api.post("/api/policies/given/", {"policy": policy.pk, "disks": [one]}, format="json")
    api.post("/api/policies/given/", {"policy": None, "machines": both}, format="json")
    judge_all()
    shown = api.get(f"/api/machines/{both[0]}/").json()
    assert [(disk["name"], disk["policy"]) for disk in shown["disks"]] == [("customs one", "Fast"), ("customs two", "")]
    # What was over is kept as the disk's history.
    (past,) = shown["disks"][1]["past"]
    assert (past["policy"], past["state"]) == ("Fast", "in policy")
    assert PastCompliance.objects.filter(disk__machine__name="payroll").count() == 1


def test_a_machine_shows_its_snapshots_as_a_chain(quay: World, api: APIClient) -> None:
    shown = api.get(f"/api/machines/{key('customs')}/").json()
    assert shown["home"] == "berth-a"
    chain = [(each["name"], each["parent"], each["standing"], each["held_bytes"]) for each in shown["snapshots"]]
    assert chain == [("before", "", False, 8 * GIB), ("after", "before", True, 8 * GIB)]
    # One that was merged is gone with the next reading, one that holds more has its new figure.
    (machine,) = quay.hosts["quay-1"].machines
    machine["snapshots"] = [{**machine["snapshots"][1], "parent": "", "held": {"customs-one": 7 * GIB}}]
    quay.read()
    judge_all()
    shown = api.get(f"/api/machines/{key('customs')}/").json()
    assert [(each["name"], each["held_bytes"], each["disks"]) for each in shown["snapshots"]] == [("after", 7 * GIB, 1)]
    assert MachineSnapshot.objects.count() == 1


def test_the_csv_has_all_rows_of_the_filter_and_no_formula(quay: World, api: APIClient) -> None:
    Machine.objects.filter(name="tide-model").update(name="=tide")
    answer = api.get("/api/machines/csv/?host=quay-2")
    lines = b"".join(answer.streaming_content).decode().splitlines()  # type: ignore[attr-defined]
    assert lines[0].startswith("name,host,cluster,power,processors,memory_bytes,disks,provisioned_bytes")
    assert [line.split(",")[0] for line in lines[1:]] == ["'=tide", "payroll"]


@pytest.mark.parametrize(
    ("what", "first", "figures"),
    [
        ("hosts", "quay-1", {"machines": 1, "running": 1, "processors": 4, "provisioned_bytes": 300 * GIB}),
        ("datastores", "berth-b", {"fill": 0.9, "disks": 2, "disk_bytes": 500 * GIB, "pool": "fast", "hosts": 2}),
        ("volumes", "berth-a", {"held": 0.5, "datastore": "berth-a", "array": "granite"}),
    ],
)
def test_what_holds_machines_is_listed_with_what_it_holds(
    quay: World, api: APIClient, what: str, first: str, figures: dict[str, Any]
) -> None:
    by = {"hosts": "-processors", "datastores": "-fill", "volumes": "name"}[what]
    rows = api.get(f"/api/machines/{what}/?ordering={by}").json()["results"]
    assert rows[0]["name"] == first
    assert {name: rows[0][name] for name in figures} == pytest.approx(figures)
    assert [row["name"] for row in api.get(f"/api/machines/{what}/?text={first}").json()["results"]] == [first]
