"""Run sheets: a lot as steps for people to do, each with what must be done before and what must hold after.

Written as Markdown, CSV, or HTML that prints; the same content in each.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from django.template.loader import render_to_string

from movelot.lots.models import Lot, Step
from movelot.lots.stored import kind_of_step, waits_for
from movelot.spreadsheet import csv_text
from movelot_core.units import count_of


@dataclass(frozen=True)
class SheetStep:
    """A step for a person: ``after`` are the numbers of the steps that have to be done first."""

    number: int
    device: str
    title: str
    detail: str
    after: list[int]
    proof: str
    minutes: float


@dataclass(frozen=True)
class Sheet:
    """A lot on paper."""

    lot: int
    title: str
    drafted_by: str
    checked_at: datetime | None
    notes: list[str]
    steps: list[SheetStep]
    reversible: bool
    by_hand: bool


def sheet_of(lot: Lot) -> Sheet:
    """The run sheet of ``lot``; steps are numbered from 1 in an order in which each finds what it needs."""
    steps = list(lot.steps.select_related("device"))
    notes = [check["text"] for check in lot.checks if check["level"] != "pass"]
    return Sheet(
        lot.pk,
        lot.title,
        lot.created_by.username,
        lot.checked_at,
        notes,
        [_step(step, waits_for(step, lot)) for step in steps],
        all(kind_of_step(step).reversible for step in steps),
        any(step.device.imported for step in steps),
    )


def _step(step: Step, needs: list[int]) -> SheetStep:
    return SheetStep(
        step.position + 1,
        step.device.name,
        step.title,
        step.detail,
        [need + 1 for need in needs],
        kind_of_step(step).proof,
        step.estimate_seconds / 60,
    )


def as_markdown(sheet: Sheet) -> str:
    """The sheet as Markdown with a box to tick at each step."""
    lines = [f"# Lot {sheet.lot}: {_plain(sheet.title)}", "", _origin(sheet), ""]
    lines += [f"> {_plain(note)}" for note in sheet.notes] + ([""] if sheet.notes else [])
    for step in sheet.steps:
        lines.append(f"- [ ] **{step.number}. {_plain(step.title)}** on {_plain(step.device)}{_after(step)}")
        lines += [f"      {_plain(step.detail)}"] if step.detail else []
        lines += [f"      Then: {step.proof}"] if step.proof else []
    return "\n".join([*lines, "", _ending(sheet), ""])


def _plain(text: str) -> str:
    """Names may hold what Markdown would read as marks."""
    return "".join(f"\\{letter}" if letter in "\\`*_[]<>" else letter for letter in text)


def _after(step: SheetStep) -> str:
    return f", after {', '.join(map(str, step.after))}" if step.after else ""


def _origin(sheet: Sheet) -> str:
    checked = f", checked {sheet.checked_at:%Y-%m-%d %H:%M} UTC" if sheet.checked_at else ""
    return f"Drafted by {sheet.drafted_by}{checked}. {count_of(len(sheet.steps), 'step')}."


def _ending(sheet: Sheet) -> str:
    end = "Move Lot does these steps itself when the lot runs; this sheet is for the record."
    if sheet.by_hand:
        end = "When all are ticked, press Carried out on the lot and import the estate anew."
    return end if sheet.reversible else f"A step of this lot cannot be taken back. {end}"


COLUMNS = ("step", "device", "title", "detail", "after", "then", "minutes", "done_by", "done_at")


def as_csv(sheet: Sheet) -> str:
    """The sheet as CSV, with empty columns for who did each step and when."""
    return csv_text(COLUMNS, (_cells(step) for step in sheet.steps))


def _cells(step: SheetStep) -> list[object]:
    after = " ".join(map(str, step.after))
    return [step.number, step.device, step.title, step.detail, after, step.proof, f"{step.minutes:.1f}", "", ""]


def as_html(sheet: Sheet) -> str:
    """The sheet as a page to print."""
    return render_to_string("run_sheet.html", {"sheet": sheet, "origin": _origin(sheet), "ending": _ending(sheet)})


WRITERS: dict[str, tuple[Callable[[Sheet], str], str]] = {
    "md": (as_markdown, "text/markdown; charset=utf-8"),
    "csv": (as_csv, "text/csv; charset=utf-8"),
    "html": (as_html, "text/html; charset=utf-8"),
}
