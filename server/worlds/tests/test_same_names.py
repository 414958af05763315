"""Two volumes of one array with one name: what is lost, weak and found of the one is nothing of the other."""

from __future__ import annotations

import pytest
from rest_framework.test import APIClient

from movelot.inventory.models import Pool, Volume
from server.worlds.tests.world import World

HOSTS = ("quay-1", "quay-2")


@pytest.fixture
def twins(world: World) -> World:
    """Two volumes named twin in two pools; each has a datastore and a machine, and quay-2 sees the second alone."""
    world.array("flint", fast=10, deep=10)
    for host in HOSTS:
        world.host(host)
    first = world.volume("flint", "fast", "twin-a", 2, HOSTS[:1])
    second = world.volume("flint", "deep", "twin-b", 2, HOSTS)
    for row in world.arrays["flint"].volumes:
        row["name"] = "twin"
    world.datastore("one", [first], 2, 0.5, HOSTS[:1])
    world.datastore("other", [second], 2, 0.5, HOSTS)
    world.machine("ledger", "quay-1", a=("one", 100))
    world.machine("scratch", "quay-1", a=("other", 100))
    world.read()
    return world


def test_a_loss_takes_what_is_on_that_volume_alone(twins: World, api: APIClient) -> None:
    for pool, stops in (("fast", {"ledger"}), ("deep", {"scratch"})):
        answer = api.get("/api/network/loss/", {"kind": "pool", "name": f"flint {pool}"}).json()
        assert {machine["name"] for machine in answer["machines"]} == stops
        assert [row["id"] for row in answer["volumes"]] == [Volume.objects.get(pool=Pool.objects.get(name=pool)).pk]


def test_who_sees_which_is_told_apart(twins: World, api: APIClient) -> None:
    rows = [row for row in api.get("/api/rounds/").json()["findings"] if row["kind"] == "seen_by_some"]
    assert [row["subject_id"] for row in rows] == [Volume.objects.get(pool__name="fast").pk]
    board = api.get("/api/network/paths/").json()
    assert [volume["name"] for volume in board["volumes"]] == ["twin", "twin"]
    for volume in board["volumes"]:
        one = api.get("/api/network/paths/", {"volume": volume["id"]}).json()["board"]
        fast = Volume.objects.get(pk=volume["id"]).pool.name == "fast"
        assert {row["host"] if "host" in row else row["name"] for row in one["hosts"]} == set(HOSTS)
        assert one["seen"] == (2 if fast else 4)
