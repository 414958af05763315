"""A pool that promised more to volumes than it has."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.capacity.findings.of_capacity import OfCapacity
from movelot.findings.base import Size, Subject, Words
from movelot_core.rounds import Urgency

SOON_DAYS = 90


@dataclass(frozen=True)
class OversubscribedEvidence:
    """The pool's array, bytes promised and there, and the fewest days until its fill ceiling; null beyond a year."""

    of: str
    subscribed_bytes: int
    capacity_bytes: int
    early: int | None


class OversubscribedKind(OfCapacity[OversubscribedEvidence]):
    name = "oversubscribed"
    evidence = OversubscribedEvidence
    examples = (OversubscribedEvidence("basalt", 3 * 2**40, 2 * 2**40, None),)

    def urgency(self, evidence: OversubscribedEvidence) -> Urgency:
        near = evidence.early is not None and evidence.early <= SOON_DAYS
        return Urgency.SOON if near else Urgency.NOTE

    def title(self, evidence: OversubscribedEvidence) -> str:
        return f"Promised {evidence.subscribed_bytes / max(1, evidence.capacity_bytes):.2f} times its size"

    def text(self, evidence: OversubscribedEvidence) -> Words:
        return [Size(evidence.subscribed_bytes), " promised to volumes, ", Size(evidence.capacity_bytes), " are there"]

    def reasons(self, evidence: OversubscribedEvidence) -> list[str]:
        return []

    def label(self, subject: Subject, evidence: OversubscribedEvidence) -> str:
        return f"{subject.name} of {evidence.of}"
