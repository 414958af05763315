"""A rule on where disks lie to one another is broken."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.balance.findings.over_fill import moves
from movelot.findings.base import FindingKind, Subject, Words
from movelot.lots.kinds import Remedy
from movelot_core.rounds import Urgency
from movelot_core.units import count_of


@dataclass(frozen=True)
class BrokenRuleEvidence:
    """How many of the rule's disks in a group would have to lie elsewhere, and what the group's plan would move."""

    group: str
    disks: int
    out: int
    plan_moves: int
    plan_bytes: int


class BrokenRuleKind(FindingKind[BrokenRuleEvidence]):
    name, stage = "broken_rule", "balance"
    evidence = BrokenRuleEvidence
    examples = (BrokenRuleEvidence("quayside", 4, 1, 1, 2**38), BrokenRuleEvidence("quayside", 4, 3, 0, 0))

    def urgency(self, evidence: BrokenRuleEvidence) -> Urgency:
        return Urgency.SOON

    def title(self, evidence: BrokenRuleEvidence) -> str:
        return "Rule broken"

    def text(self, evidence: BrokenRuleEvidence) -> Words:
        of = f"{evidence.out} of its {count_of(evidence.disks, 'disk')} in {evidence.group}"
        return [f"{of} would have to lie elsewhere"]

    def remedy(self, subject: Subject, evidence: BrokenRuleEvidence) -> Remedy:
        return Remedy("balance", {"group": evidence.group}, "Move disks")

    def action(self, subject: Subject, evidence: BrokenRuleEvidence) -> Words:
        return moves(evidence.plan_moves, evidence.plan_bytes)

    def place(self, subject: Subject, evidence: BrokenRuleEvidence) -> str:
        return "/balance/rules"
