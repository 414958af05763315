"""Core's plans for a group: computed once, by whoever judges it or by a job, stored, and read by all others."""

from __future__ import annotations

import json
from dataclasses import asdict
from functools import partial

from movelot.balance.aims import Aim, Clear, KeptPlan
from movelot.findings.judging import keep, kept
from movelot.inventory.known_groups import KnownGroup, group_version
from movelot.jobs.work import Watch
from movelot_core.solver import Budget

CLEAR = Clear()


def known_plan(found: KnownGroup, aim: Aim = CLEAR) -> KeptPlan | None:
    """The plan for a group as last read, where one was made; a halted one too."""
    stored = kept(aim.kept_as(found.row.pk))
    plan = KeptPlan(**json.loads(stored.document)) if stored else None
    return plan if plan and plan.digest == found.digest and aim.serves(plan) else None


def plan_of(found: KnownGroup, aim: Aim = CLEAR, watch: Watch | None = None) -> KeptPlan:
    """The plan for a group as last read.

    Most readings change paths, names or states, and no plan: what is kept is that of the values it rests on. Where
    these are other ones and nobody has planned since, it is computed here, and ``watch`` told how far it is.
    """
    plan = known_plan(found, aim)
    return plan if plan and not plan.halted else _made(found, aim, watch)


def plan_by_itself(found: KnownGroup, watch: Watch) -> KeptPlan:
    """The plan of what a group moves by itself. Where some disks are moved by people only it is made anew, and kept for
    nobody: others are shown the whole one."""
    if found.by_people:
        return CLEAR.planned(found, _budget(found, CLEAR, watch))
    return plan_of(found, watch=watch)


def _made(found: KnownGroup, aim: Aim, watch: Watch | None) -> KeptPlan:
    plan = aim.planned(found, _budget(found, aim, watch))
    keep(aim.kept_as(found.row.pk), group_version(), asdict(plan))
    return plan


def _budget(found: KnownGroup, aim: Aim, watch: Watch | None) -> Budget:
    """What ``aim`` may take, telling ``watch`` how far it is."""
    return Budget(aim.steps, partial(_told, watch, f"looking for the plan of {found.row.name}") if watch else None)


def _told(watch: Watch, text: str, share: float) -> bool:
    return watch(text, round(100 * share), 100)
