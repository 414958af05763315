"""All step kinds by name, found in the files of this folder: a kind that is written is registered."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from movelot.lots.steps.base import StepKind
from movelot_core.families import members_in

AnyKind = type[StepKind[Any]]


def _by_name(kinds: Iterable[AnyKind]) -> dict[str, AnyKind]:
    """ValueError for two of one name: each would run steps of the other."""
    found: dict[str, AnyKind] = {}
    for each in kinds:
        if each.kind in found:
            raise ValueError(f"Two step kinds are named {each.kind}: {found[each.kind]} and {each}.")
        found[each.kind] = each
    return found


KINDS = _by_name(members_in(__name__, __path__, StepKind))  # type: ignore[type-abstract]
