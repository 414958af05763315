"""Capacity on a small world: the ledger of a pool, runways by kind, what wants attention, and what if."""

from __future__ import annotations

import json
from datetime import timedelta
from typing import Any

import pytest
from django.utils.timezone import now
from rest_framework.test import APIClient

from movelot.accounts.models import Role
from movelot.audit.models import Entry
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
    Grant,
    KeptWhatIf,
    Machine,
    Pool,
    PoolDay,
    ShareDay,
    StoredImage,
    Volume,
)
from movelot.jobs.models import Job
from server.tests.conftest import signed_in
from server.worlds.tests.world import GIB, TIB, World, person


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


def rows(api: APIClient, by: str = "pool", asked: dict[str, Any] | None = None) -> dict[str, dict[str, Any]]:
    path = "/api/capacity/what-if/" if asked else "/api/capacity/"
    answer = api.get(path, {"by": by, **({"asked": json.dumps(asked)} if asked else {})})
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
    full = rows(api, "datastore", happens("comes", "datastore", row["id"], size_bytes=700 * GIB))["berth-a"]
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


def happens(what: str, kind: str, key: int, **more: Any) -> dict[str, Any]:
    return {"acts": [{"what": what, "kind": kind, "id": key, **more}]}


def test_what_if_changes_all_runways_and_stores_nothing(quay: World, api: APIClient) -> None:
    key, pool = Datastore.objects.get(name="berth-a").pk, Pool.objects.get(name="fast").pk
    assert rows(api, "datastore", {"growth": 2})["berth-a"]["likely"] == 33
    comes = happens("comes", "datastore", key, size_bytes=200 * GIB, in_days=3)
    assert rows(api, "datastore", comes)["berth-a"]["likely"] == 46
    # What comes into a datastore comes into all that it is part of, in its pool too.
    assert rows(api, "cluster", comes)["quayside"]["likely"] == 112
    assert rows(api, "cluster", happens("comes", "datastore", key, size_bytes=2 * TIB))["quayside"]["likely"] == 0
    before = rows(api)["fast"]["used_bytes"]
    assert rows(api, "pool", happens("comes", "datastore", key, size_bytes=GIB))["fast"]["used_bytes"] == before + GIB
    # What comes into a pool comes into its two datastores, by their size.
    both = rows(api, "datastore", happens("comes", "pool", pool, size_bytes=100 * GIB))
    assert [both[name]["used_bytes"] for name in ("berth-a", "berth-b")] == [TIB + 50 * GIB] * 2
    room = happens("room", "datastore", key, size_bytes=TIB)
    assert rows(api, "datastore", room)["berth-a"]["likely"] == 150
    assert rows(api, "pool", room)["fast"]["capacity_bytes"] == 10 * TIB
    assert rows(api, "datastore", happens("comes", "datastore", key, size_bytes=TIB))["berth-a"]["likely"] == 0
    assert rows(api, "datastore")["berth-a"]["likely"] == 66
    assert not KeptWhatIf.objects.exists()


def test_machines_like_one_take_what_it_takes_and_what_is_retired_is_left_out(quay: World, api: APIClient) -> None:
    key, pool = Datastore.objects.get(name="berth-b").pk, Pool.objects.get(name="fast").pk
    like = Machine.objects.filter(disks__placement__datastore__name="berth-a").first()
    assert like is not None
    written = sum(disk.written_bytes or disk.size_bytes for disk in like.disks.all())
    three = rows(api, "datastore", happens("machines", "datastore", key, count=3, like=like.pk))
    assert three["berth-b"]["used_bytes"] == TIB + 3 * written
    # What lies on a datastore that goes has to live on the other: 1,679 GiB under its ceiling hold the 2,048 no more.
    gone = happens("retired", "datastore", key)
    assert list(rows(api, "datastore", gone)) == ["berth-a"]
    assert rows(api, "cluster", gone)["quayside"]["likely"] == 0
    assert rows(api, "pool", happens("retired", "pool", pool)) == {}
    assert rows(api, "datastore", happens("retired", "pool", pool)) == {}


def test_what_is_asked_badly_or_of_what_is_gone_is_refused(quay: World, api: APIClient) -> None:
    def refused(asked: str) -> tuple[int, str]:
        answer = api.get("/api/capacity/what-if/", {"asked": asked})
        return answer.status_code, answer.content.decode()

    assert refused('{"growth": 11}')[0] == 400
    assert "no JSON" in refused("{")[1]
    assert refused("[]")[0] == 400
    assert refused('{"acts": 3}')[0] == 400
    assert refused('{"acts": [{"what": "explodes", "kind": "pool", "id": 1}]}')[0] == 400
    status, text = refused(json.dumps(happens("comes", "pool", 987654, size_bytes=1)))
    assert (status, "no longer there" in text) == (422, True)
    key = Datastore.objects.get(name="berth-a").pk
    assert refused(json.dumps(happens("machines", "datastore", key, count=1)))[0] == 422


def test_what_is_kept_is_compared_by_kind_and_says_what_cannot_be_answered(quay: World, api: APIClient) -> None:
    key = Datastore.objects.get(name="berth-a").pk
    asked = {"growth": 1.0, **happens("comes", "datastore", key, size_bytes=200 * GIB, in_days=3)}
    kept = api.post("/api/capacity/what-ifs/", {"name": "archive", **asked}, format="json")
    assert kept.status_code == 201, kept.content
    assert kept.json()["said"] == ["200 GiB more in berth-a in 3 days"]
    api.post("/api/capacity/what-ifs/", {"name": "busier", "growth": 2}, format="json")
    found = api.get("/api/capacity/what-ifs/compared/", {"by": "datastore"}).json()
    assert found["names"] == ["archive", "busier"]
    (row,) = [each for each in found["rows"] if each["name"] == "berth-a"]
    assert [row["now"]["likely"], *(each["likely"] for each in row["then"])] == [66, 46, 33]
    # Another one under the same name takes its place.
    api.post("/api/capacity/what-ifs/", {"name": "archive", "growth": 3}, format="json")
    assert [row["said"] for row in api.get("/api/capacity/what-ifs/").json()] == [
        ["growth 3 times as fast"],
        ["growth 2 times as fast"],
    ]
    KeptWhatIf.objects.filter(name="busier").update(
        asked={
            "growth": 1,
            "acts": [
                {
                    "what": "retired",
                    "kind": "pool",
                    "id": 98765,
                    "in_days": 0,
                    "size_bytes": 0,
                    "count": 0,
                    "like": None,
                }
            ],
        }
    )
    found = api.get("/api/capacity/what-ifs/compared/", {"by": "datastore"}).json()
    assert found["names"] == ["archive"]
    assert "busier: The pool of" in found["problems"][0]
    assert api.delete(f"/api/capacity/what-ifs/{kept.json()['id']}/").status_code == 204
    assert api.delete(f"/api/capacity/what-ifs/{kept.json()['id']}/").status_code == 404


def test_what_people_note_stands_on_the_course_and_is_audited(quay: World, api: APIClient) -> None:
    key = Datastore.objects.get(name="berth-a").pk
    path = f"/api/capacity/datastore/{key}/notes/"
    made = api.post(path, {"day": "2026-11-02", "text": "archive moved in"}, format="json")
    assert made.status_code == 201, made.content
    api.post(path, {"day": "2026-10-01", "text": "project began"}, format="json")
    assert [note["text"] for note in api.get(path).json()] == ["project began", "archive moved in"]
    assert (
        api.post("/api/capacity/label/1/notes/", {"day": "2026-10-01", "text": "x"}, format="json").status_code == 404
    )
    assert api.post(path, {"day": "yesterday", "text": "x"}, format="json").status_code == 400
    assert Entry.objects.filter(subject="note on datastore berth-a").count() == 2
    assert api.delete(f"/api/capacity/notes/{made.json()['id']}/").status_code == 204
    assert [note["text"] for note in api.get(path).json()] == ["project began"]


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
        "machines_off": [("archive has been off for 50 days", 600, "delete_machine")],
        # 1,024 are used: disks of 800, snapshots of 12, an image of 1; on berth-b disks of 600.
        "unknown_files": [
            ("Files on berth-b that are no disk, snapshot or image", 424, ""),
            ("Files on berth-a that are no disk, snapshot or image", 211, ""),
        ],
        "thick_disks": [("archive one: 60.0 GiB of 600 GiB are written, 10 %", 540, "make_thin")],
        # Each volume holds 1,200, of which its datastore uses 1,024.
        "dead_space": [
            (f"{name}: its array holds blocks of what is no longer there", 176, "return_blocks")
            for name in ("berth-a", "berth-b")
        ],
    }
    merge = next(row for row in api.get("/api/capacity/reclaim/").json()["rows"] if row["kind"] == "snapshots")
    assert merge["draft"]["form"] == {
        "machine": Machine.objects.get(name="customs").pk,
        "act": "merge all",
    }


def test_nobody_is_told_that_a_machine_is_long_off_before_that_can_be_known(quay: World, api: APIClient) -> None:
    quay.hosts["quay-1"].machines[0]["power"] = "Off"
    quay.read()
    DiskDay.objects.create(disk=Disk.objects.get(), day=now().date() - timedelta(days=10), loads=b"")
    everything_changed()
    judge_all()
    assert "machines_off" not in reclaims(api)


def test_every_reclaimer_has_a_name_and_a_title_of_its_own() -> None:
    assert len({each.name for each in RECLAIMERS}) == len({each.title for each in RECLAIMERS}) == len(RECLAIMERS) == 11


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


def test_who_used_what_is_kept_day_by_day(quay: World, api: APIClient) -> None:
    today = now().date()
    kept = ShareDay.objects.get(by="cluster", name="quayside", day=today)
    assert (kept.provisioned_bytes, kept.written_bytes) == (800 * GIB, 600 * GIB)
    ShareDay.objects.create(
        by="cluster", name="quayside", day=today - timedelta(days=7), provisioned_bytes=1, written_bytes=500 * GIB
    )
    # A day is what it began with: what comes later in it does not change it.
    quay.machine("payroll", "quay-2", one=("berth-b", 100))
    quay.read()
    judge_all()
    answer = api.get("/api/capacity/shares/", {"by": "cluster"}).json()
    assert answer["rows"][0]["written_bytes"] == 700 * GIB
    assert answer["courses"] == [
        {
            "name": "quayside",
            "days": [(today - timedelta(days=7)).isoformat(), today.isoformat()],
            "written_bytes": [500 * GIB, 600 * GIB],
        }
    ]


def granted(size_gib: int | None = None) -> None:
    quota = None if size_gib is None else size_gib * GIB
    Grant.objects.update_or_create(
        pool=Pool.objects.get(name="fast"), defaults={"quota_bytes": quota, "granted_by": "tobias.wren"}
    )


def planned(api: APIClient, **more: Any) -> dict[str, Any]:
    answer = api.get("/api/capacity/room/", more)
    assert answer.status_code == 200, answer.content
    found: dict[str, Any] = answer.json()
    return found


def test_what_is_short_of_its_runway_is_grown_by_what_it_needs(quay: World, api: APIClient) -> None:
    """berth-a is at 1,924 GiB in 90 days, 245 over a ceiling of 1,679: 82 % of 299 GiB more are as many."""
    granted()
    found = planned(api, days=90)
    (place,) = found["places"]
    assert (place["name"], place["early"], place["need_bytes"] // GIB) == ("berth-a", 66, 245)
    assert (place["short_bytes"], place["early_then"]) == (0, 91)
    (act,) = found["acts"]
    assert act["what"] == "Grow berth-a by 299 GiB"
    assert act["draft"]["form"]["how"] == "by"
    assert planned(api, days=60) == {"days": 60, "places": [], "acts": []}


def test_nothing_is_grown_beyond_what_is_granted_or_free(quay: World, api: APIClient) -> None:
    """Two volumes of 2 TiB are promised: of a grant of 4,396 GiB 300 are left, of one of 4,394 GiB 298."""
    granted(4396)
    assert [act["what"] for act in planned(api, days=90)["acts"]] == ["Grow berth-a by 299 GiB"]
    granted(4394)
    found = planned(api, days=90)
    assert (found["acts"], found["places"][0]["short_bytes"]) == ([], 245 * GIB)
    granted()
    quay.arrays["granite"].pools["fast"]["allocated_bytes"] = 10240 * GIB - 100 * GIB
    quay.read()
    judge_all()
    found = planned(api, days=90)
    # Dead space of both datastores is returned for the pool, and makes the room that one of them grows into.
    assert [act["draft"]["kind"] for act in found["acts"]] == ["return_blocks", "return_blocks", "grow"]


def test_a_pool_that_is_short_gets_drives_where_nothing_cheaper_is_known(quay: World, api: APIClient) -> None:
    """904 GiB are short, of which 352 could come back: three drives of 512 GiB give 1,259 under a ceiling of 82 %."""
    pool = quay.arrays["granite"].pools["fast"]
    pool["allocated_bytes"], pool["addable_drives"] = 9000 * GIB, 8
    pool["drives"], pool["drive_sets"] = 20, [["HDD", 512 * GIB, "in use", 20]]
    quay.read()
    judge_all()
    found = planned(api, days=30)
    (place,) = [each for each in found["places"] if each["kind"] == "pool"]
    assert place["short_bytes"] == 0
    (grown,) = [act for act in found["acts"] if act["draft"]["kind"] == "grow_pool"]
    assert grown["what"] == "Grow fast by 3 drives"


def test_a_plan_that_nothing_changed_is_not_solved_again(quay: World, api: APIClient) -> None:
    planned(api, days=60)
    jobs = Job.objects.filter(kind="plan_room").count()
    planned(api, days=60)
    assert Job.objects.filter(kind="plan_room").count() == jobs
    planned(api, days=61)
    quay.arrays["granite"].pools["fast"]["allocated_bytes"] += GIB
    quay.read()
    judge_all()
    planned(api, days=61)
    assert Job.objects.filter(kind="plan_room").count() == jobs + 2


def test_a_pool_gets_dead_space_back_and_says_what_it_still_lacks(quay: World, api: APIClient) -> None:
    quay.arrays["granite"].pools["fast"]["allocated_bytes"] = 9000 * GIB
    quay.read()
    judge_all()
    found = planned(api, days=30)
    (pool,) = [place for place in found["places"] if place["kind"] == "pool"]
    # 9,000 used, 300 more in 30 days, 8,397 below its ceiling; two volumes hold 176 dead each.
    assert pool["need_bytes"] // GIB == pytest.approx(904, abs=1)
    assert pool["gets_bytes"] // GIB == 352
    assert pool["short_bytes"] == pool["need_bytes"] - pool["gets_bytes"]
    assert [act["draft"]["kind"] for act in found["acts"]] == ["return_blocks", "return_blocks"]


def test_what_is_deleted_for_good_is_chosen_only_where_that_is_allowed(quay: World, api: APIClient) -> None:
    idle = quay.volume("granite", "fast", "berth-x", 2, ("quay-1",))
    next(each for each in quay.arrays["granite"].volumes if each["serial"] == idle)["allocated_bytes"] = 700 * GIB
    quay.arrays["granite"].pools["fast"]["allocated_bytes"] = 9000 * GIB
    quay.read()
    judge_all()
    assert "detach" not in [act["draft"]["kind"] for act in planned(api, days=30)["acts"]]
    acts = planned(api, days=30, deleting=True)["acts"]
    assert [act["draft"]["kind"] for act in acts][-1] == "detach"
    assert api.get("/api/capacity/room/", {"days": 0}).status_code == 400


def test_administrators_set_from_when_on_room_is_told_of(quay: World, api: APIClient) -> None:
    """berth-a lasts 66 days, its pool promised 4 TiB of 10."""
    una = signed_in(person("una.keel", Role.ADMINISTRATOR).username)
    assert found("runs_out") == found("oversubscribed") == {}
    wrong = una.put("/api/capacity/watch/", {"runway_days": 0, "promised_percent": 100}, format="json")
    assert (wrong.status_code, api.get("/api/capacity/watch/").status_code) == (400, 403)
    stored = una.put("/api/capacity/watch/", {"runway_days": 70, "promised_percent": 50}, format="json")
    assert stored.json() == {"runway_days": 70, "promised_percent": 50}
    judge_all()
    assert set(found("runs_out")) == {"berth-a"}
    una.put("/api/capacity/watch/", {"runway_days": 60, "promised_percent": 50}, format="json")
    judge_all()
    assert found("runs_out") == {}
