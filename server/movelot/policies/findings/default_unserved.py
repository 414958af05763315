"""A default policy that the place it is given to does not serve: every disk put there is out of it at once."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import Words
from movelot.policies.findings.of_policy import OfPolicy
from movelot_core.rounds import Urgency


@dataclass(frozen=True)
class DefaultUnservedEvidence:
    """The datastore or cluster by ``scope`` and name, and what the datastore lacks; nothing for a cluster, where it is
    each datastore that its hosts mount.
    """

    scope: str
    place: str
    lacks: list[str]


class DefaultUnservedKind(OfPolicy[DefaultUnservedEvidence]):
    name = "default_unserved"
    evidence = DefaultUnservedEvidence
    examples = (
        DefaultUnservedEvidence("datastore", "berth-c", ["its pool has spinning drives"]),
        DefaultUnservedEvidence("cluster", "gatehouse", []),
    )

    def urgency(self, evidence: DefaultUnservedEvidence) -> Urgency:
        return Urgency.SOON

    def title(self, evidence: DefaultUnservedEvidence) -> str:
        return f"Default of {evidence.place}, which does not serve it"

    def text(self, evidence: DefaultUnservedEvidence) -> Words:
        if evidence.scope == "cluster":
            return [f"No datastore that all hosts of {evidence.place} mount serves it"]
        return [f"Disks put on {evidence.place} have it and are out of it at once: {'; '.join(evidence.lacks)}"]

    def reasons(self, evidence: DefaultUnservedEvidence) -> list[str]:
        return list(evidence.lacks)
