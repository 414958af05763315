"""Core's plan that clears a group: computed once by whoever judges it, stored, and read by all others."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass

from movelot.findings.judging import keep, kept
from movelot.inventory.known_groups import KnownGroup, group_version
from movelot_core.balance.clear import clear


@dataclass(frozen=True)
class ClearPlan:
    """The plan with least bytes for a group, whose values ``digest`` tells from any others.

    ``moves`` are [disk, datastore] by their primary keys; no plan reaches as much with less than ``bound_bytes``.
    """

    digest: str
    moves: list[list[int]]
    moved_bytes: int
    bound_bytes: int


def plan_name(group: int) -> str:
    """Under which name the plan of a group is kept."""
    return f"plan-{group}"


def clear_plan(found: KnownGroup) -> ClearPlan:
    """The plan for a group as last read.

    Most readings change paths, names or states, and no plan: what is kept is that of the values it rests on. Where
    these are other ones and nobody has judged the group since, it is computed here.
    """
    stored = kept(plan_name(found.row.pk))
    if stored is not None:
        plan = ClearPlan(**json.loads(stored.document))
        if plan.digest == found.group.digest:
            return plan
    return _made(found)


def _made(found: KnownGroup) -> ClearPlan:
    made = clear(found.group)
    moves = [[found.disk_keys[move.disk], found.store_keys[move.target]] for move in made.moves]
    plan = ClearPlan(found.group.digest, moves, int(made.moved_bytes), int(made.bound_bytes))
    keep(plan_name(found.row.pk), group_version(), asdict(plan))
    return plan
