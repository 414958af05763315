"""Groups that act by themselves on the stand-ins: when they do, how much, what stops them, and who is told."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

import pytest
from django.utils.timezone import now
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.balance.acting import act, last_try
from movelot.balance.ways import digest_of, follow, ways_of
from movelot.findings.judging import judge_due
from movelot.findings.models import Finding
from movelot.inventory.changes import everything_changed
from movelot.inventory.models import BalanceGroup, Device, Rehearsal
from movelot.jobs.models import Job
from movelot.jobs.work import do
from movelot.lots import actions, models
from movelot.lots.models import Lot, Step
from movelot.lots.runner import Driver
from movelot.problems import Problem
from movelot_core.units import GIB, TIB
from server.tests.conftest import drafted

WEEK = "/api/balance/groups/quayside/week/"
SWITCH = "/api/balance/acts/"
ALWAYS = [{"way": "Night", "begins": 0, "hours": 168}]


def group() -> BalanceGroup:
    return BalanceGroup.objects.select_related("in_force").get(name="quayside")


def let_act(api: APIClient, ines: User, *, until: datetime | None = None, **limits: Any) -> None:
    """Night is in force for ever, or until then as an exception; somebody looked at its rehearsal and let it act."""
    ways = [{"name": "Night", "does": "act", **limits}, {"name": "Day", "does": "advise"}]
    bars, exceptions = ALWAYS, []
    if until is not None:
        begins = (now() - timedelta(minutes=1)).isoformat()
        bars = [{"way": "Night", "begins": 0, "hours": 1}, {"way": "Day", "begins": 1, "hours": 167}]
        exceptions = [{"way": "Night", "begins": begins, "ends": until.isoformat()}]
    form = {"zone": "UTC", "ways": ways, "bars": bars, "exceptions": exceptions}
    assert api.put(WEEK, form, format="json").status_code == 200
    of = digest_of(group(), ways_of(group()))
    Rehearsal.objects.create(group=group(), of=of, by=ines.username, document={}, seen_by=ines.username)
    assert api.put(WEEK.replace("week", "acts"), {"acts": True}, format="json").status_code == 200
    everything_changed()


def acted(moment: datetime | None = None) -> Job | None:
    """What the clock begins at a moment, done as the worker would."""
    before = last_try(group())
    act(moment or now())
    job = last_try(group())
    if job is None or (before is not None and job.pk == before.pk):
        return None
    do(job.pk)
    job.refresh_from_db()
    return job


def own_lot() -> Lot:
    return Lot.objects.get(by_itself=True)


def moved_bytes(lot: Lot) -> int:
    return sum(step.total_amount for step in lot.steps.exclude(state=Step.State.WAITING) if step.kind == "move_disk")


def test_a_group_that_may_act_runs_what_fits_and_says_so(estate: StandIns, ines: User, api: APIClient) -> None:
    let_act(api, ines, most_bytes=600 * GIB, most_copies=1)
    job = acted()
    assert job is not None
    assert job.problem is None
    lot = own_lot()
    assert (lot.state, lot.created_by, lot.acts_for) == (Lot.State.RUNNING, ines, group())
    assert lot.form["at_once"] == 1
    assert "copies" in lot.limits
    # Nothing else is begun while it runs.
    assert acted() is None
    Driver(lot).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.DONE
    assert 0 < moved_bytes(lot) <= 600 * GIB
    everything_changed()
    judge_due()
    found = Finding.objects.get(kind="acts_itself", gone_at=None)
    assert (found.subject_name, found.evidence["way"]) == ("quayside", "Night")
    # The next tries have what is left of the same window, and never more.
    for minutes in (11, 22):
        acted(now() + timedelta(minutes=minutes))
        for other in Lot.objects.filter(by_itself=True, state=Lot.State.RUNNING):
            Driver(other).run()
    assert sum(map(moved_bytes, Lot.objects.filter(by_itself=True))) <= 600 * GIB
    told = api.get(f"/api/lots/{lot.pk}/").json()
    assert (told["by_itself"], told["window_ends_at"]) == (True, None)


def test_nothing_is_begun_that_is_more_than_it_may_move(estate: StandIns, ines: User, api: APIClient) -> None:
    let_act(api, ines, most_bytes=GIB)
    job = acted()
    assert job is not None
    assert not Lot.objects.filter(by_itself=True).exists()
    assert "No move of quayside's plan fits what is left of the window: 1.00 GiB" in job.result["text"]


def test_a_lot_that_would_not_end_in_its_window_is_not_begun(estate: StandIns, ines: User, api: APIClient) -> None:
    lot = drafted("balance", ines, group="quayside")
    lot.window_ends_at = now() + timedelta(milliseconds=1)
    lot.save()
    with pytest.raises(Problem, match="its window ends at") as problem:
        actions.run(lot)
    assert problem.value.code == "window_too_short"
    lot.refresh_from_db()
    assert lot.state == Lot.State.DRAFT


def test_at_the_end_of_its_window_a_lot_begins_no_more(
    estate: StandIns, ines: User, api: APIClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    ends = now() + timedelta(days=2)
    let_act(api, ines, until=ends, most_copies=1, most_bytes=4 * TIB)
    job = acted()
    assert job is not None
    assert job.problem is None
    lot = own_lot()
    assert lot.window_ends_at == ends
    assert lot.steps.count() > 1

    def clock() -> datetime:
        """The window ends while the first copy runs."""
        begun = Step.objects.filter(lot=lot).exclude(state=Step.State.WAITING).exists()
        return ends if begun else now()

    monkeypatch.setattr(models, "now", clock)
    Driver(lot).run()
    lot.refresh_from_db()
    states = sorted(lot.steps.values_list("state", flat=True))
    assert lot.state == Lot.State.HALTED
    assert states.count(Step.State.DONE) == 1
    assert set(states) == {Step.State.DONE, Step.State.WAITING}


def test_one_switch_halts_all_groups_and_what_they_run(estate: StandIns, ines: User, api: APIClient) -> None:
    let_act(api, ines, most_bytes=600 * GIB)
    acted()
    lot = own_lot()
    assert api.get(SWITCH).json()["lots"] == [lot.pk]
    judge_due()
    assert Finding.objects.filter(kind="acts_itself", gone_at=None).exists()
    answer = api.put(SWITCH, {"halted": True, "reason": "the array is being mended"}, format="json")
    assert (answer.status_code, answer.json()["by"]) == (200, ines.username)
    lot.refresh_from_db()
    assert lot.state == Lot.State.HALTING
    Driver(lot).run()
    judge_due()
    assert not Finding.objects.filter(kind="acts_itself", gone_at=None).exists()
    assert acted(now() + timedelta(hours=1)) is None
    assert "halted for all groups, by ines.marrow" in api.get(WEEK).json()["acting"]["why_not"]
    assert api.put(SWITCH, {"halted": False}, format="json").json()["halted"] is False
    assert acted(now() + timedelta(hours=1)) is not None


def test_a_way_that_is_in_force_no_more_begins_no_more(estate: StandIns, ines: User, api: APIClient) -> None:
    let_act(api, ines, most_bytes=600 * GIB)
    acted()
    lot = own_lot()
    form = {"zone": "UTC", "ways": [{"name": "Day", "does": "advise"}], "bars": [], "exceptions": []}
    assert api.put(WEEK, form, format="json").status_code == 200
    moment = now()
    follow(moment)
    assert acted(moment) is None
    lot.refresh_from_db()
    assert lot.window_ends_at == moment
    Driver(lot).run()
    assert Lot.objects.get(pk=lot.pk).state == Lot.State.HALTED
    # A person who takes it on has no window.
    job = Job.objects.create(kind="run", params={"lot": lot.pk}, asked_by=ines)
    do(job.pk)
    lot.refresh_from_db()
    assert (lot.state, lot.window_ends_at) == (Lot.State.RUNNING, None)


def test_what_holds_a_group_up_is_said_and_leaves_nothing_behind(estate: StandIns, ines: User, api: APIClient) -> None:
    let_act(api, ines, most_bytes=600 * GIB)
    hosts = list(Device.objects.filter(cluster__name="quayside").values_list("name", flat=True))
    for host in hosts:
        estate.fault(host, "away")
    job = acted()
    assert job is not None
    assert job.state == Job.State.FAILED
    assert not Lot.objects.filter(by_itself=True).exists()
    judge_due()
    found = Finding.objects.get(kind="acts_itself", gone_at=None)
    assert found.urgency == "soon"
    assert found.evidence["held_up"]
    assert acted(now() + timedelta(minutes=9)) is None
    for host in hosts:
        estate.fault(host)
    job = acted(now() + timedelta(minutes=11))
    assert job is not None
    assert job.problem is None


def test_who_may_change_nothing_any_more_lets_nothing_act(estate: StandIns, ines: User, api: APIClient) -> None:
    let_act(api, ines, most_bytes=600 * GIB)
    User.objects.filter(pk=ines.pk).update(is_active=False)
    assert acted() is None
    judge_due()
    assert "somebody else has to let it act" in Finding.objects.get(kind="acts_itself").evidence["held_up"]
