"""Fair caps on the stand-ins: who gives way, what comes of it, and that the caps go by themselves."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import numpy as np
import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.inventory.changes import everything_changed
from movelot.inventory.models import Device, Disk, Pool
from movelot.jobs.models import Job
from movelot.jobs.work import do
from movelot.lots import actions
from movelot.lots.ending import take_back
from movelot.lots.models import Lot
from movelot.lots.runner import Driver
from server.tests.conftest import drafted, run_to_end
from server.tests.test_machine_lots import outcome
from server.tests.test_masking import checks_of


def neighbours(api: APIClient, pool: str) -> dict[str, Any]:
    key = Pool.objects.get(name=pool).pk
    found: dict[str, Any] = api.get(f"/api/balance/pools/{key}/neighbours/").json()
    return found


def test_those_who_make_a_pool_slow_give_way_and_it_is_within_its_ceiling(
    estate: StandIns, ines: User, api: APIClient
) -> None:
    found = neighbours(api, "granite-fast")
    shares = [each["share"] for each in found["neighbours"]]
    assert shares == sorted(shares, reverse=True)
    assert sum(shares) + found["others_share"] == pytest.approx(1)
    lot = drafted("fair_caps", ines, pool="granite-fast", days=3)
    plan = lot.plan
    assert plan["peak_ms"] > plan["ceiling_ms"] >= plan["capped_ms"]
    assert plan["disks"] == found["caps"]["disks"]
    # Who gives way asks for most: each of them is louder than whoever is left alone.
    assert {each["id"] for each in plan["disks"]} == {each["id"] for each in found["neighbours"][: len(plan["disks"])]}
    assert "3 days after the lot it is undone by itself" in checks_of(lot, "pass")
    assert "of it waits, which its machine feels" in checks_of(lot, "warn")

    lot = run_to_end(actions.check(lot))
    assert lot.state == Lot.State.DONE
    for each in plan["disks"]:
        assert Disk.objects.get(pk=each["id"]).cap_iops == each["cap"]
    caps = [row for row in outcome(lot) if row.figure == "cap in IOPS"]
    assert [row.measured for row in caps] == [row.predicted for row in caps]
    assert any(row.figure == "latency" and row.subject == "granite-fast" and row.measured for row in outcome(lot))


def test_caps_go_by_themselves_once_their_days_are_over(estate: StandIns, ines: User) -> None:
    lot = run_to_end(actions.check(drafted("fair_caps", ines, pool="granite-fast", days=2)))
    capped = [each["id"] for each in lot.plan["disks"]]
    until = lot.lasts_until
    assert until is not None
    assert lot.ended_at is not None
    assert until - lot.ended_at == timedelta(days=2)
    assert take_back(until - timedelta(seconds=1)) == []
    assert take_back(until) == [lot.pk]
    # Asked for once, however often the schedule looks.
    assert take_back(until + timedelta(seconds=30)) == []
    do(Job.objects.get(kind="take_back").pk)
    undo = lot.undone_by.get()
    Driver(undo).run()
    assert Lot.objects.get(pk=undo.pk).state == Lot.State.DONE
    assert set(Disk.objects.filter(pk__in=capped).values_list("cap_iops", flat=True)) == {0}
    assert take_back(until + timedelta(days=1)) == []


def test_what_holds_up_taking_caps_back_is_said_and_tried_again(estate: StandIns, ines: User, api: APIClient) -> None:
    lot = run_to_end(actions.check(drafted("fair_caps", ines, pool="granite-fast", days=1)))
    Lot.objects.filter(pk=lot.pk).update(ended_at=lot.ended_at - timedelta(days=1))
    lot.refresh_from_db()
    until = lot.lasts_until
    assert until is not None
    take_back(until)
    job = Job.objects.get(kind="take_back")
    device = lot.steps.first().device.name
    estate.fault(device, "away")
    do(job.pk)
    job.refresh_from_db()
    assert job.state == Job.State.FAILED
    told = api.get(f"/api/lots/{lot.pk}/").json()
    assert device in told["not_taken_back"]
    assert take_back(job.ended_at + timedelta(minutes=1)) == []
    estate.fault(device)
    assert take_back(job.ended_at + timedelta(minutes=11)) == [lot.pk]
    do(Job.objects.filter(kind="take_back").latest("pk").pk)
    assert lot.undone_by.get().state == Lot.State.RUNNING


def test_what_people_carried_out_is_theirs_to_take_back(estate: StandIns, ines: User, api: APIClient) -> None:
    lot = run_to_end(actions.check(drafted("fair_caps", ines, pool="granite-fast", days=1)))
    Lot.objects.filter(pk=lot.pk).update(ended_at=lot.ended_at - timedelta(days=1))
    lot.refresh_from_db()
    device = lot.steps.first().device
    device.state = Device.State.IMPORTED
    device.save()
    until = lot.lasts_until
    assert until is not None
    take_back(until)
    do(Job.objects.get(kind="take_back").pk)
    assert "People carried lot" in api.get(f"/api/lots/{lot.pk}/").json()["not_taken_back"]
    assert not lot.undone_by.exists()


def test_a_pool_within_its_ceiling_has_nobody_give_way(estate: StandIns, ines: User) -> None:
    lot = drafted("fair_caps", ines, pool="basalt-bulk")
    assert "nobody has to give way" in checks_of(lot, "stop")
    assert not lot.steps.exists()


def test_pools_that_peak_apart_and_disks_that_fit_are_told_and_can_be_moved(
    estate: StandIns, ines: User, api: APIClient
) -> None:
    mixed, other = (Pool.objects.get(name=name).pk for name in ("granite-mixed", "granite-fast"))
    disk = Disk.objects.filter(placement__datastore__name="berth-c").order_by("size_bytes")[0]
    # At 03:00, when nobody else asks for much, it asks for more than all do at 10:00.
    reads = np.zeros((3, 24), dtype=np.float32)
    reads[0, 3], reads[2] = 10_500, 8
    Disk.objects.filter(pk=disk.pk).update(weekday_profile=reads.tobytes(), weekend_profile=b"")
    everything_changed()
    found = api.get(f"/api/balance/pools/{mixed}/apart/").json()
    shares = [pool["apart"] for pool in found["pools"]]
    assert shares == sorted(shares, reverse=True)
    assert found["pools"][0]["name"] == "granite-fast"
    assert found["pools"][0]["apart"] > 0.2
    best = found["disks"][0]
    assert (best["disk"], best["pool"], best["quiet"]) == (disk.pk, "granite-fast", 1)
    assert best["other_ms_after"] == pytest.approx(best["other_ms"])
    lot = drafted("balance", ines, group=best["group"], moves=[{"disk": best["disk"], "target": best["target"]}])
    assert [check["text"] for check in lot.checks if check["level"] == "stop"] == []
    predicted = {pool["id"]: pool["peak_ms"] for pool in lot.plan["pools"]}
    assert predicted[mixed] == pytest.approx(best["peak_ms_after"])
    assert predicted[other] == pytest.approx(best["other_ms_after"])
