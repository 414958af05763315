"""Rules that keep disks together."""

from __future__ import annotations

from collections.abc import Sequence

from movelot.inventory.models import PlacementRule
from movelot.inventory.rule_kinds.base import GroupRules, OfGroup, RuleKind
from movelot.inventory.rule_kinds.parts import parts_of, said_among
from movelot_core.balance.rules import Bond


class BondKind(RuleKind):
    """Its disks, or those of each machine, lie on one datastore."""

    name, to_one_another = "bond", True
    amongs = (PlacementRule.Among.DISKS, PlacementRule.Among.EACH_MACHINE)

    def gather(self, rule: PlacementRule, mine: Sequence[int], of: OfGroup, found: GroupRules) -> None:
        found.bonds += [Bond(rule.name, part) for part in parts_of(rule, mine, of.disks)]

    def sentence(self, rule: PlacementRule, whose: str) -> str:
        return f"{said_among(rule, whose)} on one datastore."
