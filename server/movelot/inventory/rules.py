"""The rules of people as core knows them, for the disks of one balance group."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from django.db.models import Q, QuerySet
from django.utils.timezone import now

from movelot.inventory.labels import labels_by_thing
from movelot.inventory.models import PlacementRule
from movelot.inventory.rule_kinds import RULE_KINDS
from movelot.inventory.rule_kinds.base import GroupRules, OfGroup, RuleDisk


def rules_in_force() -> QuerySet[PlacementRule]:
    """The rules whose end, if they have one, is still to come."""
    rules = PlacementRule.objects.filter(Q(until=None) | Q(until__gt=now()))
    return rules.prefetch_related("machines", "disks").select_related("datastore")


def rules_of(of: OfGroup, rules: Iterable[PlacementRule] | None = None) -> GroupRules:
    """What ``rules``, or all that are in force, come to for the disks of a group, by number."""
    found = GroupRules()
    chosen = list(rules_in_force() if rules is None else rules)
    if not chosen:
        return found
    with_label = _Labelled(of.disks) if any(rule.label for rule in chosen) else None
    for rule in chosen:
        machines = {machine.pk for machine in rule.machines.all()}
        disks = {disk.pk for disk in rule.disks.all()}
        labelled = with_label.numbers(rule.label) if with_label and rule.label else set()
        mine = [n for n, each in enumerate(of.disks) if each.machine in machines or each.disk in disks or n in labelled]
        if mine:
            RULE_KINDS[rule.kind].gather(rule, mine, of, found)
    return found


class _Labelled:
    """Which disks have which label, by themselves or by their machine."""

    def __init__(self, disks: Sequence[RuleDisk]) -> None:
        self.disks = disks
        self.of_disks, self.of_machines = labels_by_thing("disk"), labels_by_thing("machine")

    def numbers(self, label: str) -> set[int]:
        key, _mark, value = label.partition("=")
        return {
            n
            for n, each in enumerate(self.disks)
            if value in (self.of_disks.get(each.disk, {}).get(key), self.of_machines.get(each.machine, {}).get(key))
        }
