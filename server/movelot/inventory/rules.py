"""The rules of people as core knows them: splits and bonds of the disks of one balance group."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations, islice, product

from movelot.inventory.labels import labels_by_thing
from movelot.inventory.models import PlacementRule
from movelot_core.balance.rules import Bond, Split

# Of the pairs of disks of different machines no more are kept apart; who writes a rule with more is told.
PAIRS_MAX = 2000


@dataclass(frozen=True)
class RuleDisk:
    """A disk as rules see it: its primary key and its machine's."""

    disk: int
    machine: int


@dataclass(frozen=True)
class Pin:
    """``disks`` by number that stay where they are."""

    name: str
    disks: tuple[int, ...]


@dataclass(frozen=True)
class GroupRules:
    """What the rules come to for a group."""

    splits: tuple[Split, ...]
    bonds: tuple[Bond, ...]
    pins: tuple[Pin, ...]


def rules_of(
    disks: Sequence[RuleDisk], sites: Mapping[str, tuple[int, ...]], rules: Iterable[PlacementRule] | None = None
) -> GroupRules:
    """What ``rules``, or all there are, come to for the disks of a group, by number.

    ``sites`` has [s] the number of each datastore's site, by what rules keep apart.
    Of rules on disks to one another fewer than two in the group say nothing of it.
    """
    chosen = list(PlacementRule.objects.prefetch_related("machines") if rules is None else rules)
    if not chosen:
        return GroupRules((), (), ())
    with_label = _Labelled(disks) if any(rule.label for rule in chosen) else None
    splits: list[Split] = []
    bonds: list[Bond] = []
    pins: list[Pin] = []
    for rule in chosen:
        named = {machine.pk for machine in rule.machines.all()}
        of = with_label.numbers(rule.label) if with_label and rule.label else set()
        mine = [n for n, each in enumerate(disks) if each.machine in named or n in of]
        if rule.kind == PlacementRule.Kind.PIN:
            pins += [Pin(rule.name, tuple(mine))] if mine else []
        elif rule.kind == PlacementRule.Kind.SPLIT:
            splits += [Split(rule.name, part, sites[rule.apart_by]) for part in _parts(rule, mine, disks)]
        else:
            bonds += [Bond(rule.name, part) for part in _parts(rule, mine, disks)]
    return GroupRules(tuple(splits), tuple(bonds), tuple(pins))


def _parts(rule: PlacementRule, mine: Sequence[int], disks: Sequence[RuleDisk]) -> list[tuple[int, ...]]:
    """Which of its disks a rule is about together."""
    by_machine: dict[int, list[int]] = defaultdict(list)
    for n in mine:
        by_machine[disks[n].machine].append(n)
    match rule.among:
        case PlacementRule.Among.EACH_MACHINE:
            parts = [tuple(each) for each in by_machine.values()]
        case PlacementRule.Among.MACHINES if all(len(each) == 1 for each in by_machine.values()):
            parts = [tuple(mine)]
        case PlacementRule.Among.MACHINES:
            # Disks of one machine may well lie side by side.
            pairs = (pair for one, other in combinations(by_machine.values(), 2) for pair in product(one, other))
            parts = list(islice(pairs, PAIRS_MAX))
        case _:
            parts = [tuple(mine)]
    return [part for part in parts if len(part) > 1]


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
