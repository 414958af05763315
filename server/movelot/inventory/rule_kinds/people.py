"""Rules that leave moving to people."""

from __future__ import annotations

from collections.abc import Sequence

from movelot.inventory.models import PlacementRule
from movelot.inventory.rule_kinds.base import GroupRules, OfDisks, OfGroup, RuleKind


class PeopleKind(RuleKind):
    """Its disks are in plans that people draft; a group that acts by itself leaves them where they are."""

    name = "people"

    def gather(self, rule: PlacementRule, mine: Sequence[int], of: OfGroup, found: GroupRules) -> None:
        found.by_people.append(OfDisks(rule.name, tuple(mine)))

    def sentence(self, rule: PlacementRule, whose: str) -> str:
        return f"Disks {whose} are moved by people only, by no group that acts by itself."
