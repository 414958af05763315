"""Lots that compress and deduplicate volumes, or have them grow back.

Worked example: sand-03 holds 4.25 TiB: 1.8 of zeros, and 2.45 that 68 desktops wrote, most of it the same. Deduplicated
1.3 TiB are expected to be left; 2.95 return to the pool. Undone, these have to be free in the pool again.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from django.utils.timezone import now

from movelot.capacity.acts.block_pace import pool_pace
from movelot.capacity.estimates import REDUCIBLE, Foreseen, foreseen
from movelot.inventory.models import Pool, Volume
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.block_work import ReduceVolume, ways_said
from movelot_core.units import count_of, format_size

VOLUMES_MAX = 100


@dataclass(frozen=True)
class ReduceForm(LotForm):
    """Volumes by their primary keys, and the ways in which their data is reduced then: none grows them back."""

    volumes: list[int] = field(default_factory=list)
    ways: list[str] = field(default_factory=list)


@dataclass
class ReducedVolume:
    """A volume: the ways in which it is reduced before, what it holds and what that saves it."""

    serial: str
    name: str
    before: list[str]
    held_bytes: int
    saved_bytes: int


@dataclass
class ReducePlan(LotPlan):
    """What is reduced in which ways, and what is expected to be left of all; null where nobody estimated it."""

    pool: str
    ways: list[str]
    volumes: list[ReducedVolume]
    left_bytes: int | None
    error_bytes: int | None


class ReduceKind(LotKind[ReduceForm, ReducePlan]):
    """Switches compression and deduplication of volumes on and off; machines run on."""

    name, form, plan = "reduce", ReduceForm, ReducePlan

    def drafted(self, form: ReduceForm, lot: Lot) -> Draft[ReduceForm, ReducePlan]:
        rows = Volume.objects.filter(pk__in=form.volumes[:VOLUMES_MAX]).select_related("pool__device", "device")
        chosen = list(rows.order_by("name", "pk"))
        pools = {volume.pool for volume in chosen}
        what = chosen[0].name if len(chosen) == 1 else count_of(len(chosen), "volume")
        title = f"Reduce {what} by {ways_said(form.ways)}" if form.ways else f"Have {what} grow back"
        if len(pools) != 1:
            text = "Choose volumes of one pool." if pools else "Choose volumes that are there."
            return Draft(title, checks=[Check("volumes are of one pool", STOP, text)])
        (pool,) = pools
        checks = list(_refused(chosen, pool, form.ways))
        turned = [volume for volume in chosen if sorted(volume.reduced) != sorted(form.ways)]
        if not turned and not checks:
            checks.append(Check("something changes", STOP, f"They are reduced by {ways_said(form.ways)} already."))
        if checks:
            return Draft(title, checks=checks)
        expected = foreseen(pool.pk, [volume.serial for volume in turned], form.ways) if form.ways else None
        plan = _plan(pool, turned, form.ways, expected)
        checks += _room_checks(pool, plan, expected)
        logical = sum(each.held_bytes + each.saved_bytes for each in plan.volumes)
        pace = pool_pace(pool, "reduced", logical, now())
        steps = StepPlan()
        if not any(check.level == STOP for check in checks):
            _add_steps(steps, turned, plan, pace.bytes_per_second)
        facts = {f"held by {each.name}": format_size(each.held_bytes) for each in plan.volumes}
        return Draft(title, steps, plan, [*checks, pace.check], facts)

    def outcome(self, lot: Lot, plan: ReducePlan) -> list[MeasuredRow]:
        """What each volume holds and all of them hold, beside what was expected of all."""
        rows = Volume.objects.filter(serial__in=[each.serial for each in plan.volumes])
        held = dict(rows.values_list("serial", "allocated_bytes"))
        single = len(plan.volumes) == 1
        note = f"± {format_size(2 * plan.error_bytes)}, 95 % sure" if plan.error_bytes else ""
        found = [
            MeasuredRow(
                "volume",
                each.name,
                "held in bytes",
                each.held_bytes,
                plan.left_bytes if single else None,
                held.get(each.serial),
                note if single else "",
            )
            for each in plan.volumes
        ]
        if not single and len(held) == len(plan.volumes):
            before = sum(each.held_bytes for each in plan.volumes)
            found.append(
                MeasuredRow(
                    "pool", plan.pool, "held by them in bytes", before, plan.left_bytes, sum(held.values()), note
                )
            )
        return found


def _refused(chosen: Sequence[Volume], pool: Pool, ways: Sequence[str]) -> Iterator[Check]:
    for way in sorted(set(ways) - set(pool.reduces)):
        can = " and ".join(sorted(pool.reduces)) or "neither compression nor deduplication"
        yield Check(f"{pool.name} can do it", STOP, f"{pool.name} has no {way}; it can do {can}.")
    own = set(Volume.objects.filter(REDUCIBLE, pk__in=[volume.pk for volume in chosen]).values_list("pk", flat=True))
    for volume in chosen:
        if volume.pk not in own:
            text = f"{volume.name} is reduced by the volumes of its disks."
            yield Check(f"{volume.name} can be reduced", STOP, text)
        elif not volume.thin:
            text = f"{volume.name} is thick: it keeps all of its blocks, whatever they hold."
            yield Check(f"{volume.name} can be reduced", STOP, text)


def _plan(pool: Pool, turned: Sequence[Volume], ways: list[str], expected: Foreseen | None) -> ReducePlan:
    volumes = [
        ReducedVolume(volume.serial, volume.name, volume.reduced, volume.allocated_bytes, volume.reduced_bytes or 0)
        for volume in turned
    ]
    if not ways:
        # All comes back that was saved.
        return ReducePlan(pool.name, ways, volumes, sum(each.held_bytes + each.saved_bytes for each in volumes), 0)
    left, error = (expected.left_bytes, expected.error_bytes) if expected else (None, None)
    return ReducePlan(pool.name, ways, volumes, left, error)


def _room_checks(pool: Pool, plan: ReducePlan, expected: Foreseen | None) -> Iterator[Check]:
    """What comes back or is needed, and whether it could be taken back."""
    free = pool.capacity_bytes - pool.allocated_bytes
    held = sum(each.held_bytes for each in plan.volumes)
    if plan.left_bytes is None:
        text = "Nobody has estimated what this saves: estimate it first, which changes nothing."
        yield Check("what it saves", WARN, text)
        return
    if not plan.ways:
        needed = plan.left_bytes - held
        text = f"{format_size(needed)} are needed, and {pool.name} has {format_size(max(0, free))} free."
        yield Check(f"room of {pool.name}", PASS if needed <= free else STOP, text)
        return
    saved = held - plan.left_bytes
    said = f"{format_size(plan.left_bytes)} of {format_size(held)} are expected to be left"
    said += f", give or take {format_size(2 * (plan.error_bytes or 0))}"
    if expected is not None and expected.apart:
        said += "; they were not sampled together, so that it may be less"
    level = PASS if saved > 2 * (plan.error_bytes or 0) else WARN
    yield Check("what it saves", level, f"{said}. {_saved_said(saved)}")
    if saved > 0:
        text = f"To take it back {format_size(saved)} have to be free: {pool.name} has {format_size(free + saved)} then"
        yield Check("it can be taken back", PASS, f"{text}, as long as nothing else takes them")


def _saved_said(saved: int) -> str:
    return f"{format_size(saved)} come back" if saved > 0 else "Nothing comes back"


def _add_steps(steps: StepPlan, turned: Sequence[Volume], plan: ReducePlan, bytes_per_second: float) -> None:
    """One volume after the other, so that the pace is that of one."""
    before: list[AnyHandle] = []
    for volume, planned in zip(turned, plan.volumes, strict=True):
        size = planned.held_bytes + planned.saved_bytes
        step = ReduceVolume(
            uri=volume.uri,
            name=volume.name,
            serial=volume.serial,
            before=planned.before,
            wanted=plan.ways,
            size_bytes=size,
            bytes_per_second=bytes_per_second,
        )
        title = f"Reduce {volume.name} by {ways_said(plan.ways)}" if plan.ways else f"Have {volume.name} grow back"
        detail = f"{format_size(size)} are gone through on {volume.device.name}; machines run on"
        seconds = size / bytes_per_second
        before = [steps.add(step.on(volume.device.name, title, detail, seconds=seconds), before)]
