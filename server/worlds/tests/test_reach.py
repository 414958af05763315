"""Reach as Attach's overview shows it, and the first hour of an empty estate, by small worlds."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from movelot.inventory.models import Grant, Pool
from server.worlds.tests.world import World


@pytest.fixture
def port(world: World) -> World:
    """One array that quayside uses, one that nobody does, and a cluster in networks of its own."""
    for number in (1, 2, 3):
        world.host(f"quay-0{number}")
    world.host("light-01", "lightvessel", nets=(70, 71))
    world.array("granite", fast=10)
    world.array("basalt", deep=10)
    serial = world.volume("granite", "fast", "berth-a", 2, ["quay-01", "quay-02", "quay-03"])
    world.datastore("berth-a", [serial], 2, 0.5, ["quay-01", "quay-02", "quay-03"])
    return world


def reach(api: APIClient) -> dict[tuple[str, str], dict[str, Any]]:
    found = api.get("/api/network/reach/").json()
    return {(cell["cluster"], cell["array"]): cell for cell in found["cells"]}


def test_each_cluster_stands_against_each_array(port: World, api: APIClient) -> None:
    port.read()
    cells = reach(api)
    whole = cells["quayside", "granite"]
    assert (whole["state"], whole["seen"], whole["expected"], whole["text"]) == ("whole", 6, 6, "")
    unused = cells["quayside", "basalt"]
    assert (unused["state"], unused["possible"], unused["text"]) == ("unused", 6, "not granted")
    assert cells["lightvessel", "granite"]["text"] == "no network in common"
    Grant.objects.create(pool=Pool.objects.get(name="deep"), granted_by="tobias.wren")
    assert reach(api)["quayside", "basalt"]["text"] == "nothing attached yet"


def test_the_worst_host_is_named_with_its_cause(port: World, api: APIClient) -> None:
    host = port.hosts["quay-02"]
    host.ports[1]["up"] = False
    host.devices[0]["paths"] = [path for path in host.devices[0]["paths"] if path[0] == "storage-a"]
    port.read()
    cell = reach(api)["quayside", "granite"]
    assert (cell["state"], cell["seen"], cell["expected"]) == ("broken", 5, 6)
    assert cell["text"] == "quay-02: storage-b has no link"


def test_an_array_tells_what_it_serves_and_how_full_it_is(port: World, api: APIClient) -> None:
    port.read()
    found = api.get("/api/network/reach/").json()
    granite = next(array for array in found["arrays"] if array["name"] == "granite")
    assert (granite["serves"], granite["protocols"], granite["granted"]) == (["block"], ["iSCSI"], False)
    assert granite["capacity_bytes"] == 10 * 1024**4
    assert {row["name"]: row["hosts"] for row in found["clusters"]} == {"quayside": 3, "lightvessel": 1}


def test_the_first_hour_ends_with_a_datastore(world: World, api: APIClient) -> None:
    def steps() -> list[tuple[str, bool]]:
        return [(step["name"], step["done"]) for step in api.get("/api/rounds/").json()["first_hour"]]

    assert [done for _, done in steps()] == [False] * 4
    world.array("granite", fast=10)
    world.read()
    assert [done for _, done in steps()] == [True, False, False, False]
    world.host("quay-01")
    serial = world.volume("granite", "fast", "berth-a", 2, ["quay-01"])
    world.datastore("berth-a", [serial], 2, 0.5, ["quay-01"])
    world.read()
    assert steps() == []
