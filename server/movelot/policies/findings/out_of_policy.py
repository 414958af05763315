"""Disks of a policy that lie where it is not served."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.findings.base import Size, Subject, Words
from movelot.lots.kinds import Remedy
from movelot.policies.findings.of_policy import OfPolicy
from movelot_core.rounds import Urgency
from movelot_core.units import count_of


@dataclass(frozen=True)
class OutOfPolicyEvidence:
    """How many disks on which datastore, the first of their names, what it lacks, and what settles them.

    ``group`` is the balance group in which they may move and ``moves`` are [disk, datastore] by primary keys; ``stays``
    says of those that have no place how many there are and what would give them one.
    """

    datastore: str
    disks: int
    size_bytes: int
    names: list[str]
    lacks: list[str]
    group: str
    moves: list[list[int]]
    stays: list[str]


class OutOfPolicyKind(OfPolicy[OutOfPolicyEvidence]):
    name = "out_of_policy"
    evidence = OutOfPolicyEvidence
    examples = (
        OutOfPolicyEvidence("berth-d", 2, 2**40, ["a 1", "b 1"], ["no label team=x"], "quayside", [[1, 2], [3, 2]], []),
        OutOfPolicyEvidence("berth-d", 1, 2**40, ["a 1"], ["no label team=x"], "", [], ["1 stays, as it is pinned"]),
    )

    def urgency(self, evidence: OutOfPolicyEvidence) -> Urgency:
        return Urgency.SOON

    def title(self, evidence: OutOfPolicyEvidence) -> str:
        return f"{count_of(evidence.disks, 'disk')} out of policy"

    def text(self, evidence: OutOfPolicyEvidence) -> Words:
        more = f" and {evidence.disks - len(evidence.names)} more" if evidence.disks > len(evidence.names) else ""
        what = f"{', '.join(evidence.names)}{more} on {evidence.datastore}: {'; '.join(evidence.lacks)}"
        stays = f"; {'; '.join(evidence.stays)}" if evidence.stays else ""
        return [Size(evidence.size_bytes), f", {what}{stays}"]

    def reasons(self, evidence: OutOfPolicyEvidence) -> list[str]:
        return list(evidence.lacks)

    def remedy(self, subject: Subject, evidence: OutOfPolicyEvidence) -> Remedy | None:
        if not evidence.moves:
            return None
        moves: list[dict[str, Any]] = [{"disk": disk, "target": target} for disk, target in evidence.moves]
        form = {"group": evidence.group, "moves": moves}
        return Remedy("balance", form, f"Move {count_of(len(moves), 'disk')} to where it is served")

    def label(self, subject: Subject, evidence: OutOfPolicyEvidence) -> str:
        return f"{subject.name} on {evidence.datastore}"
