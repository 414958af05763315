"""What the API says of lots."""

from __future__ import annotations

from dataclasses import asdict, dataclass, fields
from datetime import datetime
from typing import Any

from django.utils.timezone import now
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.audit.models import Entry
from movelot.inventory.models import Device
from movelot.lots.ending import why_not_taken_back
from movelot.lots.kinds import MeasuredRow
from movelot.lots.models import Lot, Step, acted_as
from movelot.lots.steps import KINDS


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
    """A step; planned times are seconds from the lot's start, amounts bytes for copies and seconds otherwise.

    ``believed`` is its state in the backup that the database was restored from, empty otherwise.
    """

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
    believed: str
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
    ``by_hand`` that people carry it out by its run sheet. What it sets is taken back by itself ``lasts_hours`` after
    its end, never where that is null; ``not_taken_back`` says why that was held up. A group ran it ``by_itself`` in a
    window, at whose end it begins no more."""

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
    lasts_hours: int | None
    lasts_until: datetime | None
    not_taken_back: str
    by_itself: bool
    window_ends_at: datetime | None


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
    """A lot whole, with its steps, their planned times, and the time left while it runs.

    Steps are read as plain values and answered as they are: of thousands that takes a fraction of what model instances
    and a serializer do. Their params, which are most of what a step holds, are not shown.
    """
    rows = [dict(zip(STEP_COLUMNS, row, strict=True)) for row in lot.steps.values_list(*STEP_COLUMNS)]
    told = Device.known.filter(pk__in={row["device_id"] for row in rows}).values_list("pk", "name", "state")
    devices = {key: (name, state) for key, name, state in told}
    # Only what was begun and has not ended well can have one; reading as many empty documents takes longest of all.
    open_steps = lot.steps.exclude(state__in=[Step.State.WAITING, Step.State.DONE])
    problems = dict(open_steps.values_list("pk", "problem"))
    undone = lot.undone_by.exclude(state=Lot.State.DRAFT).first()
    left = (lot.expected_at - now()).total_seconds() if lot.active and lot.expected_at else None
    stops = any(check["level"] == "stop" for check in lot.checks)
    by_hand = any(state == Device.State.IMPORTED for _, state in devices.values())
    acted = {row["kind"] for row in rows if acted_as(row["state"], row["touched"])}
    unknown = any(row["state"] == Step.State.UNKNOWN for row in rows)
    done = sum(row["state"] == Step.State.DONE for row in rows)
    detail = LotDetail(
        summary=summary_of(lot, len(rows), done, undone.pk if undone else None),
        version=lot.version,
        steps=[],
        checks=[CheckAnswer(**entry) for entry in lot.checks],
        checked_at=lot.checked_at,
        estimate_seconds=max((row["planned_end"] for row in rows), default=0.0),
        seconds_left=left if left is None else max(0.0, left),
        outcome=[MeasuredRow(**row) for row in lot.outcome.get("rows", [])],
        can_run=(lot.state in (Lot.State.HALTED, Lot.State.FAILED) and undone is None)
        or (lot.state == Lot.State.DRAFT and not stops),
        reversible=_reversible({row["kind"] for row in rows}),
        by_hand=by_hand,
        acts=acts_on(lot),
        lasts_hours=lot.lasts_hours,
        lasts_until=lot.lasts_until,
        not_taken_back=why_not_taken_back(lot, now()),
        by_itself=lot.by_itself,
        window_ends_at=lot.window_ends_at,
        can_undo=not by_hand and not lot.active and (bool(acted) or unknown) and undone is None and _reversible(acted),
    )
    for row in rows:
        del row["touched"]
        row["device"] = devices[row.pop("device_id")][0]
        row["problem"] = problems.get(row["id"]) or None
    return {**asdict(detail), "steps": rows}


def _reversible(kinds: set[str]) -> bool:
    return all(KINDS[kind].reversible for kind in kinds)


# The last word of what the audit trail calls an act, and what it is in a sentence; anything else changed the draft.
DRAFTED = "drafted"
ACTS = {
    "create": DRAFTED,
    "check": "checked",
    "run": "ran",
    "halt": "halted",
    "undo": "undid",
    "carried_out": "carried out",
}


def acts_on(lot: Lot) -> list[Act]:
    """Who drafted, changed, checked, ran, halted, undid or carried out a lot; one after the other of a kind as one."""
    found = [Act(lot.created_by.username, DRAFTED, lot.created_at)]
    entries = Entry.objects.filter(subject=f"lot {lot.pk}").order_by("pk").values_list("who", "what", "at")
    for who, what, at in entries:
        act = ACTS.get(what.rsplit(" ", 1)[-1], "changed")
        if act == DRAFTED:
            continue
        if act == "ran" and lot.started_at is None:
            act = "tried to run"
        if (found[-1].who, found[-1].what) == (who, act):
            found.pop()
        found.append(Act(who, act, at))
    return found


# Columns of a step that are answered as they are kept, and what is needed besides.
STEP_COLUMNS = [
    *(each.name for each in fields(StepAnswer) if each.name not in ("device", "problem")),
    "device_id",
    "touched",
]
