"""Which of its disks a rule is about together."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from itertools import combinations, islice, product

from movelot.inventory.models import PlacementRule
from movelot.inventory.rule_kinds.base import RuleDisk

# Of the pairs of disks of different machines no more are kept apart; who writes a rule with more is told.
PAIRS_MAX = 2000


def parts_of(rule: PlacementRule, mine: Sequence[int], disks: Sequence[RuleDisk]) -> list[tuple[int, ...]]:
    """The parts of ``mine``, by number, of which each is kept apart or together by itself."""
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


def said_among(rule: PlacementRule, whose: str) -> str:
    """The begin of a sentence on disks to one another: "All disks of role=db lie"."""
    return {
        PlacementRule.Among.DISKS: f"All disks {whose} lie",
        PlacementRule.Among.MACHINES: f"Disks of different machines {whose} lie",
        PlacementRule.Among.EACH_MACHINE: f"The disks of each machine {whose} lie",
    }[PlacementRule.Among(rule.among)]
