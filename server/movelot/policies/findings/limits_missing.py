"""Disks of a policy that lie where it is served, and have other limits than it asks."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import Subject, Words
from movelot.lots.kinds import Remedy
from movelot.policies.findings.of_policy import OfPolicy
from movelot_core.rounds import Urgency
from movelot_core.units import count_of


@dataclass(frozen=True)
class LimitsMissingEvidence:
    """How many disks, the first of their names and of what they lack, their primary keys, and what is asked.

    Cap and floor are in IOPS, 0 for none.
    """

    disks: int
    names: list[str]
    lacks: list[str]
    keys: list[int]
    cap: int
    floor: int


class LimitsMissingKind(OfPolicy[LimitsMissingEvidence]):
    name = "limits_missing"
    evidence = LimitsMissingEvidence
    examples = (
        LimitsMissingEvidence(2, ["a 1", "b 1"], ["it has no cap, not 400 IOPS"], [1, 2], 400, 0),
        LimitsMissingEvidence(1, ["a 1"], ["its floor is 50 IOPS, not 100"], [1], 0, 100),
    )

    def urgency(self, evidence: LimitsMissingEvidence) -> Urgency:
        return Urgency.SOON

    def title(self, evidence: LimitsMissingEvidence) -> str:
        return f"{count_of(evidence.disks, 'disk')} without the limits of the policy"

    def text(self, evidence: LimitsMissingEvidence) -> Words:
        more = f" and {evidence.disks - len(evidence.names)} more" if evidence.disks > len(evidence.names) else ""
        return [f"{', '.join(evidence.names)}{more}: {'; '.join(evidence.lacks)}"]

    def reasons(self, evidence: LimitsMissingEvidence) -> list[str]:
        return list(evidence.lacks)

    def remedy(self, subject: Subject, evidence: LimitsMissingEvidence) -> Remedy:
        limits = {"cap": str(evidence.cap or ""), "floor": str(evidence.floor or "")}
        return Remedy("limits", {"disks": evidence.keys, **limits}, f"Limit {count_of(len(evidence.keys), 'disk')}")

    def label(self, subject: Subject, evidence: LimitsMissingEvidence) -> str:
        return f"{subject.name}, limits"
