"""Rehearsals: a group's ways over the history of its disks, by a job; who looked at it may let the group act."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import numpy as np
import pytest
from django.utils.timezone import now
from rest_framework.test import APIClient

from movelot.accounts.models import Role, User
from movelot.inventory.changes import everything_changed
from movelot.inventory.models import BalanceGroup, Disk, DiskDay, Rehearsal
from movelot.jobs import work
from movelot.jobs.models import Job
from movelot.jobs.work import Running
from movelot.lots.models import Lot
from server.tests.conftest import signed_in
from server.worlds.tests.world import World, person

HOSTS = ("quay-1", "quay-2")
OF_GROUP = "/api/balance/groups/quayside/"
NIGHTS = [{"way": "Night", "begins": 24 * day + 20, "hours": 9} for day in range(7)]
IDLE = np.zeros((24, 3), dtype=np.float32).tobytes()


@pytest.fixture
def full(world: World, api: APIClient) -> World:
    """berth-a is 92 % full under a ceiling of 82 %; Night acts from 20:00 to 05:00 on all days."""
    world.array("flint", fast=60)
    for host in HOSTS:
        world.host(host)
    for name, fill in (("berth-a", 0.92), ("berth-b", 0.4)):
        world.datastore(name, [world.volume("flint", "fast", name, 4, HOSTS)], 4, fill, HOSTS)
    world.machine("ledger", "quay-1", **{f"d{n}": ("berth-a", 300) for n in range(8)})
    world.read()
    lay_out(api, NIGHTS)
    return world


def lay_out(api: APIClient, bars: list[dict[str, Any]]) -> None:
    form = {"zone": "UTC", "ways": [{"name": "Night", "does": "act"}], "bars": bars}
    assert api.put(f"{OF_GROUP}week/", form, format="json").status_code == 200
    everything_changed()


def known_for(days: int) -> None:
    """Of each disk the loads of the last whole days are known."""
    last = now().date() - timedelta(days=1)
    for disk in Disk.objects.all():
        for ago in range(days):
            DiskDay.objects.create(disk=disk, day=last - timedelta(days=ago), loads=IDLE)


def rehearsed(api: APIClient) -> Job:
    """A rehearsal asked for and made: jobs are done at once here."""
    api.post(f"{OF_GROUP}rehearsals/")
    return Job.objects.filter(kind="rehearse").latest("pk")


def test_a_rehearsal_tells_what_the_ways_would_have_done(full: World, api: APIClient) -> None:
    known_for(10)
    assert rehearsed(api).state == Job.State.DONE
    (told,) = api.get(f"{OF_GROUP}rehearsals/").json()
    document = told["document"]
    assert (told["by"], told["fits"], told["seen_by"]) == ("ines.marrow", True, "")
    # Seven days only teach. In the first window, from midnight to 05:00, it was over its ceiling; then no more.
    assert [(day["over"], day["over_rehearsed"]) for day in document["days"]] == [(24, 5), (24, 0), (24, 0)]
    assert (document["hours_over"], document["hours_over_rehearsed"], document["halted"]) == (72, 5, False)
    assert (document["hours_slow"], document["hours_slow_rehearsed"]) == (0, 0)
    # 92 % less two disks of 300 GiB are under 82 % of 4 TiB.
    assert [(move["source"], move["target"]) for move in document["moves"]] == [("berth-a", "berth-b")] * 2
    assert (document["moves_count"], document["moved_bytes"]) == (2, 600 * 2**30)
    assert "8 disks came to their datastores since" in document["assumptions"][1]
    # Nothing was drafted or moved for it.
    assert not Lot.objects.exists()


def test_too_little_history_is_said_and_nothing_is_kept(full: World, api: APIClient) -> None:
    known_for(7)
    job = rehearsed(api)
    assert job.state == Job.State.FAILED
    assert job.problem["title"] == "7 days of history are too few: 7 days only teach."
    assert api.get(f"{OF_GROUP}rehearsals/").json() == []


def test_a_rehearsal_asked_to_end_has_the_days_until_then(
    full: World, api: APIClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    known_for(12)
    monkeypatch.setattr(work, "WRITTEN_EVERY_SECONDS", 0.0)
    asked_to_end = Running.asked_to_end

    def after_two(running: Running, text: str, done: int = 0, total: int = 0) -> bool:
        if done == 2:
            work.cancel(running.job)
        return asked_to_end(running, text, done, total)

    monkeypatch.setattr(Running, "asked_to_end", after_two)
    job = rehearsed(api)
    assert (job.state, job.text, job.total) == (Job.State.DONE, "day 3 of 5", 5)
    document = api.get(f"{OF_GROUP}rehearsals/").json()[0]["document"]
    assert (len(document["days"]), document["halted"]) == (2, True)


def test_who_looked_first_is_kept_and_other_ways_are_another_rehearsal(full: World, api: APIClient) -> None:
    known_for(8)
    rehearsed(api)
    seen = f"/api/balance/rehearsals/{Rehearsal.objects.get().pk}/seen/"
    reader = signed_in(person("rolf.kier", Role.AUDITOR).username)
    assert reader.post(seen).status_code == 403
    assert reader.get(f"{OF_GROUP}rehearsals/").json()[0]["seen_by"] == ""
    assert api.post(seen).json()["seen_by"] == "ines.marrow"
    other = signed_in(person("tove.lund", Role.STORAGE).username)
    assert other.post(seen).json()["seen_by"] == "ines.marrow"
    lay_out(api, NIGHTS[:5])
    assert [each["fits"] for each in api.get(f"{OF_GROUP}rehearsals/").json()] == [False]


def test_the_latest_rehearsals_are_kept_and_those_of_a_retired_group_go(
    full: World, api: APIClient, ines: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    known_for(8)
    monkeypatch.setattr("movelot.balance.rehearsing.KEPT", 2)
    for _ in range(3):
        rehearsed(api)
    kept = list(Rehearsal.objects.values_list("pk", flat=True))
    assert len(kept) == 2
    assert [each["id"] for each in api.get(f"{OF_GROUP}rehearsals/").json()] == kept
    job = Job.objects.create(kind="rehearse", params={"group": BalanceGroup.objects.get().pk}, asked_by=ines)
    BalanceGroup.objects.all().delete()
    work.do(job.pk)
    job.refresh_from_db()
    assert job.problem["title"] == "The group was retired meanwhile."
    assert not Rehearsal.objects.exists()
