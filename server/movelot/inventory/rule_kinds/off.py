"""Rules that keep disks off a datastore: moves that people refused are of these."""

from __future__ import annotations

from collections.abc import Sequence

from movelot.inventory.models import PlacementRule
from movelot.inventory.rule_kinds.base import GroupRules, KeptOff, OfGroup, RuleKind


class OffKind(RuleKind):
    """Its disks do not lie on one datastore; those that do are to leave it."""

    name, has_datastore = "off", True

    def gather(self, rule: PlacementRule, mine: Sequence[int], of: OfGroup, found: GroupRules) -> None:
        if rule.datastore_id in of.stores:
            found.kept_off.append(KeptOff(rule.name, tuple(mine), of.stores.index(rule.datastore_id)))

    def sentence(self, rule: PlacementRule, whose: str) -> str:
        return f"Disks {whose} do not lie on {rule.datastore}."
