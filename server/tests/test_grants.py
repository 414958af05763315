"""Grants of the storage team, and several datastores with one lot."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from typing import Any

import pytest
from django.db import connection
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.attach.block.lot import AttachPlan
from movelot.attach.pools.fits import PlannedVolume
from movelot.devices.management.commands.link_standins import GRANTED_AS_USED, GRANTED_BYTES
from movelot.inventory.models import Datastore, Device, Grant, Offer, Pool, Volume
from movelot.lots import actions
from movelot.lots.documents import dumped
from movelot.lots.models import Lot
from movelot.lots.runner import Driver
from movelot.placement.grants import promised_bytes, quota_left
from movelot.problems import Problem
from server.tests.conftest import drafted, run_to_end, signed_in
from server.tests.test_api import attach_draft
from server.tests.test_lots import outside

TIB = 1024**4


def pool(name: str = "granite-mixed") -> Pool:
    return Pool.objects.select_related("grant").get(name=name)


def left(name: str) -> int | None:
    return quota_left(pool(name), promised_bytes())


def put_quota(client: APIClient, name: str, quota: str) -> Any:
    return client.put(f"/api/attach/grants/{pool(name).pk}/", {"quota": quota}, format="json")


def test_every_pool_is_listed_with_what_is_promised_of_it(estate: StandIns, api: APIClient) -> None:
    rows = {row["name"]: row for row in api.get("/api/attach/grants/").json()}
    fast = rows["granite-fast"]
    assert (fast["granted"], fast["quota_bytes"], fast["granted_by"]) == (True, 16 * TIB, "tobias.wren")
    # berth-a with 7 and berth-b with 6 TiB; what is offered to nobody counts for none.
    assert fast["promised_bytes"] == 13 * TIB
    mixed = Volume.objects.filter(pool__name="granite-mixed")
    offered = sum(mixed.exclude(offers=None).values_list("size_bytes", flat=True))
    assert rows["granite-mixed"]["promised_bytes"] == offered < sum(mixed.values_list("size_bytes", flat=True))


def test_the_storage_team_alone_grants(estate: StandIns, api: APIClient) -> None:
    for client in (api, signed_in("auditor")):
        assert put_quota(client, "granite-fast", "18 TiB").status_code == 403
        assert client.delete(f"/api/attach/grants/{pool().pk}/").status_code == 403
    assert Grant.objects.count() == len(GRANTED_BYTES) + len(GRANTED_AS_USED)
    answer = put_quota(signed_in("tobias.wren"), "granite-fast", "18 TiB")
    assert (answer.status_code, answer.json()["quota_bytes"]) == (200, 18 * TIB)


@pytest.mark.parametrize(
    ("quota", "status", "code"),
    [
        ("99 TiB", 422, "quota_beyond_pool"),
        ("1 TiB", 409, "quota_below_promised"),
        ("4,5", 422, "size_comma"),
        ("0", 422, "size_not_positive"),
        ("lots", 422, "size_unreadable"),
    ],
)
def test_a_quota_that_cannot_be_leaves_the_grant_as_it_was(
    estate: StandIns, quota: str, status: int, code: str
) -> None:
    answer = put_quota(signed_in("tobias.wren"), "granite-fast", quota)
    assert (answer.status_code, answer.json()["code"]) == (status, code)
    assert pool("granite-fast").grant.quota_bytes == 16 * TIB


def test_a_pool_that_is_not_granted_is_refused_with_the_reason(estate: StandIns, api: APIClient) -> None:
    assert signed_in("tobias.wren").delete(f"/api/attach/grants/{pool().pk}/").status_code == 200
    draft = attach_draft(api, name="berth-e", size="2 TiB", pools=["granite-mixed"])
    row = next(row for row in draft["plan"]["pools"] if row["name"] == "granite-mixed")
    assert (row["verdict"], row["text"]) == ("refused", "the storage team has not granted it")
    assert not draft["lot"]["can_run"]


def test_the_quota_is_checked_in_the_draft(estate: StandIns, api: APIClient) -> None:
    draft = attach_draft(api, name="berth-e", size="4 TiB", pools=["granite-fast"])
    row = next(row for row in draft["plan"]["pools"] if row["name"] == "granite-fast")
    assert "3.00 TiB of the granted quota left, 4.00 TiB needed" in row["text"]
    assert not draft["lot"]["can_run"]


def test_a_pool_refused_for_one_of_four_says_that_it_is_for_one(estate: StandIns, api: APIClient) -> None:
    draft = attach_draft(api, name="berth-##", count="4", size="4 TiB", pools=["granite-fast"])
    row = next(row for row in draft["plan"]["pools"] if row["name"] == "granite-fast")
    assert row["text"].startswith("for one of 4: 3.00 TiB of the granted quota left, 4.00 TiB needed")


def test_a_draft_costs_the_same_queries_however_many_pools_there_are(
    estate: StandIns, api: APIClient, django_assert_max_num_queries: Any
) -> None:
    draft = attach_draft(api, name="berth-e", size="1 TiB")
    pools_before = len(draft["plan"]["pools"])
    array = pool().device
    for n in range(30):
        made = Pool.objects.create(
            device=array,
            name=f"more-{n}",
            identity=f"more-{n}",
            uri=f"/more/{n}",
            capacity_bytes=TIB,
            allocated_bytes=0,
            subscribed_bytes=0,
        )
        Grant.objects.create(pool=made, quota_bytes=TIB, granted_by="tobias.wren")
    form = {**draft["form"], "size": "2 TiB"}
    with django_assert_max_num_queries(75):
        answer = api.put(f"/api/attach/drafts/{draft['lot']['summary']['id']}/", form, format="json")
    assert len(answer.json()["plan"]["pools"]) == pools_before + 30


def test_the_quota_is_checked_again_on_the_run(estate: StandIns, ines: User) -> None:
    lot = drafted("attach", ines, cluster="quayside", name="berth-e", size="2 TiB", pools=["granite-fast"])
    Grant.objects.filter(pool=pool("granite-fast")).update(quota_bytes=14 * TIB)
    with pytest.raises(Problem) as refused:
        actions.run(lot)
    assert refused.value.code == "check_stops"
    assert "1.00 TiB of the granted quota left" in refused.value.detail


def test_a_started_lot_holds_its_quota_before_its_volume_is_there(estate: StandIns, ines: User) -> None:
    lot = drafted("attach", ines, cluster="quayside", name="berth-e", size="2 TiB", pools=["granite-fast"])
    other = drafted("attach", ines, cluster="quayside", name="berth-h", size="2 TiB", pools=["granite-fast"])
    actions.run(lot)
    assert left("granite-fast") == TIB
    assert not Volume.objects.filter(name="berth-e").exists()
    with pytest.raises(Problem) as refused:
        actions._start(other)
    assert refused.value.code == "quota"
    assert "1.00 TiB left, 2.00 TiB needed" in refused.value.detail
    Driver(Lot.objects.get(pk=lot.pk)).run()
    assert promised_bytes()[pool("granite-fast").pk] == 15 * TIB


@pytest.fixture
def rivals(django_db_setup: None, django_db_blocker: Any) -> Iterator[list[Lot]]:
    """Two drafts that each want 2 of the 3 TiB left, on rows of their own that no stand-in knows.

    They are committed, as each of the two that race has a transaction of its own, and taken away again afterwards: to
    empty the tables would take the estate from the tests that follow.
    """
    with django_db_blocker.unblock():
        user = User.objects.create_user("racer", password="not-needed-here", role="virtualization")
        array = Device.objects.create(name="slow-array", kind="array", url="https://127.0.0.9:1", sealed_password=b"")
        raced = Pool.objects.create(
            device=array, name="raced", uri="/raced", capacity_bytes=9 * TIB, allocated_bytes=0, subscribed_bytes=0
        )
        Grant.objects.create(pool=raced, quota_bytes=3 * TIB, granted_by="tobias.wren")
        volumes = [PlannedVolume(f"berth-{n}", 2 * TIB, raced.pk, "raced") for n in (1, 2)]
        plans = [
            AttachPlan("", [], 2 * TIB, 2 * TIB, [raced.pk], [each], [], [], None, None, False, False, [], [])
            for each in volumes
        ]
        lots = [Lot.objects.create(kind="attach", title="race", created_by=user, plan=dumped(plan)) for plan in plans]
        yield lots
        for row in (*lots, array, user):
            row.delete()


def test_two_lots_that_race_for_one_quota_do_not_both_start(rivals: list[Lot]) -> None:
    barrier, outcomes = threading.Barrier(2), []

    def start(lot: Lot) -> None:
        barrier.wait(10)
        try:
            actions._start(lot)
            outcomes.append("started")
        except Problem as problem:
            outcomes.append(problem.code)
        finally:
            connection.close()

    threads = [threading.Thread(target=start, args=(lot,)) for lot in rivals]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(20)
    assert sorted(outcomes) == ["quota", "started"]
    assert Lot.objects.filter(pk__in=[lot.pk for lot in rivals], state=Lot.State.RUNNING).count() == 1


def test_a_halted_lot_keeps_what_it_holds_and_runs_on_under_it(estate: StandIns, ines: User) -> None:
    lot = drafted("attach", ines, cluster="quayside", name="berth-e", size="3 TiB", pools=["granite-fast"])
    actions.run(lot)
    estate.fault("granite", "fail_nth", n=2)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.FAILED
    actions.run(lot)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.DONE
    assert left("granite-fast") == 0


def test_several_datastores_come_from_one_lot_with_one_scan_a_host(estate: StandIns, ines: User) -> None:
    before = outside(estate)
    lot = drafted("attach", ines, cluster="quayside", name="berth-1#", size="1 TiB", count="3")
    assert [v["name"] for v in lot.plan["volumes"]] == ["berth-11", "berth-12", "berth-13"]
    assert lot.title == "Attach 3 datastores, berth-11 to berth-13, to quayside"
    scans_before = len([t for t in estate.world()["tasks"] if t["kind"] == "Scan"])
    assert run_to_end(lot).state == Lot.State.DONE
    stores = Datastore.objects.filter(name__startswith="berth-1")
    assert {store.mounts.count() for store in stores} == {3}
    assert len(stores) == 3
    luns = Offer.objects.filter(volume__name__startswith="berth-1").values_list("lun", flat=True)
    assert len(set(luns)) == 3
    scans = [t for t in estate.world()["tasks"] if t["kind"] == "Scan"]
    assert len(scans) - scans_before == 3
    assert {row["subject"] for row in lot.outcome["rows"]} == {"berth-11", "berth-12", "berth-13"}
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert outside(estate) == before


def test_they_are_shared_out_over_the_pools_chosen(estate: StandIns, ines: User) -> None:
    lot = drafted(
        "attach",
        ines,
        cluster="quayside",
        name="berth-##",
        size="1 TiB",
        count="4",
        pools=["granite-fast", "granite-mixed"],
    )
    pools = [v["pool"] for v in lot.plan["volumes"]]
    assert set(pools) == {"granite-fast", "granite-mixed"}
    assert sum(check["name"] == "pool has room" for check in lot.checks) == 2


def test_all_of_them_together_have_to_fit(estate: StandIns, ines: User) -> None:
    lot = drafted("attach", ines, cluster="quayside", name="berth-##", size="2 TiB", count="2", pools=["granite-fast"])
    text = " ".join(check["text"] for check in lot.checks if check["level"] == "stop")
    assert "3.00 TiB of the granted quota left, 4.00 TiB needed" in text


def test_a_thick_volume_takes_its_space_at_once(estate: StandIns, ines: User) -> None:
    before = pool().allocated_bytes
    lot = drafted("attach", ines, cluster="quayside", name="berth-e", size="1 TiB", allocation="thick")
    assert lot.steps.first().title == "Create thick volume berth-e, 1.00 TiB"  # type: ignore[union-attr]
    run_to_end(lot)
    assert not Volume.objects.get(name="berth-e").thin
    assert pool().allocated_bytes - before == TIB


@pytest.mark.parametrize(
    ("count", "name", "field", "code"),
    [
        ("0", "berth-e", "count", "count_unusable"),
        ("65", "berth-e", "count", "count_unusable"),
        ("two", "berth-e", "count", "count_unusable"),
        ("2", "ber#th-#", "name", "name_pattern"),
        ("1", "berth-a", "name", "name_taken"),
        ("2", "Berth", "name", "name_illegal"),
    ],
)
def test_a_count_or_pattern_that_cannot_be_is_explained(
    estate: StandIns, api: APIClient, count: str, name: str, field: str, code: str
) -> None:
    draft = attach_draft(api, name=name, size="1 TiB", count=count)
    assert (field, code) in {(p["field"], p["code"]) for p in draft["plan"]["problems"]}
    assert not draft["lot"]["can_run"]
