"""Rules that keep disks apart."""

from __future__ import annotations

from collections.abc import Sequence

from movelot.inventory.models import PlacementRule
from movelot.inventory.rule_kinds.base import GroupRules, OfGroup, RuleKind
from movelot.inventory.rule_kinds.parts import parts_of, said_among
from movelot_core.balance.rules import Split


class SplitKind(RuleKind):
    """No two of its disks share a datastore, a pool or an array."""

    name, has_sites, to_one_another = "split", True, True
    amongs = (PlacementRule.Among.MACHINES, PlacementRule.Among.DISKS, PlacementRule.Among.EACH_MACHINE)

    def gather(self, rule: PlacementRule, mine: Sequence[int], of: OfGroup, found: GroupRules) -> None:
        sites = of.sites[rule.apart_by]
        found.splits += [Split(rule.name, part, sites) for part in parts_of(rule, mine, of.disks)]

    def sentence(self, rule: PlacementRule, whose: str) -> str:
        return f"{said_among(rule, whose)} on different {rule.apart_by}s."
