"""What Rounds finds in small worlds, each with one trouble: that finding, and no other."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from django.utils.timezone import now
from rest_framework.test import APIClient

from movelot.findings.judging import judge_due
from movelot.inventory.models import Datastore, DatastoreDay
from server.worlds.tests.world import GIB, TIB, World

HOSTS = ("quay-1", "quay-2", "quay-3")


@pytest.fixture
def sound(world: World) -> World:
    """Three hosts that all see and mount one datastore, half full; nothing is wrong."""
    world.array("flint", fast=10)
    for host in HOSTS:
        world.host(host)
    serial = world.volume("flint", "fast", "v1", 4, HOSTS)
    world.datastore("berth", [serial], 4, 0.5, HOSTS)
    world.machine("ledger", "quay-1", a=("berth", 900))
    return world


def findings(api: APIClient) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = api.get("/api/rounds/").json()["findings"]
    return found


def test_where_nothing_is_wrong_nothing_is_found(sound: World, api: APIClient) -> None:
    sound.read()
    assert findings(api) == []


def test_a_datastore_over_its_ceiling_tells_how_long_it_lasts(sound: World, api: APIClient) -> None:
    """88 of 100: six of a hundred over 82, and 10 GiB a day into 0.48 TiB that are left."""
    sound.hosts["quay-1"].datastores[0]["free_bytes"] = int(4 * TIB * 0.12)
    sound.read()
    store = Datastore.objects.get()
    today = now().date()
    DatastoreDay.objects.bulk_create(
        DatastoreDay(datastore=store, day=today - timedelta(days=n), used_bytes=int(3.52 * TIB) - 10 * GIB * n)
        for n in range(30)
    )
    judge_due()
    (found,) = findings(api)
    assert (found["kind"], found["subject"]) == ("over_fill", "berth")
    assert found["figures"]["fill"] == pytest.approx(0.88)
    assert found["figures"]["growth_bytes_per_day"] == pytest.approx(10 * GIB, rel=0.01)
    assert found["figures"]["runway_days"] == pytest.approx(0.48 * 1024 / 10, rel=0.02)


Change = Callable[[World], None]


def two_uplinks(world: World) -> None:
    host = world.hosts["quay-3"]
    host.ports[1]["standby_uplinks"] = ["uplink-1"]
    for device in host.devices:
        device["paths"] = [path for path in device["paths"] if path[0] == "storage-a"]


def one_blind(world: World) -> None:
    world.arrays["flint"].offers[0]["initiators"] = [world.hosts[name].iqn for name in HOSTS[:2]]
    world.hosts["quay-3"].devices.clear()
    world.hosts["quay-3"].datastores.clear()


def unused(world: World) -> None:
    world.volume("flint", "fast", "spare", 1)


def retired(world: World) -> None:
    world.arrays["flint"].initiators.add("iqn.2026-01.example.small:quay-9")


def wrong_clock(world: World) -> None:
    world.arrays["flint"].clock_offset_seconds = 540.0


def numbers_apart(world: World) -> None:
    world.hosts["quay-2"].devices[0]["lun"] = 40


def no_port(world: World) -> None:
    host = world.hosts["quay-2"]
    host.ports.pop()
    for device in host.devices:
        device["paths"] = [path for path in device["paths"] if path[0] == "storage-a"]


@pytest.mark.parametrize(
    ("change", "kind", "subject", "said"),
    [
        (two_uplinks, "missing_paths", "quay-3", "storage-b"),
        (one_blind, "seen_by_some", "v1", "2 of 3"),
        (unused, "idle_volume", "spare", "1"),
        (retired, "leftover_initiator", "iqn.2026-01.example.small:quay-9", "flint"),
        (wrong_clock, "clock_off", "flint", "9 min"),
        (numbers_apart, "numbered_apart", "v1", "40 on quay-2"),
        (no_port, "no_interface", "quay-2", "10.40.9.0/24"),
    ],
)
def test_each_trouble_is_found_alone_and_says_what_it_is(
    sound: World, api: APIClient, change: Change, kind: str, subject: str, said: str
) -> None:
    change(sound)
    sound.read()
    (found,) = findings(api)
    assert (found["kind"], found["subject"]) == (kind, subject)
    assert said in f"{found['title']} {found['text']} {' '.join(found['reasons'])}"
