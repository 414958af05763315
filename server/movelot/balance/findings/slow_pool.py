"""A pool is over its latency ceiling at its peak hour."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.balance.findings.over_fill import moves
from movelot.findings.base import FindingKind, Subject, Words
from movelot.lots.kinds import Remedy
from movelot_core.rounds import Urgency
from movelot_core.units import count_of, format_share


@dataclass(frozen=True)
class SlowPoolEvidence:
    """Its peak against the ceiling, when, the disks that make half of it, and what the group's plan would move."""

    group: str
    peak_ms: float
    ceiling_ms: float
    peak_hour: int
    peak_day: str
    slots_over: int
    heavy: list[str]
    heavy_share: float
    plan_moves: int
    plan_bytes: int


class SlowPoolKind(FindingKind[SlowPoolEvidence]):
    name, stage, rank = "slow_pool", "balance", 3
    evidence = SlowPoolEvidence
    examples = (
        SlowPoolEvidence("quayside", 11.8, 9.0, 10, "weekday", 3, ["a", "b", "c"], 0.71, 2, 2**41),
        SlowPoolEvidence("quayside", 11.8, 9.0, 1, "weekend", 3, ["a"], 0.71, 0, 0),
    )

    def urgency(self, evidence: SlowPoolEvidence) -> Urgency:
        return Urgency.NOW

    def title(self, evidence: SlowPoolEvidence) -> str:
        return "Slow at peak"

    def text(self, evidence: SlowPoolEvidence) -> Words:
        when = "at weekends" if evidence.peak_day == "weekend" else "on weekdays"
        make = count_of(len(evidence.heavy), "disk makes", "disks make")
        disks = f"{make} {format_share(evidence.heavy_share)} of it"
        peak = f"{evidence.peak_ms:.1f} ms at {evidence.peak_hour:02}:00 {when}"
        return [f"{peak}, ceiling {evidence.ceiling_ms:.1f} ms; {disks}"]

    def reasons(self, evidence: SlowPoolEvidence) -> list[str]:
        return list(evidence.heavy)

    def remedy(self, subject: Subject, evidence: SlowPoolEvidence) -> Remedy:
        return Remedy("balance", {"group": evidence.group}, "Move disks")

    def action(self, subject: Subject, evidence: SlowPoolEvidence) -> Words:
        return moves(evidence.plan_moves, evidence.plan_bytes)
