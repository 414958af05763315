"""A host sees fewer paths to an array than it should."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import urlencode

from movelot.fabric.settling import lot_for
from movelot.findings.base import FindingKind, Subject, Words
from movelot.inventory.sentences import cause_text
from movelot.lots.kinds import Remedy
from movelot_core.fabric.causes import Cause
from movelot_core.rounds import Urgency
from movelot_core.units import listed


@dataclass(frozen=True)
class LostOver:
    """Why paths over a port are missing."""

    cause: Cause
    port: str


@dataclass(frozen=True)
class MissingPathsEvidence:
    """Paths seen of those expected, to all ``arrays`` together; ``array`` is the one that most are missing to."""

    cluster: str
    array: str
    arrays: list[str]
    seen: int
    expected: int
    ports_left: int
    urgent: bool
    lost: list[LostOver]


class MissingPathsKind(FindingKind[MissingPathsEvidence]):
    name, stage, rank = "missing_paths", "attach", 2
    look = "Look at its paths"
    evidence = MissingPathsEvidence
    examples = (
        MissingPathsEvidence(
            "quayside", "granite", ["basalt", "granite"], 6, 12, 1, True, [LostOver(Cause.TWO_UPLINKS, "storage-b")]
        ),
        MissingPathsEvidence("quayside", "granite", ["granite"], 7, 8, 2, False, [LostOver(Cause.ZONE, "fc-b")]),
    )

    def urgency(self, evidence: MissingPathsEvidence) -> Urgency:
        return Urgency.NOW if evidence.urgent else Urgency.SOON

    def title(self, evidence: MissingPathsEvidence) -> str:
        return "One path away from an outage" if evidence.ports_left <= 1 else "Paths missing"

    def text(self, evidence: MissingPathsEvidence) -> Words:
        seen = f"sees {evidence.seen} of {evidence.expected} paths to {listed(evidence.arrays)}"
        return ["; ".join([seen, *self.reasons(evidence)])]

    def reasons(self, evidence: MissingPathsEvidence) -> list[str]:
        return list(dict.fromkeys(cause_text(lost.cause, lost.port) for lost in evidence.lost))

    def remedy(self, subject: Subject, evidence: MissingPathsEvidence) -> Remedy | None:
        return lot_for({lost.cause for lost in evidence.lost}, evidence.cluster, subject.name, evidence.array)

    def place(self, subject: Subject, evidence: MissingPathsEvidence) -> str:
        return path_page(evidence.cluster, evidence.array)

    def label(self, subject: Subject, evidence: MissingPathsEvidence) -> str:
        return f"{subject.name} to {listed(evidence.arrays)}"


def path_page(cluster: str, array: str) -> str:
    """The page with the paths of a cluster to an array."""
    return f"/attach/paths?{urlencode({'cluster': cluster, 'array': array})}"
