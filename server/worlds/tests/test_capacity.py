"""Capacity on a small world: the ledger of a pool, runways by kind, what wants attention, and what if."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.utils.timezone import now
from rest_framework.test import APIClient

from movelot.capacity.reclaim import RECLAIMERS
from movelot.findings.judging import judge_due
from movelot.findings.models import Finding
from movelot.inventory.changes import everything_changed
from movelot.inventory.labels import set_labels
from movelot.inventory.models import (
    Datastore,
    DatastoreDay,
    Disk,
    DiskDay,
    Machine,
    Pool,
    PoolDay,
    StoredImage,
    Volume,
)
from server.worlds.tests.world import GIB, TIB, World


@pytest.fixture
def quay(world: World) -> World:
    """A pool of 10 TiB with two datastores of 2 TiB: berth-a has disks of 800 GiB, and grows by 10 GiB a day.

    berth-b does not grow.
    """
    world.array("granite", fast=10)
    hosts = ("quay-1", "quay-2")
    for host in hosts:
        world.host(host)
    for name in ("berth-a", "berth-b"):
        world.datastore(name, [world.volume("granite", "fast", name, 2, hosts)], 2, 0.5, hosts)
    world.machine("customs", "quay-1", one=("berth-a", 800))
    world.hosts["quay-1"].machines[0]["disks"][0]["written_bytes"] = 600 * GIB
    for volume in world.arrays["granite"].volumes:
        volume["allocated_bytes"] = 1200 * GIB
    world.arrays["granite"].pools["fast"]["allocated_bytes"] = 2400 * GIB
    world.read()
    _days()
    judge_all()
    return world


def _days() -> None:
    today = now().date()
    for name, growth in (("berth-a", 10 * GIB), ("berth-b", 0)):
        store = Datastore.objects.get(name=name)
        DatastoreDay.objects.filter(datastore=store).delete()
        DatastoreDay.objects.bulk_create(
            DatastoreDay(datastore=store, day=today - timedelta(days=ago), used_bytes=TIB - ago * growth)
            for ago in range(1, 61)
        )


def judge_all() -> None:
    while judge_due():
        pass


def rows(api: APIClient, by: str = "pool", **more: Any) -> dict[str, dict[str, Any]]:
    path = "/api/capacity/what-if/" if more else "/api/capacity/"
    answer = api.get(path, {"by": by, **more})
    assert answer.status_code == 200, answer.content
    return {row["name"]: row for row in answer.json()["rows"]}


def found(kind: str) -> dict[str, dict[str, Any]]:
    return {row.subject_name: row.evidence for row in Finding.objects.filter(kind=kind, gone_at=None)}


def test_a_pool_says_where_its_bytes_are(quay: World, api: APIClient) -> None:
    """berth-a: 600 written, 200 promised, 224 other files; its volume holds 176 more; berth-b: 1,024 and 176."""
    layers = {each["layer"]: each["size_bytes"] // GIB for each in rows(api)["fast"]["layers"]}
    assert layers == {"live": 600, "other files": 224 + 1024, "dead": 2 * 176, "promised": 200, "free": 10240 - 2400}
    assert rows(api)["fast"]["difference_bytes"] == 0


def test_runways_of_all_kinds_are_told_what_runs_out_first_on_top(quay: World, api: APIClient) -> None:
    """berth-a is at 1,024 GiB of 2,048 under a ceiling of 82 %: 655 GiB at 10 a day are 66 days."""
    stores = rows(api, "datastore")
    assert list(stores) == ["berth-a", "berth-b"]
    assert [stores["berth-a"][end] for end in ("early", "likely", "late")] == [66, 66, 66]
    assert (stores["berth-b"]["likely"], stores["berth-b"]["told"]) == (None, True)
    assert stores["berth-a"]["growth_bytes"] == 10 * GIB
    # Two datastores share one ceiling: 1,310 GiB, of which one takes 10 a day.
    for by, name in (("group", None), ("cluster", "quayside")):
        (row,) = [each for key, each in rows(api, by).items() if name in (None, key)]
        assert row["likely"] == 132
    # A pool whose own days are too few is told from its datastores': 8.2 TiB less 2,400 GiB at 10 a day.
    pool = rows(api)["fast"]
    assert (pool["rests_on"], pool["likely"]) == ("days of its datastores", None)
    assert rows(api, "array")["granite"]["growth_bytes"] == 10 * GIB


def test_a_pool_with_days_of_its_own_is_told_from_these(quay: World, api: APIClient) -> None:
    pool, today = Pool.objects.get(), now().date()
    PoolDay.objects.filter(pool=pool).delete()
    for ago in range(1, 31):
        held = 2400 * GIB - ago * 100 * GIB
        PoolDay.objects.create(
            pool=pool,
            day=today - timedelta(days=ago),
            capacity_bytes=10 * TIB,
            allocated_bytes=held,
            subscribed_bytes=4 * TIB,
        )
    everything_changed()
    judge_all()
    assert (rows(api)["fast"]["rests_on"], rows(api)["fast"]["likely"]) == ("its own days", 60)


def test_too_little_history_tells_no_days(quay: World, api: APIClient) -> None:
    DatastoreDay.objects.filter(day__lt=now().date() - timedelta(days=10)).delete()
    everything_changed()
    judge_all()
    row = rows(api, "datastore")["berth-a"]
    assert (row["told"], row["likely"], row["growth_bytes"]) == (False, None, None)
    # That the ceiling would be passed at once is known all the same.
    full = rows(api, "datastore", id=row["id"], add_bytes=700 * GIB)["berth-a"]
    assert (full["told"], full["early"], full["used_bytes"]) == (False, 0, 1724 * GIB)


def test_a_new_datastore_does_not_take_the_history_of_its_group(quay: World, api: APIClient) -> None:
    """It counts as if it had always been there: its room and its bytes, and no growth."""
    quay.datastore(
        "berth-c", [quay.volume("granite", "fast", "berth-c", 2, ("quay-1", "quay-2"))], 2, 0.1, tuple(quay.hosts)
    )
    quay.read()
    DatastoreDay.objects.create(
        datastore=Datastore.objects.get(name="berth-c"), day=now().date() - timedelta(days=1), used_bytes=205 * GIB
    )
    everything_changed()
    judge_all()
    (group,) = rows(api, "group").values()
    assert (group["told"], group["growth_bytes"]) == (True, 10 * GIB)


def test_what_wants_attention_is_found_and_over_once_it_is_not_so(quay: World, api: APIClient) -> None:
    assert found("runs_out") == {}
    pool = quay.arrays["granite"].pools["fast"]
    pool["subscribed_bytes"], pool["allocated_bytes"] = 12 * TIB, 3000 * GIB
    for host in quay.hosts.values():
        for store in host.datastores:
            store["free_bytes"] = 500 * GIB if store["name"] == "berth-a" else store["free_bytes"]
    quay.arrays["granite"].volumes[1]["size_bytes"] = 3 * TIB
    quay.read()
    judge_all()
    assert found("oversubscribed")["fast"]["subscribed_bytes"] == 12 * TIB
    # 2,400 of the 3,000 GiB are held by its volumes.
    assert found("difference")["fast"]["difference_bytes"] == 600 * GIB
    assert found("left_behind")["berth-b"]["missing_bytes"] == TIB
    # 1,548 GiB are used, 131 are left below the ceiling.
    assert [found("runs_out")["berth-a"][end] for end in ("early", "late")] == [14, 14]
    quay.arrays["granite"].volumes[1]["size_bytes"] = 2 * TIB
    quay.read()
    judge_all()
    assert found("left_behind") == {}


def test_what_if_changes_all_runways_and_stores_nothing(quay: World, api: APIClient) -> None:
    key = Datastore.objects.get(name="berth-a").pk
    assert rows(api, "datastore", growth=2)["berth-a"]["likely"] == 33
    assert rows(api, "datastore", id=key, add_bytes=200 * GIB, in_days=3)["berth-a"]["likely"] == 46
    assert rows(api, "datastore", id=key, room_bytes=TIB)["berth-a"]["likely"] == 150
    assert rows(api, "datastore", id=key, add_bytes=TIB)["berth-a"]["likely"] == 0
    assert rows(api, "datastore")["berth-a"]["likely"] == 66
    refused = api.get("/api/capacity/what-if/", {"growth": 11})
    assert (refused.status_code, "growth" in str(refused.json())) == (400, True)


def test_the_course_of_one_has_its_days_and_what_comes(quay: World, api: APIClient) -> None:
    key = Datastore.objects.get(name="berth-a").pk
    course = api.get(f"/api/capacity/datastore/{key}/course/").json()
    assert len(course["past"]) >= 60
    first = course["future"][0]
    assert first["day"] == (now().date() + timedelta(days=1)).isoformat()
    assert first["likely_bytes"] == TIB + 10 * GIB
    assert api.get("/api/capacity/", {"by": "drive"}).status_code == 400
    assert api.get("/api/capacity/pool/999999/course/").status_code == 404


def test_the_course_of_several_together_is_their_own(quay: World, api: APIClient) -> None:
    """Not that of a datastore which happens to have the same number: both together held 2 TiB less 10 GiB yesterday."""
    (group,) = rows(api, "group").values()
    for kind, key in (("group", group["id"]), ("pool", Pool.objects.get().pk)):
        past = api.get(f"/api/capacity/{kind}/{key}/course/").json()["past"]
        assert past[-1]["used_bytes"] == 2 * TIB - 10 * GIB
        assert past[-1]["day"] == (now().date() - timedelta(days=1)).isoformat()
    assert api.get(f"/api/capacity/policy/{group['id']}/course/").status_code == 404


def test_a_long_history_is_thinned_and_keeps_its_last_day(quay: World, api: APIClient) -> None:
    store = Datastore.objects.get(name="berth-b")
    DatastoreDay.objects.bulk_create(
        DatastoreDay(datastore=store, day=now().date() - timedelta(days=ago), used_bytes=TIB) for ago in range(61, 390)
    )
    everything_changed()
    judge_all()
    past = api.get(f"/api/capacity/datastore/{store.pk}/course/").json()["past"]
    assert 90 <= len(past) <= 120
    assert past[-1]["day"] == (now().date() - timedelta(days=1)).isoformat()


def test_nothing_is_told_before_the_first_reading(db: None, api: APIClient) -> None:
    from movelot.findings.models import Judged

    Judged.objects.all().delete()
    assert api.get("/api/capacity/").json() == {"rows": []}


def test_the_number_of_queries_does_not_grow_with_the_estate(quay: World, django_assert_max_num_queries: Any) -> None:
    from movelot.capacity.known import uses
    from movelot.capacity.rows import all_rows

    with django_assert_max_num_queries(30):
        told = all_rows(uses())
    assert Volume.objects.count() == 2
    assert {row.kind for row in told.rows} == {"pool", "datastore", "group", "array", "cluster"}


def reclaims(api: APIClient) -> dict[str, list[tuple[str, int, str]]]:
    """What could come back by kind: what it is, in whole GiB, and the kind of lot that does it."""
    found: dict[str, list[tuple[str, int, str]]] = {}
    for row in api.get("/api/capacity/reclaim/").json()["rows"]:
        lot = row["draft"]["kind"] if row["draft"] else ""
        found.setdefault(row["kind"], []).append((row["what"], row["size_bytes"] // GIB, lot))
    return found


def test_what_could_come_back_is_told_with_the_lot_that_does_it(quay: World, api: APIClient) -> None:
    customs = quay.hosts["quay-1"].machines[0]
    old = now() - timedelta(days=40)
    customs["snapshots"] = [
        {"name": name, "parent": "", "taken_at": taken, "standing": False, "held": {"customs-one": size * GIB}}
        for name, taken, size in (("first", old, 7), ("second", now(), 5))
    ]
    quay.volume("granite", "fast", "idle", 1)
    quay.machine("archive", "quay-2", one=("berth-b", 600))
    archive = quay.hosts["quay-2"].machines[0]
    archive["power"], archive["disks"][0]["written_bytes"] = "Off", 60 * GIB
    quay.read()
    disk = Disk.objects.get(name="archive one")
    running = Disk.objects.get(name="customs one")
    # 90 days are kept; archive asked for something 50 days ago last, customs yesterday.
    for each, ago in ((running, 90), (running, 1), (disk, 50)):
        DiskDay.objects.create(disk=each, day=now().date() - timedelta(days=ago), loads=b"")
    StoredImage.objects.create(
        identity="i1", name="unused", datastore=Datastore.objects.get(name="berth-a"), size_bytes=GIB, written_bytes=GIB
    )
    everything_changed()
    judge_all()
    assert reclaims(api) == {
        "snapshots": [("2 snapshots of customs, the oldest of 40 days", 12, "snapshot")],
        "unused_volumes": [("Volume idle, which no host has formatted or given to a machine", 512, "detach")],
        "images": [("Image unused", 1, "")],
        "machines_off": [("archive is off, and asked for nothing for 50 days", 600, "delete_machine")],
        # 1,024 are used: disks of 800, snapshots of 12, an image of 1; on berth-b disks of 600.
        "unknown_files": [
            ("Files on berth-b that are no disk, snapshot or image", 424, ""),
            ("Files on berth-a that are no disk, snapshot or image", 211, ""),
        ],
        "thick_disks": [("archive one: 10 % of it is written", 540, "")],
    }
    merge = next(row for row in api.get("/api/capacity/reclaim/").json()["rows"] if row["kind"] == "snapshots")
    assert merge["draft"]["form"] == {
        "machine": Machine.objects.get(name="customs").pk,
        "act": "merge",
        "snapshot": "first",
    }


def test_nobody_is_told_that_a_machine_is_long_off_before_that_can_be_known(quay: World, api: APIClient) -> None:
    quay.hosts["quay-1"].machines[0]["power"] = "Off"
    quay.read()
    DiskDay.objects.create(disk=Disk.objects.get(), day=now().date() - timedelta(days=10), loads=b"")
    everything_changed()
    judge_all()
    assert "machines_off" not in reclaims(api)


def test_every_reclaimer_has_a_name_and_a_title_of_its_own() -> None:
    assert len({each.name for each in RECLAIMERS}) == len({each.title for each in RECLAIMERS}) == len(RECLAIMERS) == 7


def test_who_uses_what_is_told_of_each_pool_apart(quay: World, api: APIClient) -> None:
    set_labels("machine", Machine.objects.get(name="customs").pk, ["team=dues"])
    quay.machine("payroll", "quay-2", one=("berth-b", 100))
    quay.read()
    judge_all()

    def told(by: str) -> dict[str, tuple[str, int, int]]:
        found = api.get("/api/capacity/shares/", {"by": by}).json()["rows"]
        return {
            row["name"]: (row["pool"], row["provisioned_bytes"] // GIB, row["written_bytes"] // GIB) for row in found
        }

    assert told("host") == {"quay-1": ("fast", 800, 600), "quay-2": ("fast", 100, 100)}
    assert told("cluster") == {"quayside": ("fast", 900, 700)}
    assert told("label") == {"team=dues": ("fast", 800, 600), "none": ("fast", 100, 100)}
    assert told("policy") == {"none": ("fast", 900, 700)}
    assert api.get("/api/capacity/shares/", {"by": "moon"}).status_code == 400
