"""Plans that a job computes: it tells how far it is, and asked to end early it drafts the best there is by then."""

from __future__ import annotations

import pytest
from rest_framework.test import APIClient

from movelot.accounts.models import User
from movelot.balance.aims import Even
from movelot.balance.drafting import BalanceForm
from movelot.balance.plans import known_plan, plan_of
from movelot.findings.judging import judge_due
from movelot.inventory.changes import everything_changed
from movelot.inventory.known_groups import known_group
from movelot.inventory.models import BalanceGroup
from movelot.jobs import work
from movelot.jobs.models import Job
from movelot.jobs.work import Running
from movelot.lots.documents import form_of
from movelot.lots.drafting import new_draft
from movelot.lots.kinds import kind_of
from movelot.lots.models import Lot
from movelot.problems import Problem
from server.worlds.tests.world import World

HOSTS = ("quay-1", "quay-2")
PARAMS = {"kind": "balance", "form": {"group": "quayside"}}


@pytest.fixture
def full(world: World) -> World:
    """berth-a is over its ceiling; which of its disks leave is worth a search."""
    world.array("flint", fast=60)
    for host in HOSTS:
        world.host(host)
    for name, fill in (("berth-a", 0.92), ("berth-b", 0.4), ("berth-c", 0.6)):
        serial = world.volume("flint", "fast", name, 4, HOSTS)
        world.datastore(name, [serial], 4, fill, HOSTS)
    disks = {f"d{n}": ("berth-a", 97 + 13 * n) for n in range(12)}
    world.machine("ledger", "quay-1", **disks)
    world.read()
    return world


def test_a_job_that_plans_tells_how_far_it_is(full: World, ines: User, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(work, "WRITTEN_EVERY_SECONDS", 0.0)
    job = Job.objects.create(kind="draft", params=PARAMS, asked_by=ines)
    work.do(job.pk)
    job.refresh_from_db()
    assert (job.state, job.text, job.total) == (Job.State.DONE, "looking for the plan of quayside", 100)
    lot = Lot.objects.get(pk=job.result["lot"])
    assert lot.title == "Clear berth-a"
    assert (lot.origin["group"], lot.origin["moves"]) == ("quayside", None)


def test_a_job_asked_to_end_drafts_the_best_there_is(full: World, ines: User, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(work, "WRITTEN_EVERY_SECONDS", 0.0)
    job = Job.objects.create(kind="draft", params=PARAMS, asked_by=ines)

    def in_the_middle(running: Running, text: str, done: int = 0, total: int = 0) -> bool:
        if total:
            work.cancel(job)
        return asked_to_end(running, text, done, total)

    asked_to_end = Running.asked_to_end
    monkeypatch.setattr(Running, "asked_to_end", in_the_middle)
    work.do(job.pk)
    job.refresh_from_db()
    assert (job.state, job.cancel_asked) == (Job.State.DONE, True)
    lot, found = Lot.objects.get(pk=job.result["lot"]), known_group(BalanceGroup.objects.get(name="quayside"))
    halted = known_plan(found)
    assert halted is not None
    assert halted.halted
    assert lot.plan["moved_bytes"] == halted.moved_bytes > 0
    assert [check for check in lot.checks if check["level"] == "stop"] == []
    # Whoever needs the plan next computes it to its end.
    whole = plan_of(found)
    assert (whole.halted, known_plan(found)) == (False, whole)
    assert whole.moved_bytes <= halted.moved_bytes


def test_moves_that_people_chose_are_not_planned(full: World) -> None:
    form = BalanceForm(group="quayside", moves=[])
    assert kind_of("balance").computed(form, lambda *_told: pytest.fail("nothing is to be computed")) is form


def test_a_group_is_evened_out_beside_clearing_where_that_is_asked_for(full: World, ines: User) -> None:
    form = {"group": "quayside", "aim": "even", "least_gain": 5.0}
    job = Job.objects.create(kind="draft", params={"kind": "balance", "form": form}, asked_by=ines)
    work.do(job.pk)
    job.refresh_from_db()
    lot, found = Lot.objects.get(pk=job.result["lot"]), known_group(BalanceGroup.objects.get(name="quayside"))
    assert lot.title == "Clear berth-a and even out"
    cleared, evened = plan_of(found), known_plan(found, Even(5.0))
    assert evened is not None
    assert lot.plan["moved_bytes"] == evened.moved_bytes > cleared.moved_bytes == evened.cleared_bytes
    fills = [after["fill"] for after in lot.plan["datastores"]]
    assert max(fills) == pytest.approx(evened.highest_fill[1])
    assert evened.highest_fill[1] < evened.highest_fill[0]
    [said] = lot.plan["remarks"]
    assert said.startswith("Evened out: the highest fill falls from ")
    assert "than clearing moves" in said
    # For another gain it is another plan, and a move of a person is none of it.
    assert known_plan(found, Even(6.0)) is None


def test_nothing_moves_to_even_out_where_no_tib_gains_as_much(full: World, ines: User) -> None:
    form = {"group": "quayside", "aim": "even", "least_gain": 9_000.0}
    job = Job.objects.create(kind="draft", params={"kind": "balance", "form": form}, asked_by=ines)
    work.do(job.pk)
    job.refresh_from_db()
    lot = Lot.objects.get(pk=job.result["lot"])
    assert lot.plan["remarks"] == ["Nothing moves to even out: it would gain less than 9000 points for each TiB."]
    assert lot.plan["clears"]


@pytest.mark.parametrize("wrong", [{"aim": "other"}, {"least_gain": 0}, {"least_gain": -1.0}, {"least_gain": "x"}])
def test_an_aim_that_there_is_not_is_refused(full: World, wrong: dict[str, object]) -> None:
    with pytest.raises(Problem) as refused:
        form_of(BalanceForm, {"group": "quayside", **wrong})
    assert next(iter(wrong)) in str(refused.value.more)


def test_plans_stand_side_by_side_once_they_are_made(full: World, ines: User, api: APIClient) -> None:
    judge_due()
    url = "/api/balance/groups/quayside/alternatives/"
    [cleared] = api.get(url).json()
    found = known_group(BalanceGroup.objects.get(name="quayside"))
    plan = plan_of(found)
    assert (cleared["aim"], cleared["called"], cleared["moves"]) == ("clear", "Clear only", len(plan.moves))
    assert (cleared["fullest"], cleared["over"]) == ("berth-a", 0)
    assert cleared["fullest_fill"] <= found.group.fill_ceiling
    lot = new_draft("balance", {"group": "quayside"}, ines)
    assert cleared["takes_seconds"] == pytest.approx(lot.plan["makespan_seconds"])
    plan_of(found, Even(5.0))
    cleared, evened = api.get(url).json()
    assert (evened["called"], evened["least_gain"]) == ("Clear and even out", 5.0)
    assert evened["moved_bytes"] > cleared["moved_bytes"]
    assert evened["fullest_fill"] < cleared["fullest_fill"]
    assert evened["remarks"][0].startswith("Evened out: ")
    # Of a group that is another one by now only what it is judged by stands.
    BalanceGroup.objects.update(fill_ceiling=0.7)
    everything_changed()
    judge_due()
    [cleared] = api.get(url).json()
    assert cleared["fullest_fill"] <= 0.7
