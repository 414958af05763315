"""What the API says of lots."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from datetime import datetime
from typing import Any

from django.db.models import Prefetch
from django.utils.timezone import now
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.audit.models import Entry
from movelot.inventory.models import Device
from movelot.lots.kinds import MeasuredRow
from movelot.lots.models import Lot, Step
from movelot.lots.stored import kind_of_step


@dataclass
class StepProblemAnswer:
    """Why a step stopped or waits."""

    code: str
    device: str
    message: str
    unchanged: str
    hint: str


@dataclass
class StepAnswer:
    """A step; planned times are seconds from the lot's start, amounts bytes for copies and seconds otherwise."""

    id: int
    position: int
    kind: str
    device: str
    title: str
    detail: str
    state: str
    planned_start: float
    planned_end: float
    done_amount: float
    total_amount: float
    per_second: float
    started_at: datetime | None
    ended_at: datetime | None
    problem: StepProblemAnswer | None


@dataclass
class CheckAnswer:
    """A check; level is pass, warn or stop."""

    name: str
    level: str
    text: str


@dataclass
class LotSummary:
    """A lot in a list."""

    id: int
    kind: str
    title: str
    state: str
    created_by: str
    created_at: datetime
    started_at: datetime | None
    ended_at: datetime | None
    steps: int
    steps_done: int
    undoes: int | None
    undone_by: int | None


@dataclass
class Act:
    """What a person did with a lot."""

    who: str
    what: str
    at: datetime


@dataclass
class LotDetail:
    """A lot whole. ``version`` is its ETag, ``reversible`` says whether all of its steps can be taken back,
    ``by_hand`` that people carry it out by its run sheet."""

    summary: LotSummary
    version: str
    steps: list[StepAnswer]
    checks: list[CheckAnswer]
    checked_at: datetime | None
    estimate_seconds: float
    seconds_left: float | None
    outcome: list[MeasuredRow]
    can_run: bool
    can_undo: bool
    reversible: bool
    by_hand: bool
    acts: list[Act]


class LotSummarySerializer(DataclassSerializer[LotSummary]):
    class Meta:
        dataclass = LotSummary


class LotDetailSerializer(DataclassSerializer[LotDetail]):
    class Meta:
        dataclass = LotDetail


def summary_of(lot: Lot, steps: int, done: int, undone_by: int | None) -> LotSummary:
    return LotSummary(
        id=lot.pk,
        kind=lot.kind,
        title=lot.title,
        state=lot.state,
        created_by=lot.created_by.username,
        created_at=lot.created_at,
        started_at=lot.started_at,
        ended_at=lot.ended_at,
        steps=steps,
        steps_done=done,
        undoes=lot.undoes_id,
        undone_by=undone_by,
    )


def document_of(lot: Lot) -> dict[str, Any]:
    """A lot whole as plain values: of thousands of steps that takes a tenth of what a serializer does."""
    detail = detail_of(lot)
    steps = [{**vars(step), "problem": step.problem and vars(step.problem)} for step in detail.steps]
    small = asdict(replace(detail, steps=[]))
    return {**small, "steps": steps}


def detail_of(lot: Lot) -> LotDetail:
    """A lot with its steps, their planned times, and the time left while it runs."""
    # Params are most of what a step holds and are not shown; a device is read once for all of its steps.
    devices = Prefetch("device", Device.known.only("name", "state"))
    steps = list(lot.steps.prefetch_related(devices).defer("params", "result", "slots", "needs"))
    done = sum(step.state == Step.State.DONE for step in steps)
    undone = lot.undone_by.exclude(state=Lot.State.DRAFT).first()
    left = (lot.expected_at - now()).total_seconds() if lot.active and lot.expected_at else None
    stops = any(check["level"] == "stop" for check in lot.checks)
    return LotDetail(
        summary=summary_of(lot, len(steps), done, undone.pk if undone else None),
        version=lot.version,
        steps=[_step(step) for step in steps],
        checks=[CheckAnswer(**entry) for entry in lot.checks],
        checked_at=lot.checked_at,
        estimate_seconds=max((step.planned_end for step in steps), default=0.0),
        seconds_left=left if left is None else max(0.0, left),
        outcome=[MeasuredRow(**row) for row in lot.outcome.get("rows", [])],
        can_run=lot.state in (Lot.State.HALTED, Lot.State.FAILED) or (lot.state == Lot.State.DRAFT and not stops),
        reversible=all(kind_of_step(step).reversible for step in steps),
        by_hand=any(step.device.imported for step in steps),
        acts=acts_on(lot),
        can_undo=not any(step.device.imported for step in steps)
        and not lot.active
        and any(step.acted for step in steps)
        and undone is None
        and all(kind_of_step(step).reversible for step in steps if step.acted),
    )


# The last word of what the audit trail calls an act, and what it is in a sentence; anything else changed the draft.
ACTS = {
    "create": "drafted",
    "check": "checked",
    "run": "ran",
    "halt": "halted",
    "undo": "undid",
    "carried_out": "carried out",
}


def acts_on(lot: Lot) -> list[Act]:
    """Who drafted, changed, checked, ran, halted, undid or carried out a lot; one after the other of a kind as one."""
    found: list[Act] = []
    entries = Entry.objects.filter(subject=f"lot {lot.pk}").order_by("pk").values_list("who", "what", "at")
    for who, what, at in entries:
        # Whatever a stage calls it, the first thing done to a lot drafted it.
        act = ACTS.get(what.rsplit(" ", 1)[-1], "changed") if found else "drafted"
        if act == "ran" and lot.started_at is None:
            act = "tried to run"
        if found and (found[-1].who, found[-1].what) == (who, act):
            found.pop()
        found.append(Act(who, act, at))
    return found


def _step(step: Step) -> StepAnswer:
    return StepAnswer(
        id=step.pk,
        position=step.position,
        kind=step.kind,
        device=step.device.name,
        title=step.title,
        detail=step.detail,
        state=step.state,
        planned_start=step.planned_start,
        planned_end=step.planned_end,
        done_amount=step.done_amount,
        total_amount=step.total_amount,
        per_second=step.per_second,
        started_at=step.started_at,
        ended_at=step.ended_at,
        problem=StepProblemAnswer(**step.problem) if step.problem else None,
    )
