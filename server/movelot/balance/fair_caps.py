"""Lots that cap the disks which make a pool slow, fairly and for a while, until they can move.

Journey: at 10:00 a pool answers in 11 ms and its ceiling is 9; the disks that make it slow cannot move before night.
Today somebody throttles whoever is named first, and forgets it. Here those who ask for most give way, and equally; who
asks for less than that is left alone; everybody sees what the others gain; and after some days the caps go by
themselves.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated

import numpy as np
from pydantic import Field

from movelot.balance.demands import PoolDemands, demands_of
from movelot.balance.drafting import latency_rows
from movelot.balance.limits import DiskLimits, keepers_by_store, limit_facts, limit_rows
from movelot.inventory.known_groups import WEEKDAY, hour_name
from movelot.inventory.models import Pool
from movelot.inventory.placement import stores_on
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.placement.limiting import add_limits, limiting_of
from movelot_core.units import count_of, format_share

DAYS, DAYS_MOST = 7, 90
NAMES_MAX = 5


@dataclass(frozen=True)
class FairCapsForm(LotForm):
    """A pool, and for how many days its disks are capped."""

    pool: int | None = names("pool", None)
    days: Annotated[int, Field(ge=1, le=DAYS_MOST)] = DAYS


@dataclass
class CappedDisk:
    """A disk that gives way: what it asks for at the pool's worst hour, its cap, and the share of that which waits."""

    id: int
    name: str
    machine: str
    asks_iops: float
    cap: int
    waits: float


@dataclass
class FairCapsPlan(LotPlan):
    """Who gives way for how long, and how the pool answers hour by hour on weekdays, before and with the caps."""

    pool_id: int
    pool: str
    ceiling_ms: float
    days: int
    peak_hour: int
    peak_day: str
    peak_ms: float
    capped_ms: float
    left_alone: int
    latency_ms: list[float]
    capped_latency_ms: list[float]
    disks: list[CappedDisk]
    limits: list[DiskLimits] = field(default_factory=list)


class FairCapsKind(LotKind[FairCapsForm, FairCapsPlan]):
    """Caps the disks of a pool that ask for most."""

    name, form, plan = "fair_caps", FairCapsForm, FairCapsPlan

    def drafted(self, form: FairCapsForm, lot: Lot) -> Draft[FairCapsForm, FairCapsPlan]:
        pool = Pool.objects.select_related("device").filter(pk=form.pool).first() if form.pool else None
        if pool is None:
            return Draft("Cap fairly", checks=[Check("pool is known", STOP, "The pool is not there any more.")])
        found = demands_of(pool)
        plan = fair_plan(found, form.days)
        steps = StepPlan()
        plan.limits = _add_caps(steps, found, plan)
        title = f"Cap {count_of(len(plan.disks), 'disk')} on {pool.name} fairly"
        checks = _checks(found, plan)
        return Draft(title, steps, plan, checks, limit_facts(plan.limits), lasts_hours=24 * form.days)

    def outcome(self, lot: Lot, plan: FairCapsPlan) -> list[MeasuredRow]:
        """The caps as they are read back, and how pools answer now beside what their curves say of the load now."""
        stores = stores_on(plan.pool_id)
        return limit_rows(plan.limits) + latency_rows(stores, stores)


def fair_plan(found: PoolDemands, days: int) -> FairCapsPlan:
    """The caps of a pool and what comes of them, as the page shows it."""
    before, after = found.curve.latency_ms(found.asked), found.curve.latency_ms(found.caps.load.sum(axis=0))
    hour = found.worst_hour
    at, day = hour_name(hour)
    asked = found.load[:, hour]
    waits = 1 - np.divide(found.caps.load[:, hour], asked, out=np.ones_like(asked), where=asked > 0)
    capped = np.flatnonzero(np.isfinite(found.caps.cap_iops))
    order = capped[np.lexsort((capped, -waits[capped]))]
    return FairCapsPlan(
        pool_id=found.pool.pk,
        pool=found.pool.name,
        ceiling_ms=found.ceiling_ms,
        days=days,
        peak_hour=at,
        peak_day=day,
        peak_ms=float(before[hour]),
        capped_ms=float(after.max()),
        left_alone=len(found.disks) - len(capped),
        latency_ms=[round(float(value), 3) for value in before[WEEKDAY]],
        capped_latency_ms=[round(float(value), 3) for value in after[WEEKDAY]],
        disks=[_capped(found, int(n), hour, float(waits[n])) for n in order],
    )


def _capped(found: PoolDemands, n: int, hour: int, waits: float) -> CappedDisk:
    disk = found.disks[n]
    asks, cap = float(found.iops[n, hour]), int(found.caps.cap_iops[n])
    return CappedDisk(disk.pk, disk.name, disk.machine.name, asks, cap, waits)


def _add_caps(steps: StepPlan, found: PoolDemands, plan: FairCapsPlan) -> list[DiskLimits]:
    """Set each cap by whoever keeps it; what a disk is guaranteed stays."""
    keepers, told = keepers_by_store(), []
    disks = {disk.pk: disk for disk in found.disks}
    for each in plan.disks:
        disk = disks[each.id]
        keeper = keepers.get(disk.datastore.pk, "") if disk.datastore else ""
        limiting = limiting_of(disk, keeper, (each.cap, disk.floor_iops or 0))
        add_limits(steps, limiting)
        told.append(DiskLimits(disk.identity, disk.name, *limiting.before, *limiting.wanted))
    return told


def _checks(found: PoolDemands, plan: FairCapsPlan) -> list[Check]:
    pool, ceiling = found.pool.name, f"{found.ceiling_ms:g} ms"
    if not plan.disks:
        if plan.peak_ms <= found.ceiling_ms:
            peak = f"{plan.peak_ms:.1f} ms at its slowest hour"
            text = f"{pool} answers in {peak}, within {ceiling}: nobody has to give way."
        else:
            text = f"No disk of {pool} that can be capped asks for more than its floor: caps would not help."
        return [Check("somebody has to give way", STOP, text)]
    worst = max(plan.disks, key=lambda each: each.waits)
    checks = [
        Check(
            "what waits",
            WARN,
            f"at {plan.peak_hour:02}:00 {worst.name} asks for {worst.asks_iops:,.0f} IOPS and gets {worst.cap:,}: "
            f"{format_share(worst.waits)} of it waits, which its machine feels.",
        ),
        Check("others are left alone", PASS, count_of(plan.left_alone, "disk is left alone", "disks are left alone")),
        Check("caps go by themselves", PASS, f"{count_of(plan.days, 'day')} after the lot it is undone by itself"),
    ]
    over = found.hours_over(found.caps.load.sum(axis=0))
    if over:
        why = "floors, and disks that nobody can cap, take it"
        return [
            *checks,
            Check("ceiling holds", WARN, f"{pool} stays over {ceiling} at {count_of(over, 'hour')}: {why}."),
        ]
    answers = f"{plan.capped_ms:.1f} ms at its slowest hour instead of {plan.peak_ms:.1f}"
    return [*checks, Check("ceiling holds", PASS, f"{pool} answers in {answers}, within {ceiling}")]
