"""A device's clock is off."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Subject, Words
from movelot_core.rounds import Urgency
from movelot_core.units import format_seconds


@dataclass(frozen=True)
class ClockOffEvidence:
    """How far it is ahead; negative where it is behind."""

    offset_seconds: float


class ClockOffKind(FindingKind[ClockOffEvidence]):
    name, stage = "clock_off", "devices"
    look = "See the device link"
    evidence = ClockOffEvidence
    examples = (ClockOffEvidence(540.0), ClockOffEvidence(-90.0))

    def urgency(self, evidence: ClockOffEvidence) -> Urgency:
        return Urgency.NOTE

    def title(self, evidence: ClockOffEvidence) -> str:
        return "Clock is off"

    def text(self, evidence: ClockOffEvidence) -> Words:
        way = "ahead" if evidence.offset_seconds > 0 else "behind"
        by = f"{format_seconds(abs(evidence.offset_seconds))} {way}"
        return [f"{by}; logs and tickets of both sides would disagree. Set its time source."]

    def place(self, subject: Subject, evidence: ClockOffEvidence) -> str:
        return "/devices"
