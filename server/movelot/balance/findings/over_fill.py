"""A datastore is over its fill ceiling."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Size, Subject, Words
from movelot.lots.kinds import Remedy
from movelot_core.rounds import Urgency
from movelot_core.units import count_of, format_share


@dataclass(frozen=True)
class OverFillEvidence:
    """Shares, bytes over, growth and days left where known, and what the group's plan would move."""

    group: str
    fill: float
    ceiling: float
    over_bytes: int
    growth_bytes_per_day: float | None
    runway_days: float | None
    plan_moves: int
    plan_bytes: int


class OverFillKind(FindingKind[OverFillEvidence]):
    name, stage, rank = "over_fill", "balance", 1
    evidence = OverFillEvidence
    examples = (
        OverFillEvidence("quayside", 0.95, 0.82, 2**40, 12 * 2**30, 30.6, 2, 2 * 2**40),
        OverFillEvidence("quayside", 0.95, 0.82, 2**40, None, None, 0, 0),
        OverFillEvidence("quayside", 0.95, 0.82, 2**40, 2**36, 1.2, 1, 2**40),
    )

    def urgency(self, evidence: OverFillEvidence) -> Urgency:
        return Urgency.NOW

    def title(self, evidence: OverFillEvidence) -> str:
        if evidence.runway_days is None:
            return "Over its fill ceiling"
        return f"Full in {count_of(round(evidence.runway_days), 'day')}"

    def text(self, evidence: OverFillEvidence) -> Words:
        growth = evidence.growth_bytes_per_day or 0
        grows: Words = [", growing ", Size(growth), " a day"] if growth > 0 else []
        ceiling = f"; ceiling {format_share(evidence.ceiling)}, "
        return [f"{format_share(evidence.fill)} full", *grows, ceiling, Size(evidence.over_bytes), " over"]

    def remedy(self, subject: Subject, evidence: OverFillEvidence) -> Remedy:
        return Remedy("balance", {"group": evidence.group}, "Move disks")

    def action(self, subject: Subject, evidence: OverFillEvidence) -> Words:
        return moves(evidence.plan_moves, evidence.plan_bytes)


def moves(count: int, size_bytes: int) -> Words:
    """What a plan would do."""
    return [f"Move {count_of(count, 'disk')}, ", Size(size_bytes)] if count else ["Move disks"]
