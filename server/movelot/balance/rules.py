"""Rules as pages show and change them: what each says, how it stands in each group, and what it collides with.

Journey: two database nodes must not be lost with one pool. Today that is a line in a document, and whoever moves disks
at night has not read it. Here it is said once, for machines or for a label; every plan keeps it, moves by hand that
would break it are refused, and where it is broken it is a finding with the plan that mends it. A rule that cannot hold
is refused when it is written, with the disks that are in the way.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from movelot.findings.judging import kept_of
from movelot.inventory.known_groups import KnownGroup, known_group, like_with_like, ruled, rules_within
from movelot.inventory.models import BalanceGroup, PlacementRule
from movelot.inventory.rule_kinds import RULE_KINDS
from movelot.inventory.rule_kinds.parts import PAIRS_MAX
from movelot_core.balance.collisions import Collision, collisions
from movelot_core.balance.group import Group
from movelot_core.balance.rules import Split, beside, side_by_side
from movelot_core.units import count_of

NAMES_MAX = 4


@dataclass
class RuleMachine:
    """A machine that a rule names."""

    id: int
    name: str


@dataclass
class RuleDiskNamed:
    """A disk that a rule names."""

    id: int
    name: str


@dataclass
class RuleStanding:
    """How a rule stands in a group: of so many disks so many would have to lie elsewhere for it to be kept."""

    group: str
    disks: int
    out: int


@dataclass
class RuleAnswer:
    """A rule, what it says in a sentence, and how it stands in the groups with disks of it, as last judged.

    ``datastore`` is the one that its disks are kept off, if it names one. It ends by itself at ``until``.
    """

    id: int
    name: str
    number: int
    kind: str
    among: str
    apart_by: str
    labelled: str
    machines: list[RuleMachine]
    disks: list[RuleDiskNamed]
    datastore: str
    until: datetime | None
    sentence: str
    by: str
    at: datetime
    standing: list[RuleStanding]


def rules_name(group: int) -> str:
    """Under which name it is kept how rules stand in a group."""
    return f"rules-{group}"


def standing_of(found: KnownGroup) -> dict[str, tuple[int, int]]:
    """By rule: its disks in the group, and how many of them would have to lie elsewhere."""
    group = found.group
    disks: dict[str, set[int]] = {each.name: set(each.disks) for each in (*found.pins, *found.by_people)}
    disks |= {off.name: set(off.disks) for off in found.kept_off}
    out: Counter[str] = Counter()
    for off in found.kept_off:
        out[off.name] += int((group.place[list(off.disks)] == off.store).sum())
    splits: dict[str, list[Split]] = {}
    for split in group.splits:
        disks.setdefault(split.name, set()).update(split.disks)
        splits.setdefault(split.name, []).append(split)
    for name, of_rule in splits.items():
        out[name] += side_by_side(of_rule, group.place)
    for bond in group.bonds:
        disks.setdefault(bond.name, set()).update(bond.disks)
        out[bond.name] += beside(bond, group.place)
    return {name: (len(of), out[name]) for name, of in disks.items()}


def rule_answers(rules: Iterable[PlacementRule]) -> list[RuleAnswer]:
    """The rules with how they stand."""
    names = dict(BalanceGroup.objects.order_by("name").values_list("pk", "name"))
    stored = kept_of(rules_name(key) for key in names)
    found = {key: json.loads(stored[rules_name(key)].document) for key in names if rules_name(key) in stored}
    return [_answer(rule, {names[key]: told for key, told in found.items()}) for rule in rules]


def _answer(rule: PlacementRule, found: Mapping[str, dict[str, list[int]]]) -> RuleAnswer:
    standing = [RuleStanding(group, *told[rule.name]) for group, told in found.items() if rule.name in told]
    machines = [
        RuleMachine(each.pk, each.name) for each in sorted(rule.machines.all(), key=lambda each: (each.name, each.pk))
    ]
    disks = [RuleDiskNamed(each.pk, each.name) for each in sorted(rule.disks.all(), key=lambda each: each.name)]
    said = sentence(rule, [*(each.name for each in machines), *(each.name for each in disks)])
    shown = (rule.pk, rule.name, rule.number, rule.kind, rule.among, rule.apart_by, rule.label)
    datastore = rule.datastore.name if rule.datastore else ""
    return RuleAnswer(*shown, machines, disks, datastore, rule.until, said, rule.by, rule.at, standing)


def sentence(rule: PlacementRule, names: Sequence[str]) -> str:
    """What a rule says; ``names`` are those of its machines and disks."""
    of = [*([rule.label] if rule.label else []), *names[:NAMES_MAX]]
    more = [f"{len(names) - NAMES_MAX} more"] if len(names) > NAMES_MAX else []
    ends = f" Until {rule.until:%-d %B %Y %H:%M} UTC." if rule.until else ""
    return RULE_KINDS[rule.kind].sentence(rule, f"of {', '.join([*of, *more])}") + ends


def too_many_pairs(rule: PlacementRule) -> str | None:
    """The group in which a rule on machines would have more pairs of disks apart than are looked after."""
    for found in map(known_group, BalanceGroup.objects.order_by("name")):
        if len(rules_within(found, [rule]).splits) >= PAIRS_MAX:
            return found.row.name
    return None


def what_collides(rules: Sequence[PlacementRule], name: str) -> list[str]:
    """What cannot hold because of the rule ``name``, with no more disks named than are in the way."""
    others = [rule for rule in rules if rule.name != name]
    told = []
    for found in map(known_group, BalanceGroup.objects.order_by("name")):
        before = collisions(_under(found, others))
        told += [_collides(each, found) for each in collisions(_under(found, rules)) if each not in before]
    return told


def _under(found: KnownGroup, rules: Sequence[PlacementRule]) -> Group:
    return like_with_like(ruled(found, rules_within(found, rules)), found.kinds)


def _collides(each: Collision, found: KnownGroup) -> str:
    group = found.group
    disks = [group.disks[disk] for disk in each.disks]
    some = ", ".join(disks[:NAMES_MAX]) + (f" and {len(disks) - NAMES_MAX} more" if len(disks) > NAMES_MAX else "")
    if each.sites is None:
        return f"“{each.rules[0]}” and “{each.rules[1]}” contradict each other on {some}."
    if each.sites == 0:
        return f"In {found.row.name} no datastore may have all of {some}."
    between = f"{count_of(each.sites, 'place')} between them for {len(disks)} disks"
    return f"In {found.row.name} {some} have {between}, which “{each.rules[0]}” keeps apart."
