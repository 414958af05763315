"""A volume that some hosts of a cluster see and others do not."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Subject, Words
from movelot.inventory.sentences import cause_text
from movelot.lots.kinds import Remedy
from movelot_core.fabric.causes import Cause
from movelot_core.rounds import Urgency
from movelot_core.units import count_of


@dataclass(frozen=True)
class Blind:
    """A host that does not see it, and why."""

    host: str
    cause: Cause


@dataclass(frozen=True)
class SeenBySomeEvidence:
    """How many of a cluster's hosts see it, and how many mount what is on it."""

    cluster: str
    seen: int
    hosts: int
    mounted: int
    blind: list[Blind]


class SeenBySomeKind(FindingKind[SeenBySomeEvidence]):
    name, stage, rank = "seen_by_some", "attach", 4
    evidence = SeenBySomeEvidence
    examples = (SeenBySomeEvidence("quayside", 5, 6, 5, [Blind("quay-05", Cause.MASKED)]),)

    def urgency(self, evidence: SeenBySomeEvidence) -> Urgency:
        return Urgency.SOON

    def title(self, evidence: SeenBySomeEvidence) -> str:
        return "Seen by some hosts only"

    def text(self, evidence: SeenBySomeEvidence) -> Words:
        of = f"of {count_of(evidence.hosts, 'host')}"
        seen = count_of(evidence.seen, f"{of} sees it", f"{of} see it")
        return ["; ".join([seen, *self.reasons(evidence)])]

    def reasons(self, evidence: SeenBySomeEvidence) -> list[str]:
        return [f"{blind.host}: {cause_text(blind.cause, 'its interface')}" for blind in evidence.blind]

    def remedy(self, subject: Subject, evidence: SeenBySomeEvidence) -> Remedy:
        return Remedy("spread", {"volume": subject.id}, "Let all hosts see it")
