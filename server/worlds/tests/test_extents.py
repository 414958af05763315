"""A datastore over several volumes: what it lies on, what its loss takes along, and what becomes of it."""

from __future__ import annotations

import pytest
from rest_framework.test import APIClient

from movelot.inventory.known_groups import known_group
from movelot.inventory.models import BalanceGroup, Datastore, Extent
from server.worlds.tests.world import World

HOSTS = ("quay-1", "quay-2")


@pytest.fixture
def spread(world: World) -> World:
    """wide lies on w1 in fast and w2 in deep; narrow lies on one volume."""
    world.array("flint", fast=10, deep=40)
    for host in HOSTS:
        world.host(host)
    parts = [world.volume("flint", pool, name, 2, HOSTS) for pool, name in (("fast", "w1"), ("deep", "w2"))]
    world.datastore("wide", parts, 4, 0.5, HOSTS)
    world.datastore("narrow", [world.volume("flint", "deep", "n1", 2, HOSTS)], 2, 0.2, HOSTS)
    world.machine("ledger", "quay-1", a=("wide", 900), b=("narrow", 100))
    world.machine("scratch", "quay-2", a=("narrow", 100))
    world.read()
    return world


def layers(api: APIClient, kind: str, key: int) -> dict[str, list[str]]:
    found = api.get(f"/api/trace/{kind}/{key}/").json()["layers"]
    return {layer["kind"]: [link["name"] for link in layer["links"]] for layer in found}


def test_its_trace_leads_to_each_volume_and_pool(spread: World, api: APIClient) -> None:
    wide = layers(api, "datastore", Datastore.objects.get(name="wide").pk)
    assert (wide["volume"], wide["pool"], wide["array"]) == (["w1", "w2"], ["deep", "fast"], ["flint"])
    assert wide["disk"] == ["ledger a"]
    found = api.get("/api/find/?q=6002-flint-w2").json()["hits"]
    assert {hit["name"] for hit in found} >= {"wide", "w2"}


@pytest.mark.parametrize(("volume", "stops"), [("w1", {"ledger"}), ("w2", {"ledger"}), ("n1", {"ledger", "scratch"})])
def test_the_loss_of_one_of_them_stops_what_lies_on_it(
    spread: World, api: APIClient, volume: str, stops: set[str]
) -> None:
    answer = api.get("/api/network/loss/", {"kind": "volume", "name": f"flint {volume}"}).json()
    assert {machine["name"] for machine in answer["machines"]} == stops


def test_it_counts_for_the_pool_of_its_first_extent(spread: World) -> None:
    found = known_group(BalanceGroup.objects.get(name="quayside"))
    pools = dict(zip(found.group.datastores, (found.group.pools[p] for p in found.group.pool_of), strict=True))
    assert pools == {"narrow": "deep", "wide": "fast"}


def test_an_extent_that_grows_stays_where_it_is_and_one_that_goes_is_forgotten(spread: World) -> None:
    before = dict(Extent.objects.filter(datastore__name="wide").values_list("serial", "since"))
    for host in spread.hosts.values():
        host.datastores[0]["extents"] = [{"serial": "6002-flint-w1", "size_bytes": 7}]
    spread.read()
    (left,) = Extent.objects.filter(datastore__name="wide")
    assert (left.serial, left.size_bytes, left.since) == ("6002-flint-w1", 7, before["6002-flint-w1"])
