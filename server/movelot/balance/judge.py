"""Judging a group: what is over its ceilings, the plan that clears it, its board, and its slowest pool."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict
from datetime import datetime
from typing import Any

import numpy as np

from movelot.balance.acting import acting_now
from movelot.balance.aims import AIMS, KeptPlan, aim_of
from movelot.balance.board import board_documents, board_name, stacks_name
from movelot.balance.findings.acts_itself import ActsItselfEvidence, ActsItselfKind
from movelot.balance.findings.broken_rule import BrokenRuleEvidence, BrokenRuleKind
from movelot.balance.findings.not_empty import NotEmptyEvidence, NotEmptyKind
from movelot.balance.findings.over_fill import OverFillEvidence, OverFillKind
from movelot.balance.findings.slow_pool import SlowPoolEvidence, SlowPoolKind
from movelot.balance.plans import plan_of
from movelot.balance.rules import rules_name, standing_of
from movelot.findings.base import Found, Subject
from movelot.findings.judging import Judge, keep, kept, let_go
from movelot.inventory.changes import Aspect, Change, tell
from movelot.inventory.known_groups import (
    WEEKDAY,
    GroupFigures,
    KnownGroup,
    figures_name,
    group_version,
    growth_name,
    growth_of,
    hour_name,
    known_group,
)
from movelot.inventory.models import BalanceGroup, PlacementRule
from movelot_core.balance.even import LEAST_GAIN
from movelot_core.rounds import growth_bytes_per_day, over_fill, slow_pools

OVER_FILL, SLOW_POOL, BROKEN_RULE = OverFillKind(), SlowPoolKind(), BrokenRuleKind()
NOT_EMPTY, ACTS_ITSELF = NotEmptyKind(), ActsItselfKind()


class GroupJudge(Judge):
    """One scope a group, by its primary key. Any of its datastores, pools or hosts may touch it."""

    name = "group"
    aspects = frozenset({Aspect.SPACE, Aspect.FABRIC, Aspect.LOAD, Aspect.POLICY, Aspect.SAID})

    def scopes(self) -> set[str]:
        return set(map(str, BalanceGroup.objects.values_list("pk", flat=True)))

    def touched(self, changes: Sequence[Change]) -> set[str]:
        """Of what people said: ceilings, rules, and labels where a rule is of one."""
        said = {change.kind for change in changes if change.aspect is Aspect.SAID}
        by_label = bool(said & {"disk", "machine"}) and PlacementRule.objects.exclude(label="").exists()
        others = any(change.aspect is not Aspect.SAID for change in changes)
        # A group that was retired is judged once more, so that what it found is over.
        groups = {str(change.device) for change in changes if change.aspect is Aspect.SAID and change.kind == "group"}
        return self.scopes() | groups if others or by_label or said & {"rule", "group"} else set()

    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        group = BalanceGroup.objects.filter(pk=scope).first()
        if group is None or not group.datastores.exists():
            let_go(
                board_name(int(scope)),
                stacks_name(int(scope)),
                growth_name(int(scope)),
                *(aim_of(name, LEAST_GAIN).kept_as(int(scope)) for name in AIMS),
                rules_name(int(scope)),
                f"slowest-{scope}",
                figures_name(int(scope)),
            )
            return []
        version = group_version()
        found = known_group(group)
        board, stacks = board_documents(found)
        keep(board_name(group.pk), version, board)
        keep(stacks_name(group.pk), version, stacks)
        _keep_figures(group, version, found)
        plan = plan_of(found)
        keep(f"slowest-{group.pk}", version, _slowest(found))
        history = growth_of(found.store_keys)
        growth = {n: growth_bytes_per_day(*history[key]) for n, key in enumerate(found.store_keys)}
        keep(growth_name(group.pk), version, {found.store_keys[n]: slope for n, slope in growth.items()})
        standing = standing_of(found)
        keep(rules_name(group.pk), version, standing)
        return [
            *_over_fill(found, growth, plan),
            *_slow_pools(found, plan),
            *_broken_rules(found, standing, plan),
            *_not_empty(found, plan),
            *_acts_itself(group, moment),
        ]


def _acts_itself(group: BalanceGroup, moment: datetime) -> Iterable[Found[ActsItselfEvidence]]:
    now = acting_now(group, moment)
    if now is not None:
        evidence = ActsItselfEvidence(group.name, now.way, now.until, group.acts_by, now.held_up)
        yield Found(ACTS_ITSELF, Subject("group", group.pk, group.name), evidence)


def _keep_figures(group: BalanceGroup, version: str, found: KnownGroup) -> None:
    """Keep what others ask of the group; those who judge by its pools' peaks are told where these are other ones."""
    figures, before = GroupFigures.of(found), kept(figures_name(group.pk))
    keep(figures_name(group.pk), version, asdict(figures))
    if before is None or GroupFigures.read(before.document).peak_ms != figures.peak_ms:
        tell([Change(Aspect.PEAKS, "group", group.pk)])


def _over_fill(
    found: KnownGroup, growth: Mapping[int, float | None], plan: KeptPlan
) -> Iterable[Found[OverFillEvidence]]:
    for n, over in over_fill(found.group, found.state, growth).items():
        evidence = OverFillEvidence(
            group=found.row.name,
            fill=over.fill,
            ceiling=over.ceiling,
            over_bytes=over.over_bytes,
            growth_bytes_per_day=over.growth_bytes_per_day,
            runway_days=over.runway_days,
            plan_moves=len(plan.moves),
            plan_bytes=plan.moved_bytes,
        )
        yield Found(OVER_FILL, Subject("datastore", found.store_keys[n], found.group.datastores[n]), evidence)


def _slow_pools(found: KnownGroup, plan: KeptPlan) -> Iterable[Found[SlowPoolEvidence]]:
    for n, slow in slow_pools(found.group, found.state).items():
        hour, day = hour_name(slow.peak_slot)
        evidence = SlowPoolEvidence(
            group=found.row.name,
            peak_ms=slow.peak_ms,
            ceiling_ms=slow.ceiling_ms,
            peak_hour=hour,
            peak_day=day,
            slots_over=slow.slots_over,
            heavy=[found.group.disks[d] for d in slow.heavy_disks],
            heavy_share=slow.heavy_share,
            plan_moves=len(plan.moves),
            plan_bytes=plan.moved_bytes,
        )
        # Two groups may share a pool, and each is over its own ceiling.
        subject = Subject("pool", found.pool_keys[n], found.group.pools[n])
        yield Found(SLOW_POOL, subject, evidence, found.row.name)


def _broken_rules(
    found: KnownGroup, standing: Mapping[str, tuple[int, int]], plan: KeptPlan
) -> Iterable[Found[BrokenRuleEvidence]]:
    for name, (disks, out) in standing.items():
        if out:
            evidence = BrokenRuleEvidence(found.row.name, disks, out, len(plan.moves), plan.moved_bytes)
            yield Found(BROKEN_RULE, Subject("rule", None, name), evidence, found.row.name)


def _not_empty(found: KnownGroup, plan: KeptPlan) -> Iterable[Found[NotEmptyEvidence]]:
    """Datastores that are held empty and hold disks."""
    group = found.group
    for store in sorted({int(group.place[disk]) for disk in found.on_held}):
        there = np.flatnonzero(group.place == store)
        keys = {found.disk_keys[disk] for disk in there}
        leave = sum(disk in keys for disk, _target in plan.moves)
        evidence = NotEmptyEvidence(
            group=found.row.name,
            disks=len(there),
            size_bytes=int(group.size_bytes[there].sum()),
            leave=leave,
            plan_moves=len(plan.moves),
            plan_bytes=plan.moved_bytes,
        )
        yield Found(NOT_EMPTY, Subject("datastore", found.store_keys[store], group.datastores[store]), evidence)


def _slowest(found: KnownGroup) -> dict[str, Any] | None:
    """The pool with the highest peak, by weekday hour; nothing where no pool is known."""
    known = range(found.pools_known)
    slowest = max(known, key=lambda n: float(found.state.peak_ms[n]), default=None)
    if slowest is None:
        return None
    return {
        "id": found.pool_keys[slowest],
        "name": found.group.pools[slowest],
        "peak_ms": float(found.state.peak_ms[slowest]),
        "latency_ms": [round(float(v), 3) for v in found.state.latency_ms[slowest, WEEKDAY]],
        "ceiling_ms": found.row.latency_ceiling_ms,
    }
