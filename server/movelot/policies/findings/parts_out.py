"""Own files of machines, or snapshots, of a policy that lie where it is not served."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import Subject, Words
from movelot.lots.kinds import Remedy
from movelot.policies.findings.of_policy import OfPolicy
from movelot_core.rounds import Urgency
from movelot_core.units import count_of


@dataclass(frozen=True)
class PartsOutEvidence:
    """How many of ``what`` (own files, snapshots) on which datastore, the first of their names, and what it lacks.

    ``machines`` are theirs by primary keys; ``served`` says whether any datastore serves the policy.
    """

    what: str
    datastore: str
    count: int
    names: list[str]
    lacks: list[str]
    machines: list[int]
    served: bool


class PartsOutKind(OfPolicy[PartsOutEvidence]):
    name = "parts_out"
    evidence = PartsOutEvidence
    examples = (
        PartsOutEvidence("own files", "berth-d", 2, ["a", "b"], ["no label team=x"], [1, 2], True),
        PartsOutEvidence("snapshots", "berth-d", 1, ["before of a"], ["no label team=x"], [1], True),
        PartsOutEvidence("own files", "berth-d", 1, ["a"], ["no label team=x"], [1], False),
    )

    def urgency(self, evidence: PartsOutEvidence) -> Urgency:
        return Urgency.SOON

    def title(self, evidence: PartsOutEvidence) -> str:
        if evidence.what == "snapshots":
            return f"{count_of(evidence.count, 'snapshot')} out of policy"
        return (
            f"{count_of(evidence.count, 'machine')} with its own files out of policy"
            if evidence.count == 1
            else (f"{count_of(evidence.count, 'machine')} with their own files out of policy")
        )

    def text(self, evidence: PartsOutEvidence) -> Words:
        rest = evidence.count - len(evidence.names)
        more = f" and {rest} more" if rest else ""
        merge = "; merged on the machine's page they are gone" if evidence.what == "snapshots" else ""
        return [f"{', '.join(evidence.names)}{more} on {evidence.datastore}: {'; '.join(evidence.lacks)}{merge}"]

    def reasons(self, evidence: PartsOutEvidence) -> list[str]:
        return list(evidence.lacks)

    def remedy(self, subject: Subject, evidence: PartsOutEvidence) -> Remedy | None:
        if evidence.what == "snapshots" or not evidence.served:
            return None
        form = {"machines": evidence.machines}
        return Remedy("move_files", form, f"Move the files of {count_of(len(evidence.machines), 'machine')}")

    def label(self, subject: Subject, evidence: PartsOutEvidence) -> str:
        return f"{subject.name}, {evidence.what} on {evidence.datastore}"
