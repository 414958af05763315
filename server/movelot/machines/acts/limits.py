"""Lots that cap what disks may ask, and guarantee them some: by the array where it can, else by the host.

The effect is measured: what each disk gets, and how its pool answers, before the lot and after.
"""

from __future__ import annotations

import logging
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from django.core.cache import cache

from movelot.devices.errors import DeviceError
from movelot.devices.reading import latency_now, load_now
from movelot.inventory.curves import curve_of
from movelot.inventory.models import BalanceGroup, Capability, Disk, Pool, Volume
from movelot.inventory.placement import pools_by_store, stores_on
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.fields import FieldProblem, read_field
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.limits import limits_said
from movelot.placement.limiting import add_limits, limiting_of
from movelot.placement.new_disks import peak_iops, usual_load
from movelot_core.errors import SizeError
from movelot_core.units import count_of

log = logging.getLogger(__name__)
DISKS_MAX = 200
MOST = 10_000_000
KEPT_SECONDS = 86400
# Of a pool that lies in no group.
USUAL_CEILING_MS = 9.0


@dataclass(frozen=True)
class LimitsForm(LotForm):
    """Disks by their primary keys, and limits in IOPS as typed; an empty one is none."""

    disks: list[int] = field(default_factory=list)
    cap: str = ""
    floor: str = ""


@dataclass
class LimitedDisk:
    """A disk by identity: who enforces its limits, these before and wanted, and what it gets now, if that was asked."""

    identity: str
    name: str
    host: str
    by: str
    pool_id: int | None
    pool: str
    cap_before: int
    floor_before: int
    iops_now: float | None


@dataclass
class LimitsPlan(LotPlan):
    """What is wanted of which disks, what they get for a short time (``burst``), and how pools answer before."""

    cap: int
    floor: int
    burst: int
    disks: list[LimitedDisk]
    latency_ms: dict[str, float] = field(default_factory=dict)


class LimitsKind(LotKind[LimitsForm, LimitsPlan]):
    """Caps disks, and guarantees them some where their array can."""

    name, form, plan = "limits", LimitsForm, LimitsPlan

    def ask_first(self, lot: Lot) -> None:
        """What disks get and how pools answer, right before."""
        disks = _chosen(self.form_of(lot).disks)
        loads, latencies = _measured(disks)
        cache.set(f"limits-before-{lot.pk}", (loads, latencies), KEPT_SECONDS)

    def drafted(self, form: LimitsForm, lot: Lot) -> Draft[LimitsForm, LimitsPlan]:
        disks = _chosen(form.disks)
        problems: list[FieldProblem] = []
        cap = read_field(problems, "cap", form.cap, _iops) or 0
        floor = read_field(problems, "floor", form.floor, _iops) or 0
        title = _title(disks, cap, floor)
        checks = [Check(f"{each.field} is usable", STOP, f"{each.message} {each.hint}") for each in problems]
        if not disks or problems:
            none = Check("disks are chosen", STOP, "None of them is there any more, or all are raw volumes.")
            return Draft(title, checks=checks or [none])
        loads, latencies = cache.get(f"limits-before-{lot.pk}", ({}, {}))
        beneath = _Beneath(disks)
        rows = [_limited(disk, beneath, loads) for disk in disks]
        plan = LimitsPlan(cap, floor, int(cap * beneath.burst), rows, latencies)
        changed = [n for n, row in enumerate(rows) if (row.cap_before, row.floor_before) != (cap, floor)]
        checks = _checks(plan, disks, bool(changed))
        steps = StepPlan()
        if not any(check.level == STOP for check in checks):
            for n in changed:
                _add_steps(steps, disks[n], plan, beneath.members.get(disks[n].identity))
        facts = {f"limits of {row.name}": limits_said(row.cap_before, row.floor_before) for row in rows}
        return Draft(title, steps, plan, checks, facts)

    def outcome(self, lot: Lot, plan: LimitsPlan) -> list[MeasuredRow]:
        """What each disk gets, and how each pool answers, before and now."""
        keys = Disk.objects.filter(identity__in=[each.identity for each in plan.disks]).values_list("pk", flat=True)
        loads, latencies = _measured(_chosen(keys))
        rows = []
        for each in plan.disks:
            now = loads.get(each.identity)
            wanted = None if each.iops_now is None else min(each.iops_now, plan.cap or each.iops_now)
            before, after, measured = map(_whole, (each.iops_now, wanted, now))
            rows.append(MeasuredRow("disk", each.name, "IOPS", before, after, measured, f"kept to it by {each.by}"))
        return rows + [
            MeasuredRow("pool", pool, "latency", plan.latency_ms.get(pool), None, latencies.get(pool))
            for pool in sorted({each.pool for each in plan.disks if each.pool})
        ]


def _whole(value: float | None) -> float | None:
    return None if value is None else float(round(value))


def _iops(text: str) -> int:
    if not text.strip().isdecimal() or not 1 <= int(text) <= MOST:
        raise SizeError("iops_unusable", f"“{text.strip()}” is not a whole number of IOPS.", "Write it as 400.")
    return int(text)


def _title(disks: Sequence[Disk], cap: int, floor: int) -> str:
    named = disks[0].name if len(disks) == 1 else count_of(len(disks), "disk")
    return f"Limit {named}: {limits_said(cap, floor)}"


def _chosen(keys: Iterable[int]) -> list[Disk]:
    rows = Disk.objects.filter(pk__in=list(keys)[:DISKS_MAX], placement__isnull=False, raw_serial="")
    rows = rows.select_related("machine__placement__host", "placement__datastore")
    return list(rows.order_by("name", "pk"))


def _measured(disks: Sequence[Disk]) -> tuple[dict[str, float], dict[str, float]]:
    """IOPS that each disk gets now, by identity, and the latency of their pools, by name. Asks the devices."""
    loads: dict[str, float] = {}
    for host in {disk.machine.host for disk in disks}:
        try:
            loads |= {sample.identity: sample.read_iops + sample.write_iops for sample in load_now(host)}
        except DeviceError as away:
            log.warning("what disks get is not measured on %s: %s", host.name, away.message)
    pools = _pools(disks)
    latencies: dict[str, float] = {}
    for array in {pool.device for pool in pools.values()}:
        try:
            told = latency_now(array)
        except DeviceError as away:
            log.warning("latency is not measured on %s: %s", array.name, away.message)
            continue
        latencies |= {pool.name: told[pool.pk] for pool in pools.values() if pool.pk in told}
    return loads, latencies


def _pools(disks: Sequence[Disk]) -> dict[int, Pool]:
    """The pools beneath the disks, by the primary key of their datastore."""
    beneath = pools_by_store()
    stores = {disk.datastore.pk for disk in disks if disk.datastore}
    pools = Pool.objects.select_related("device").in_bulk([beneath[key] for key in stores if key in beneath])
    return {store: pools[beneath[store]] for store in stores if beneath.get(store) in pools}


class _Beneath:
    """What lies beneath disks: their pools by datastore, and by identity their own volumes on volume sets."""

    def __init__(self, disks: Sequence[Disk]) -> None:
        self.pools = _pools(disks)
        rows = Volume.objects.filter(
            kind=Volume.Kind.MEMBER, purpose="disk", disk_identity__in=[d.identity for d in disks]
        )
        self.members = {row.disk_identity: row for row in rows.select_related("device")}
        self.count = len(disks)

    def __repr__(self) -> str:
        return f"<_Beneath {self.count} disks>"

    @property
    def burst(self) -> float:
        """The least factor by which those who enforce a cap let a disk go over it for a short time; hosts let none."""
        factors = [member.device.burst_factor for member in self.members.values()]
        return min(factors) if len(factors) == self.count else 1.0


def _limited(disk: Disk, beneath: _Beneath, loads: dict[str, float]) -> LimitedDisk:
    member = beneath.members.get(disk.identity)
    pool = beneath.pools.get(disk.datastore.pk if disk.datastore else 0)
    host = disk.machine.host.name
    return LimitedDisk(
        disk.identity,
        disk.name,
        host,
        member.device.name if member else host,
        pool.pk if pool else None,
        pool.name if pool else "",
        disk.cap_iops or 0,
        disk.floor_iops or 0,
        loads.get(disk.identity),
    )


def _checks(plan: LimitsPlan, disks: Sequence[Disk], changed: bool) -> list[Check]:
    if plan.floor and plan.cap and plan.floor > plan.cap:
        text = f"The floor of {plan.floor:,} IOPS is above the cap of {plan.cap:,}."
        return [Check("floor is below the cap", STOP, text)]
    if not changed:
        return [Check("something to change", STOP, f"They have {limits_said(plan.cap, plan.floor)} already.")]
    untold = [disk.name for disk in disks if disk.cap_iops is None]
    if untold:
        text = f"Their host tells no limits of {', '.join(untold[:5])}: it cannot cap a disk."
        return [Check("limits can be set", STOP, text)]
    checks = _floor_checks(plan)
    by = ", ".join(sorted({row.by for row in plan.disks}))
    burst = f"; for a short time {plan.burst:,} IOPS" if plan.burst > plan.cap else ""
    checks.append(Check("who keeps them to it", PASS, f"{by}{burst}"))
    held = [disk for disk in disks if plan.cap and peak_iops(disk) > plan.cap]
    if held:
        worst = max(held, key=peak_iops)
        text = f"{worst.name} asks {peak_iops(worst):,.0f} IOPS in its busiest hour: what is over {plan.cap:,} waits."
        checks.append(Check("what waits", WARN, text))
    return checks


def _floor_checks(plan: LimitsPlan) -> list[Check]:
    """Floors only where the array guarantees them, and no more of them than a pool carries within its ceiling."""
    if not plan.floor:
        return []
    without = [row.name for row in plan.disks if row.by == row.host]
    if without:
        able = Capability.objects.filter(code="guaranteed_iops", able=True).order_by("device__name")
        arrays = ", ".join(able.values_list("device__name", flat=True)) or "no linked array"
        text = f"Nobody guarantees IOPS to {', '.join(without[:5])}: {arrays} does, on volume sets."
        return [Check("floor is guaranteed", STOP, text)]
    return [_carried(plan, pool) for pool in sorted({row.pool_id for row in plan.disks if row.pool_id is not None})]


def _carried(plan: LimitsPlan, key: int) -> Check:
    pool = Pool.objects.get(pk=key)
    mine = {row.identity for row in plan.disks if row.pool_id == key}
    beneath = stores_on(key)
    others = Disk.objects.filter(placement__datastore__in=beneath, floor_iops__gt=0).exclude(identity__in=mine)
    total = sum(floor or 0 for floor in others.values_list("floor_iops", flat=True)) + plan.floor * len(mine)
    group = BalanceGroup.objects.filter(datastores__in=beneath).order_by("latency_ceiling_ms").first()
    ceiling = group.latency_ceiling_ms if group else USUAL_CEILING_MS
    curve = curve_of(pool)
    allowed = curve.bearable(ceiling)
    asked = usual_load(float(total), curve)
    carries = int(total * allowed / asked) if asked else 0
    if asked > allowed:
        text = (
            f"The floors on {pool.name} would add up to {total:,} IOPS; within {ceiling:g} ms it carries {carries:,}."
        )
        return Check("pool carries its floors", STOP, text)
    return Check("pool carries its floors", PASS, f"{total:,} of {carries:,} IOPS of {pool.name} are guaranteed")


def _add_steps(steps: StepPlan, disk: Disk, plan: LimitsPlan, member: Volume | None) -> None:
    add_limits(steps, limiting_of(disk, member.device.name if member else "", (plan.cap, plan.floor)))
