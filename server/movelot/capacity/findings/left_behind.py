"""A volume was grown, and the datastore on it was not."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.capacity.findings.of_capacity import OfCapacity
from movelot.findings.base import Size, Subject, Words
from movelot.lots.kinds import Remedy
from movelot_core.rounds import Urgency


@dataclass(frozen=True)
class LeftBehindEvidence:
    """The datastore, the size of the volume beneath it (by its primary key), and the bytes of it that it lacks."""

    datastore: str
    volume_bytes: int
    missing_bytes: int
    volume: int


class LeftBehindKind(OfCapacity[LeftBehindEvidence]):
    name = "left_behind"
    evidence = LeftBehindEvidence
    examples = (LeftBehindEvidence("slate-03", 4 * 2**40, 2**40, 7),)

    def urgency(self, evidence: LeftBehindEvidence) -> Urgency:
        return Urgency.SOON

    def title(self, evidence: LeftBehindEvidence) -> str:
        return "Its volume was grown, it was not"

    def text(self, evidence: LeftBehindEvidence) -> Words:
        missing, whole = Size(evidence.missing_bytes), Size(evidence.volume_bytes)
        return ["it lacks ", missing, " of the ", whole, " of its volume"]

    def reasons(self, evidence: LeftBehindEvidence) -> list[str]:
        return []

    def remedy(self, subject: Subject, evidence: LeftBehindEvidence) -> Remedy | None:
        return Remedy("grow", {"datastores": [subject.id], "how": "rest"}, f"Grow {evidence.datastore}")

    def label(self, subject: Subject, evidence: LeftBehindEvidence) -> str:
        return subject.name
