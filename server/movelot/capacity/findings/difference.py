"""Layers that do not add up: what is told of one thing and of what lies above or beneath it."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.capacity.findings.of_capacity import OfCapacity
from movelot.findings.base import Size, Subject, Words
from movelot_core.rounds import Urgency


@dataclass(frozen=True)
class DifferenceEvidence:
    """Of which pool or array it is, and bytes.

    Above 0 they are allocated and no volume holds them; below 0 more lies there than it says is used.
    """

    kind: str
    of: str
    difference_bytes: int


class DifferenceKind(OfCapacity[DifferenceEvidence]):
    name = "difference"
    evidence = DifferenceEvidence
    examples = (DifferenceEvidence("pool", "granite", 2**40), DifferenceEvidence("datastore", "granite-fast", -(2**40)))

    def urgency(self, evidence: DifferenceEvidence) -> Urgency:
        return Urgency.NOTE

    def title(self, evidence: DifferenceEvidence) -> str:
        return "Has layers that do not add up"

    def text(self, evidence: DifferenceEvidence) -> Words:
        if evidence.difference_bytes > 0:
            return [Size(evidence.difference_bytes), " are allocated, and no volume holds them"]
        return [Size(-evidence.difference_bytes), " more lie there than it says is used"]

    def reasons(self, evidence: DifferenceEvidence) -> list[str]:
        return []

    def label(self, subject: Subject, evidence: DifferenceEvidence) -> str:
        return f"{subject.name} of {evidence.of}" if evidence.of else subject.name
