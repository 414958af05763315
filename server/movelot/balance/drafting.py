"""Balance lots: moves of disks, checked against every Must, measured afterwards beside the prediction."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field, replace
from typing import Annotated

import numpy as np
from django.utils.timezone import now
from pydantic import Field

from movelot.balance.aims import Aim, AimName, aim_of
from movelot.balance.limits import LimitRequest, add_all_limits, limit_facts, limit_rows, limits_title
from movelot.balance.planning import BalancePlan, MoveRequest, moves_of, plan_with, shown
from movelot.balance.plans import known_plan, plan_of
from movelot.devices.errors import DeviceError
from movelot.devices.reading import latency_now, load_now
from movelot.inventory.curves import curve_of
from movelot.inventory.known_groups import KnownGroup, known_group
from movelot.inventory.models import BalanceGroup, Datastore, Device, Disk, Extent, Pool, Volume
from movelot.jobs.work import Watch
from movelot.lots.documents import LotForm, names
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.placement.copies import add_copies, too_loud
from movelot.placement.still import still_now
from movelot_core.balance.even import LEAST_GAIN
from movelot_core.balance.exact import fits
from movelot_core.balance.order import OrderedMove
from movelot_core.latency import features, load
from movelot_core.units import count_of

# More points than there are: nothing is worth it.
GAIN_MOST = 10_000.0


@dataclass(frozen=True)
class BalanceForm(LotForm):
    """A group, and the moves wanted in it; without any the plan of core for that aim is taken.

    ``least_gain``: evening out goes on while a TiB moved lowers the highest fill and load by so many points.
    ``limits`` are set beside, each once its disk has moved. No more than ``at_once`` copies run side by side.
    """

    group: str = names("group")
    aim: AimName = "clear"
    least_gain: Annotated[float, Field(gt=0, le=GAIN_MOST)] = LEAST_GAIN
    moves: list[MoveRequest] | None = None
    limits: list[LimitRequest] = field(default_factory=list)
    at_once: Annotated[int, Field(ge=1, le=64)] | None = None

    @property
    def aimed(self) -> Aim:
        """What is wanted of the group."""
        return aim_of(self.aim, self.least_gain)


class BalanceKind(LotKind[BalanceForm, BalancePlan]):
    """Moves of disks within a group."""

    name, form, plan = "balance", BalanceForm, BalancePlan
    drafted_by_job = True

    def computed(self, form: BalanceForm, watch: Watch) -> BalanceForm:
        group = BalanceGroup.named(form.group)
        if group is None or form.moves is not None:
            return form
        return replace(form, moves=moves_of(plan_of(known_group(group), form.aimed, watch)))

    def drafted(self, form: BalanceForm, lot: Lot) -> Draft[BalanceForm, BalancePlan]:
        group = BalanceGroup.named(form.group)
        if group is None:
            check = Check("group is known", STOP, f"There is no group “{form.group}”.")
            return Draft("Balance", checks=[check])
        found = known_group(group)
        known = known_plan(found, form.aimed)
        # A large group is planned by its judge and by jobs: who changes a move does not wait for that.
        if known is None and (form.moves is None or fits(found.trading)):
            known = plan_of(found, form.aimed)
        moves = moves_of(known) if known and form.moves is None else form.moves or []
        plan, ordered, impossible = plan_with(found, moves, known.bound_bytes if known else 0, form.at_once)
        planned = known is not None and moves == moves_of(known)
        view = shown(found, plan, ordered, impossible)
        if known and planned:
            view.remarks = form.aimed.remarks(known)
        over = [found.group.datastores[s] for s in np.flatnonzero(plan.before.over_fill)]
        over += [found.group.pools[p] for p in np.flatnonzero(plan.before.over_latency.any(axis=1))]
        aimed = form.aimed.title(over, found.row.name) if planned and ordered else None
        title = _emptying(found, aimed) if planned and ordered else ""
        title = title or aimed or _by_hand(found, ordered)
        checks = _checks(found, view.clears, view.needed, ordered, impossible)
        checks += [Check("clears every ceiling", WARN, text) for text in view.unresolved]
        checks += [
            Check(
                "prediction within what was measured",
                WARN,
                f"{found.group.pools[n]} would carry more load than was ever measured; "
                f"its {pool.peak_ms:.1f} ms is extrapolated.",
            )
            for n, pool in enumerate(view.pools)
            if pool.extrapolated and any(found.group.pool_of[step.move.target] == n for step in ordered)
        ]
        checks += still_now(group) if ordered else []
        complete = replace(form, moves=moves)
        steps = StepPlan()
        handles = add_copies(steps, found, ordered, form.at_once)
        view.limits = add_all_limits(steps, form.limits, found, ordered, handles)
        if view.limits:
            title = f"{title} and limit {count_of(len(view.limits), 'disk')}" if ordered else limits_title(view.limits)
            checks.append(Check("limits", PASS, f"{count_of(len(view.limits), 'disk')} get what the policy asks"))
        return Draft(title, steps, view, checks, _facts(found, ordered) | limit_facts(view.limits), complete)

    def outcome(self, lot: Lot, plan: BalancePlan) -> list[MeasuredRow]:
        """Fill and latency measured now beside what was predicted for them."""
        # By what the plan was for: its group may be another one by now, or retired.
        stores = {store.pk: store for store in Datastore.objects.filter(pk__in=[after.id for after in plan.datastores])}
        ends = {end for move in plan.moves for end in (move.source, move.target)}
        rows = []
        for after in plan.datastores:
            store = stores.get(after.id)
            if store:
                fill = 1 - store.free_bytes / store.capacity_bytes
                before = _share(lot.facts.get(f"fill of {store.name}"))
                note = "measured by the last reading"
                touched = store.pk in ends
                rows.append(MeasuredRow("datastore", store.name, "fill", before, after.fill, fill, note, touched))
        return rows + limit_rows(plan.limits) + latency_rows(ends, stores)


def _emptying(found: KnownGroup, aimed: str | None) -> str:
    """The title of a plan that empties what is held empty; none where nothing lies there."""
    there = sorted({found.group.datastores[found.group.place[disk]] for disk in found.on_held})
    if not there:
        return ""
    empties = f"Empty {' and '.join(there[:3])}"
    return f"{empties}, {aimed[0].lower()}{aimed[1:]}" if aimed else empties


def _by_hand(found: KnownGroup, ordered: Sequence[OrderedMove]) -> str:
    """The title of moves that people chose: what they do, not what a plan would."""
    if len(ordered) == 1:
        move = ordered[0].move
        return f"Move {found.group.disks[move.disk]} to {found.group.datastores[move.target]}"
    return f"Move {len(ordered)} disks in {found.row.name}" if ordered else f"Balance {found.row.name}"


def _share(text: str | None) -> float | None:
    """A fill as facts tell it."""
    return float(text.rstrip("%")) / 100 if text else None


def latency_rows(ends: Collection[int], stores: Collection[int]) -> list[MeasuredRow]:
    """Each pool's latency now, beside what its curve predicts for the load its disks have now.

    Of the hosts that mount ``stores``, by id; the pools of the datastores ``ends`` are touched.
    """
    try:
        measured = {
            key: ms
            for array in Device.objects.filter(kind=Device.Kind.ARRAY, state="linked")
            for key, ms in latency_now(array).items()
        }
        loads = {
            s.identity: s
            for host in Device.objects.filter(
                cluster__devices__mounts__datastore__in=stores, state="linked", kind=Device.Kind.HOST
            ).distinct()
            for s in load_now(host)
        }
    except DeviceError as error:
        return [MeasuredRow("pool", "", "latency", None, None, None, f"not measured: {error.message}")]
    serials = Extent.objects.filter(datastore__in=ends).values("serial")
    touched = set(Volume.objects.filter(serial__in=serials).values_list("pool", flat=True))
    rows = []
    for pool in Pool.objects.filter(pk__in=measured, volumes__in=Volume.objects.all()).distinct().order_by("name"):
        disks = Disk.objects.filter(
            placement__datastore__extents__serial__in=pool.volumes.values("serial")
        ).values_list("identity", flat=True)
        there = [loads[identity] for identity in disks if identity in loads]
        sums = features(
            *(np.array([getattr(s, name) for s in there], dtype=float) for name in ("read_iops", "write_iops", "kib"))
        )
        x = float(load(sums.sum(axis=1), curve_of(pool)))
        note = f"at {now():%H:%M} UTC, for the load of that minute; the peak hour is measured as it comes"
        rows.append(
            MeasuredRow(
                "pool",
                pool.name,
                "latency",
                None,
                float(curve_of(pool).latency_ms(x)),
                measured[pool.pk],
                note,
                pool.pk in touched,
            )
        )
    return rows


def _checks(
    found: KnownGroup, clears: bool, needed: bool, ordered: list[OrderedMove], impossible: list[str]
) -> list[Check]:
    checks = [Check("keeps every Must", STOP, text) for text in impossible]
    if ordered and not impossible:
        checks.append(Check("space", PASS, "no datastore goes over its fill ceiling that was under it"))
        checks.append(Check("latency", PASS, "no pool goes over its latency ceiling at any hour that was under it"))
        checks.append(Check("reach", PASS, "every target is mounted by every host of the machines' cluster"))
        checks.append(
            Check("room while copying", PASS, "each copy has room at its target before it starts, in any order of ends")
        )
    if ordered and not impossible:
        loud = too_loud(found, ordered)
        checks += [Check("copies beside the pools' own load", WARN, text) for text in loud]
        if not loud:
            text = "no pool goes over its latency ceiling for the copies at any hour, as many run at once as it bears"
            checks.append(Check("copies beside the pools' own load", PASS, text))
    if ordered and needed:
        level, text = (
            (PASS, "every ceiling holds afterwards") if clears else (WARN, "not every ceiling holds afterwards")
        )
        checks.append(Check("clears every ceiling", level, text))
    if any(found.cautious):
        names = ", ".join(name for name, cautious in zip(found.group.pools, found.cautious, strict=True) if cautious)
        checks.append(
            Check(
                "curves are known",
                WARN,
                f"nothing is known of {names} beyond the load seen; no more than a fifth is added to it.",
            )
        )
    return checks


def _facts(found: KnownGroup, ordered: list[OrderedMove]) -> dict[str, str]:
    """Fills of the datastores that take part, and where each moved disk is."""
    group = found.group
    involved = sorted({s for step in ordered for s in (step.move.source, step.move.target)})
    facts = {f"fill of {group.datastores[s]}": f"{found.state.fill[s]:.1%}" for s in involved}
    return facts | {
        f"place of {group.disks[step.move.disk]}": group.datastores[step.move.source]
        for step in ordered
        if not step.staging
    }
