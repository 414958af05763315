"""A pool or a datastore whose room is used up soon."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.capacity.findings.of_capacity import OfCapacity
from movelot.findings.base import Size, Subject, Words
from movelot_core.rounds import Urgency
from movelot_core.units import count_of, format_share

NOW_DAYS = 7


@dataclass(frozen=True)
class RunsOutEvidence:
    """Of which pool or array it is, and days until its fill ceiling (a share) is reached; null beyond a year.

    ``growth_bytes`` is that of a day.
    """

    kind: str
    of: str
    early: int
    likely: int | None
    late: int | None
    ceiling: float
    growth_bytes: int


class RunsOutKind(OfCapacity[RunsOutEvidence]):
    name = "runs_out"
    evidence = RunsOutEvidence
    examples = (
        RunsOutEvidence("pool", "granite", 24, 31, 43, 0.82, 2**34),
        RunsOutEvidence("datastore", "granite-fast", 30, None, None, 0.82, 2**30),
        RunsOutEvidence("pool", "granite", 0, 0, 0, 0.82, 2**30),
    )

    def urgency(self, evidence: RunsOutEvidence) -> Urgency:
        return Urgency.NOW if evidence.early <= NOW_DAYS else Urgency.SOON

    def title(self, evidence: RunsOutEvidence) -> str:
        if evidence.early == 0:
            return f"Over its fill ceiling of {format_share(evidence.ceiling)}"
        if evidence.late is None:
            return f"May be full in {count_of(evidence.early, 'day')}"
        return f"Full in {evidence.early} to {count_of(evidence.late, 'day')}"

    def text(self, evidence: RunsOutEvidence) -> Words:
        if evidence.early == 0:
            return [f"of {evidence.of}; " if evidence.of else "", "it grows by ", Size(evidence.growth_bytes), " a day"]
        sure = "80 % sure" if evidence.late is not None else "or not within a year"
        return [
            f"{sure}; it grows by ",
            Size(evidence.growth_bytes),
            f" a day, its ceiling is {format_share(evidence.ceiling)}",
        ]

    def reasons(self, evidence: RunsOutEvidence) -> list[str]:
        return []

    def label(self, subject: Subject, evidence: RunsOutEvidence) -> str:
        return f"{subject.name} of {evidence.of}" if evidence.of else subject.name
