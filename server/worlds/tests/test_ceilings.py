"""Ceilings of a group as people set them: what is judged by them follows, who was faster is said."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from movelot.accounts.models import Role
from movelot.audit.models import Entry
from movelot.findings.models import Finding
from movelot.inventory.changes import everything_changed
from server.tests.conftest import signed_in
from server.worlds.tests.world import World, person

URL = "/api/balance/groups/quayside/ceilings/"


@pytest.fixture
def half_full(world: World) -> World:
    """berth-a is 70 % full."""
    world.array("flint", fast=40)
    world.host("quay-1")
    world.datastore("berth-a", [world.volume("flint", "fast", "berth-a", 4, ["quay-1"])], 4, 0.7, ["quay-1"])
    world.read()
    return world


def put(client: APIClient, fill: Any, latency_ms: Any, seen: str | None = None) -> Any:
    headers = {"If-Match": seen} if seen else {}
    answer = client.put(URL, {"fill_ceiling": fill, "latency_ceiling_ms": latency_ms}, format="json", headers=headers)
    everything_changed()
    return answer


def over(client: APIClient) -> list[str]:
    client.get("/api/rounds/")
    return list(Finding.objects.filter(kind="over_fill", gone_at=None).values_list("subject_name", flat=True))


def test_a_lower_ceiling_makes_findings_and_a_higher_one_ends_them(half_full: World, api: APIClient) -> None:
    assert over(api) == []
    assert put(api, 0.6, 9).json()["fill_ceiling"] == 0.6
    assert over(api) == ["berth-a"]
    assert api.get("/api/balance/groups/quayside/").json()["fill_ceiling"] == 0.6
    put(api, 0.8, 9)
    assert over(api) == []


def test_who_set_them_meanwhile_is_said_and_nothing_overwritten(half_full: World, api: APIClient) -> None:
    seen = api.get(URL)["ETag"]
    assert put(api, 0.75, 12, seen).json()["number"] == 2
    late = put(signed_in(person("tobias.wren", Role.STORAGE).username), 0.9, 9, seen)
    assert late.status_code == 412
    assert late.json()["changes"] == ["its ceilings are 75.0% full and 12 ms"]
    told = api.get(URL).json()
    assert (told["fill_ceiling"], told["latency_ceiling_ms"], told["by"]) == (0.75, 12.0, "ines.marrow")


def test_what_is_set_is_in_the_trail_and_the_same_again_is_no_change(half_full: World, api: APIClient) -> None:
    put(api, 0.75, 12)
    put(api, 0.75, 12)
    (told,) = Entry.objects.filter(subject="ceilings of quayside")
    assert (told.before, told.after) == ("82.0% full and 9 ms", "75.0% full and 12 ms")


@pytest.mark.parametrize(
    ("fill", "latency_ms"), [(0, 9), (1.01, 9), (0.8, 0), (0.8, 1e9), ("NaN", 9), (0.8, "inf"), ("x", 9)]
)
def test_ceilings_that_are_none_are_refused(half_full: World, api: APIClient, fill: Any, latency_ms: Any) -> None:
    assert put(api, fill, latency_ms).status_code == 400
    assert api.get(URL).json()["number"] == 1


def test_an_auditor_sets_none(half_full: World) -> None:
    assert put(signed_in(person("edda.glass", Role.AUDITOR).username), 0.7, 9).status_code == 403
