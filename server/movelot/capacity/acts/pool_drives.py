"""Lots that make a pool larger by drives of its array that belong to no pool yet.

Worked example: a pool of 24 TiB has 24 drives of 1.33 TiB in RAID groups of eight with two for parity, so that three
quarters of them hold data. Six more give 6 TiB at that share, and 8 where no further parity is needed.
"""

from __future__ import annotations

from dataclasses import dataclass

from movelot.inventory.models import Pool
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.pools import AddDrives
from movelot_core.units import count_of, format_size

IN_USE = "in use"


@dataclass(frozen=True)
class PoolDrivesForm(LotForm):
    """A pool by its primary key, and how many drives it gets."""

    pool: int | None = names("pool", None)
    drives: int = 0


@dataclass
class PoolDrivesPlan(LotPlan):
    """The pool before and after; it gets from ``least_bytes`` to ``most_bytes``, as its array lays parity."""

    pool: int
    name: str
    before: int
    drives: int
    capacity_bytes: int
    least_bytes: int
    most_bytes: int


class PoolDrivesKind(LotKind[PoolDrivesForm, PoolDrivesPlan]):
    """Makes a pool larger by drives."""

    name, form, plan = "grow_pool", PoolDrivesForm, PoolDrivesPlan

    def drafted(self, form: PoolDrivesForm, lot: Lot) -> Draft[PoolDrivesForm, PoolDrivesPlan]:
        pool = Pool.objects.filter(pk=form.pool or 0).select_related("device").first()
        if pool is None:
            return Draft("Grow a pool", checks=[Check("pool is known", STOP, "No array lists it any more.")])
        title = f"Grow {pool.name} by {count_of(form.drives, 'drive')}"
        wrong = _wrong(pool, form.drives)
        if wrong:
            return Draft(title, checks=[Check("drives can be added", STOP, wrong)])
        least, most = added_bytes(pool, form.drives)
        total = pool.drives + form.drives
        sizes = pool.capacity_bytes, least, most
        plan = PoolDrivesPlan(pool.pk, pool.name, pool.drives, total, *sizes)
        steps = StepPlan()
        add = AddDrives(uri=pool.uri, name=pool.name, before=pool.drives, drives=total)
        detail = f"{pool.drives} → {total} drives; nothing takes them out again"
        steps.add(add.on(pool.device.name, title, detail))
        left = pool.addable_drives - form.drives
        text = f"{count_of(pool.addable_drives, 'drive')} of {pool.device.name} belong to no pool; {left} are left"
        gain = f"from {format_size(least)} to {format_size(most)} more, as {pool.device.name} lays parity"
        once = "A drive that is in a pool has data on it: this cannot be undone."
        checks = [
            Check("drives can be added", PASS, text),
            Check("what it gets", PASS, gain),
            Check("it is meant", WARN, once),
        ]
        return Draft(title, steps, plan, checks, {f"drives of {pool.name}": str(pool.drives)})

    def outcome(self, lot: Lot, plan: PoolDrivesPlan) -> list[MeasuredRow]:
        """Its drives, and its capacity beside the least that was foreseen."""
        pool = Pool.objects.filter(pk=plan.pool).first()
        drives, capacity = (pool.drives, pool.capacity_bytes) if pool else (None, None)
        least = plan.capacity_bytes + plan.least_bytes
        note = f"foreseen at least; at most {format_size(plan.capacity_bytes + plan.most_bytes)}"
        return [
            MeasuredRow("pool", plan.name, "drives", plan.before, plan.drives, drives),
            MeasuredRow("pool", plan.name, "capacity in bytes", plan.capacity_bytes, least, capacity, note),
        ]


def added_bytes(pool: Pool, drives: int) -> tuple[int, int]:
    """What so many drives more give a pool at least, by the share of its drives that holds data now, and at most."""
    each = next((size for _media, size, state, _count in reversed(pool.drive_sets) if state == IN_USE), 0)
    each = each or pool.capacity_bytes // max(1, pool.drives)
    share = min(1.0, pool.capacity_bytes / max(1, each * pool.drives))
    return int(drives * each * share), drives * each


def _wrong(pool: Pool, drives: int) -> str:
    if not pool.addable_drives:
        return f"{pool.device.name} tells of no drive that could join {pool.name}."
    if not 1 <= drives <= pool.addable_drives:
        return f"Choose 1 to {pool.addable_drives}: so many drives of {pool.device.name} can join {pool.name}."
    return ""
