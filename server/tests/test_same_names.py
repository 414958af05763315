"""Two arrays with a pool of one name, two hosts with a machine of one name: nothing takes one for the other."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.findings.apart import told_apart
from movelot.inventory.changes import everything_changed
from movelot.inventory.models import BalanceGroup, Datastore, Device, Machine, Pool
from movelot.lots.drafting import new_draft
from server.tests.conftest import drafted

POOL, MACHINE = "granite-mixed", "payroll"


@pytest.fixture
def before(estate: StandIns, api: APIClient, ines: User) -> dict[str, Any]:
    """What is found and planned while all names differ, by ids."""
    return told(api, ines)


@pytest.fixture
def same_names(before: dict[str, Any]) -> tuple[list[Pool], list[Machine]]:
    """Two pools, and two machines on different hosts, have one name from here on."""
    Pool.objects.filter(name="basalt-bulk").update(name=POOL)
    other = Machine.objects.exclude(placement__host=Machine.objects.get(name=MACHINE).host)
    chosen = other.filter(disks__placement__datastore__membership__group__name="quayside").order_by("pk").first()
    assert chosen
    Machine.objects.filter(pk=chosen.pk).update(name=MACHINE)
    everything_changed()
    return list(Pool.objects.filter(name=POOL).order_by("pk")), list(Machine.objects.filter(name=MACHINE))


def told(api: APIClient, user: User) -> dict[str, Any]:
    findings = api.get("/api/rounds/").json()["findings"]
    group = BalanceGroup.objects.get(name="quayside")
    plan = drafted("balance", user, group=group.name).plan
    return {
        "findings": sorted((row["kind"], row["subject_id"], row["urgency"]) for row in findings if row["subject_id"]),
        "moves": sorted((move["disk"], move["source"], move["target"]) for move in plan["moves"]),
        "pools": sorted((pool["id"], round(pool["peak_ms"], 6)) for pool in plan["pools"]),
    }


def test_rounds_say_which_of_two_is_meant(same_names: tuple[list[Pool], list[Machine]], api: APIClient) -> None:
    pools, _machines = same_names
    subjects = [("pool", pool.pk, pool.name) for pool in pools] + [("pool", 0, "none"), ("host", 1, "quay-01")]
    told = told_apart(subjects)
    assert told == {("pool", pool.pk): pool.device.name for pool in pools}
    Device.objects.filter(pk=pools[0].device_id).update(state=Device.State.IMPORTED)
    assert told_apart(subjects)["pool", pools[0].pk] == f"{pools[0].device.name}, imported"
    Datastore.objects.filter(name="berth-b").update(name="berth-a")
    for row in api.get("/api/rounds/").json()["findings"]:
        assert bool(row["of"]) == (row["subject"] in (POOL, MACHINE, "berth-a") and row["subject_id"] is not None)


def test_rounds_and_balance_tell_the_same_as_before(
    before: dict[str, Any], same_names: tuple[list[Pool], list[Machine]], api: APIClient, ines: User
) -> None:
    assert before["moves"]
    assert told(api, ines) == before


def test_each_pool_is_offered_and_the_chosen_one_used(same_names: tuple[list[Pool], list[Machine]], ines: User) -> None:
    for pool in same_names[0]:
        form = {"cluster": "quayside", "name": f"berth-{pool.pk}", "size": "1 TiB", "pools": [pool.pk]}
        lot = new_draft("attach", form, ines)
        offered = [row["id"] for row in lot.plan["pools"] if row["name"] == POOL]
        assert sorted(offered) == [each.pk for each in same_names[0]]
        assert lot.plan["volumes"][0]["pool_id"] == pool.pk
        create = lot.steps.get(kind="create_volume")
        assert (create.device, create.params["pool_uri"]) == (pool.device, pool.uri)


def test_a_loss_takes_what_is_on_that_pool_alone(same_names: tuple[list[Pool], list[Machine]], api: APIClient) -> None:
    for pool in same_names[0]:
        answer = api.get("/api/network/loss/", {"kind": "pool", "name": f"{pool.device.name} {POOL}"}).json()
        volumes = {volume["name"] for volume in answer["volumes"]}
        mine = set(pool.volumes.values_list("name", flat=True))
        assert volumes <= mine
        assert bool(volumes) == pool.volumes.filter(offers__isnull=False).exists()


def test_find_lists_both(same_names: tuple[list[Pool], list[Machine]], api: APIClient) -> None:
    for kind, things, name in (("pool", same_names[0], POOL), ("machine", same_names[1], MACHINE)):
        hits = [hit for hit in api.get("/api/find/", {"q": name}).json()["hits"] if hit["kind"] == kind]
        assert {hit["id"] for hit in hits} >= {thing.pk for thing in things}
        for thing in things:
            trace = api.get(f"/api/trace/{kind}/{thing.pk}/").json()
            assert (trace["id"], trace["name"]) == (thing.pk, name)
