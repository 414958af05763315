"""All kinds of rules by name, found in the files of this folder: one that is written is registered."""

from __future__ import annotations

from movelot.inventory.rule_kinds.base import RuleKind
from movelot_core.families import members_in

RULE_KINDS: dict[str, RuleKind] = {
    each.name: each()
    for each in members_in(__name__, __path__, RuleKind)  # type: ignore[type-abstract]
}
# For the schema, whose enums have names.
RULE_KIND_NAMES = list(RULE_KINDS)
