"""A policy that no datastore serves."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import Words
from movelot.policies.findings.of_policy import OfPolicy
from movelot_core.rounds import Urgency
from movelot_core.units import count_of


@dataclass(frozen=True)
class FitsNowhereEvidence:
    """How many disks have it, and the datastore that lacks least, with what it lacks."""

    disks: int
    nearest: str
    lacks: list[str]


class FitsNowhereKind(OfPolicy[FitsNowhereEvidence]):
    name = "fits_nowhere"
    evidence = FitsNowhereEvidence
    examples = (FitsNowhereEvidence(9, "chalk-vd", ["no label site=sea"]), FitsNowhereEvidence(0, "", []))

    def urgency(self, evidence: FitsNowhereEvidence) -> Urgency:
        return Urgency.SOON if evidence.disks else Urgency.NOTE

    def title(self, evidence: FitsNowhereEvidence) -> str:
        return "Fits nowhere"

    def text(self, evidence: FitsNowhereEvidence) -> Words:
        had = count_of(evidence.disks, "disk has it", "disks have it") if evidence.disks else "no disk has it yet"
        near = f"; nearest is {evidence.nearest}: {'; '.join(evidence.lacks)}" if evidence.nearest else ""
        return [f"No datastore serves it; {had}{near}"]

    def reasons(self, evidence: FitsNowhereEvidence) -> list[str]:
        return list(evidence.lacks)
