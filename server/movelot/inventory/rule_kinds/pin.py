"""Rules that leave disks alone."""

from __future__ import annotations

from collections.abc import Sequence

from movelot.inventory.models import PlacementRule
from movelot.inventory.rule_kinds.base import GroupRules, OfDisks, OfGroup, RuleKind


class PinKind(RuleKind):
    """Its disks stay where they are: no plan and nobody moves them."""

    name = "pin"

    def gather(self, rule: PlacementRule, mine: Sequence[int], of: OfGroup, found: GroupRules) -> None:
        found.pins.append(OfDisks(rule.name, tuple(mine)))

    def sentence(self, rule: PlacementRule, whose: str) -> str:
        return f"Disks {whose} stay where they are."
