"""An initiator that an array still knows though it is no linked host's."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Subject, Words
from movelot.lots.kinds import Remedy
from movelot_core.rounds import Urgency


@dataclass(frozen=True)
class LeftoverInitiatorEvidence:
    """The array, and the volumes that it is still let into, by name."""

    array: str
    volumes: list[str]


class LeftoverInitiatorKind(FindingKind[LeftoverInitiatorEvidence]):
    name, stage = "leftover_initiator", "attach"
    evidence = LeftoverInitiatorEvidence
    examples = (LeftoverInitiatorEvidence("granite", ["berth-c"]), LeftoverInitiatorEvidence("granite", []))

    def urgency(self, evidence: LeftoverInitiatorEvidence) -> Urgency:
        return Urgency.SOON if evidence.volumes else Urgency.NOTE

    def title(self, evidence: LeftoverInitiatorEvidence) -> str:
        return "Initiator of no linked host"

    def text(self, evidence: LeftoverInitiatorEvidence) -> Words:
        into = f"still let in to {', '.join(evidence.volumes)}" if evidence.volumes else "let in to nothing"
        return [f"{evidence.array} knows it, {into}"]

    def reasons(self, evidence: LeftoverInitiatorEvidence) -> list[str]:
        return list(evidence.volumes)

    def remedy(self, subject: Subject, evidence: LeftoverInitiatorEvidence) -> Remedy:
        return Remedy("initiator", {"initiator": subject.name}, "Remove the initiator")

    def place(self, subject: Subject, evidence: LeftoverInitiatorEvidence) -> str:
        return ""
