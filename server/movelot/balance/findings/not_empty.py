"""A datastore is held empty, and disks lie on it."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.balance.findings.over_fill import moves
from movelot.findings.base import FindingKind, Subject, Words
from movelot.lots.kinds import Remedy
from movelot_core.rounds import Urgency
from movelot_core.units import count_of, format_size


@dataclass(frozen=True)
class NotEmptyEvidence:
    """How much lies there, how many disks of it ``leave`` by the group's plan, and what that moves in all."""

    group: str
    disks: int
    size_bytes: int
    leave: int
    plan_moves: int
    plan_bytes: int


class NotEmptyKind(FindingKind[NotEmptyEvidence]):
    name, stage, rank = "not_empty", "balance", 5
    evidence = NotEmptyEvidence
    examples = (
        NotEmptyEvidence("quayside", 3, 2**40, 3, 4, 2**41),
        NotEmptyEvidence("quayside", 1, 2**40, 0, 0, 0),
    )

    def urgency(self, evidence: NotEmptyEvidence) -> Urgency:
        return Urgency.SOON

    def title(self, evidence: NotEmptyEvidence) -> str:
        return "Held empty, and not empty"

    def text(self, evidence: NotEmptyEvidence) -> Words:
        held = f"{count_of(evidence.disks, 'disk')} of {format_size(evidence.size_bytes)}"
        stay = evidence.disks - evidence.leave
        return [f"{held} lie there" if evidence.disks > 1 else f"{held} lies there"] + (
            [f"{count_of(stay, 'stays', 'stay')} by the group's plan, which says why"] if stay else []
        )

    def remedy(self, subject: Subject, evidence: NotEmptyEvidence) -> Remedy:
        return Remedy("balance", {"group": evidence.group}, "Move disks")

    def action(self, subject: Subject, evidence: NotEmptyEvidence) -> Words:
        return moves(evidence.plan_moves, evidence.plan_bytes)
