"""Lists of a small world: paged, sorted and filtered by the server, and the same few queries whatever their length."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from server.worlds.tests.world import GIB, World


@pytest.fixture
def disks(world: World) -> World:
    """Twelve disks of 10 to 120 GiB, every third on other."""
    world.array("flint", fast=10)
    world.host("quay-1")
    for name in ("berth", "other"):
        world.datastore(name, [world.volume("flint", "fast", name, 4, ["quay-1"])], 4, 0.5, ["quay-1"])
    for n in range(1, 13):
        world.machine(f"desk-{n:02}", "quay-1", a=("other" if n % 3 == 0 else "berth", 10 * n))
    world.read()
    return world


def test_disks_are_paged_sorted_and_filtered_by_the_server(disks: World, api: APIClient) -> None:
    page = api.get("/api/disks/?page_size=5&ordering=-size_bytes").json()
    assert page["count"] == 12
    assert [row["size_bytes"] // GIB for row in page["results"]] == [120, 110, 100, 90, 80]
    last = api.get("/api/disks/?page_size=5&ordering=-size_bytes&page=3").json()
    assert [row["size_bytes"] // GIB for row in last["results"]] == [20, 10]
    on_other = api.get("/api/disks/?datastore=other&ordering=name").json()
    assert [row["name"] for row in on_other["results"]] == ["desk-03 a", "desk-06 a", "desk-09 a", "desk-12 a"]
    assert api.get("/api/disks/?search=desk-1").json()["count"] == 3


def test_a_list_costs_the_same_queries_whatever_its_length(
    disks: World, api: APIClient, django_assert_max_num_queries: Any
) -> None:
    with django_assert_max_num_queries(6):
        assert len(api.get("/api/disks/?page_size=12").json()["results"]) == 12
