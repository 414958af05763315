"""Kinds of rules, each in its own file."""

from __future__ import annotations

from movelot.inventory.rule_kinds.base import RuleKind
from movelot.inventory.rule_kinds.bond import BondKind
from movelot.inventory.rule_kinds.off import OffKind
from movelot.inventory.rule_kinds.people import PeopleKind
from movelot.inventory.rule_kinds.pin import PinKind
from movelot.inventory.rule_kinds.split import SplitKind

RULE_KINDS: dict[str, RuleKind] = {
    kind.name: kind for kind in (SplitKind(), BondKind(), PinKind(), OffKind(), PeopleKind())
}
# For the schema, whose enums have names.
RULE_KIND_NAMES = list(RULE_KINDS)
