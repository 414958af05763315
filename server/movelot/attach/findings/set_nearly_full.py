"""A volume set that holds nearly as many volumes as it allows."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Words
from movelot_core.rounds import Urgency


@dataclass(frozen=True)
class SetNearlyFullEvidence:
    """Volumes held of those allowed."""

    held: int
    most: int


class SetNearlyFullKind(FindingKind[SetNearlyFullEvidence]):
    name, stage = "set_nearly_full", "attach"
    evidence = SetNearlyFullEvidence
    examples = (SetNearlyFullEvidence(48, 60), SetNearlyFullEvidence(60, 60))

    def urgency(self, evidence: SetNearlyFullEvidence) -> Urgency:
        return Urgency.NOW if evidence.held >= evidence.most else Urgency.SOON

    def title(self, evidence: SetNearlyFullEvidence) -> str:
        return "Volume set nearly full"

    def text(self, evidence: SetNearlyFullEvidence) -> Words:
        held = f"holds {evidence.held} of the {evidence.most} volumes it allows"
        return [f"{held}; no machine starts there without one"]
