"""Plans for a group: core's *clear*, a person's moves on top, and what both come to."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from movelot.balance.aims import KeptPlan
from movelot.balance.limits import DiskLimits
from movelot.inventory.known_groups import WEEKDAY, KnownGroup, hour_name
from movelot.lots.documents import LotPlan
from movelot.placement.copies import gain_text, rates_of
from movelot_core.balance.group import broken_musts
from movelot_core.balance.order import OrderedMove, order_moves
from movelot_core.balance.plan import Plan, Unresolved, plan_for
from movelot_core.latency import beyond_measured
from movelot_core.units import count_of, format_size


@dataclass
class MoveRow:
    """A move as shown; ``start`` and ``end`` are seconds from the lot's start."""

    disk: int
    name: str
    machine: str
    source: int
    source_name: str
    target: int
    target_name: str
    size_bytes: int
    offloaded: bool
    staging: bool
    start: float
    end: float
    reasons: list[str]


@dataclass
class StoreAfter:
    """A datastore once the plan ran."""

    id: int
    used_bytes: int
    fill: float
    over: bool


@dataclass
class PoolAfter:
    """A pool once the plan ran: weekday hours, the peak, and whether that lies beyond what was ever measured."""

    id: int
    latency_ms: list[float]
    peak_ms: float
    peak_hour: int
    peak_day: str
    over: bool
    extrapolated: bool


@dataclass
class BalancePlan(LotPlan):
    """A plan with its bound, prediction and what stays broken; ``remarks`` are on what it was made for."""

    group: str
    moves: list[MoveRow]
    moved_bytes: int
    bound_bytes: int
    clears: bool
    needed: bool
    makespan_seconds: float
    datastores: list[StoreAfter]
    pools: list[PoolAfter]
    unresolved: list[str]
    broken: list[str]
    limits: list[DiskLimits] = field(default_factory=list)
    remarks: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class MoveRequest:
    """A disk and the datastore it is to be moved to, by their primary keys."""

    disk: int
    target: int


def moves_of(plan: KeptPlan) -> list[MoveRequest]:
    """A plan's moves as a form keeps them."""
    return [MoveRequest(disk, target) for disk, target in plan.moves]


def place_of(found: KnownGroup, moves: list[MoveRequest]) -> tuple[np.ndarray, list[str]]:
    """The placement that a form's moves ask for, and a sentence on each that no longer makes sense."""
    disks, stores = found.disk_index(), {key: n for n, key in enumerate(found.store_keys)}
    place, lost = found.group.place.copy(), []
    for move in moves:
        disk, store = disks.get(move.disk), stores.get(move.target)
        if disk is None or store is None:
            lost.append("A disk or datastore of this plan is no longer there.")
        else:
            place[disk] = store
    return place, lost


def plan_with(
    found: KnownGroup, moves: list[MoveRequest], bound_bytes: int, at_once: int | None = None
) -> tuple[Plan, list[OrderedMove], list[str]]:
    """The plan that ``moves`` make, its order, and what of it is impossible, in sentences.

    What is moved to storage of another kind was chosen by a person or by a policy: a group's own plans never do that.
    """
    place, impossible = place_of(found, moves)
    kind = np.array(found.kinds)
    group = found.crossing(np.flatnonzero(kind[place] != kind[found.group.place]))
    plan = plan_for(group, place, bound_bytes)
    ordered = order_moves(group, plan.moves, rates_of(found), at_once)
    impossible += [f"{text}." for text in broken_musts(group, place)]
    impossible += [
        f"“{off.name}” keeps {found.group.disks[disk]} off {found.group.datastores[off.store]}."
        for off in found.kept_off
        for disk in off.disks
        if place[disk] == off.store != found.group.place[disk]
    ]
    left_out = {move.disk for move in plan.moves} - {step.move.disk for step in ordered}
    impossible += [f"No order has room for {found.group.disks[d]} at every instant." for d in sorted(left_out)]
    return plan, ordered, impossible


def shown(found: KnownGroup, plan: Plan, ordered: list[OrderedMove], impossible: list[str]) -> BalancePlan:
    """The plan as the page shows it."""
    group, after = found.group, plan.after
    return BalancePlan(
        group=found.row.name,
        moves=[_move_row(found, step) for step in ordered],
        moved_bytes=sum(step.move.size_bytes for step in ordered),
        bound_bytes=plan.bound_bytes,
        clears=after.clear,
        needed=not plan.before.clear,
        makespan_seconds=max((step.slot.end for step in ordered), default=0.0),
        datastores=[
            StoreAfter(key, int(after.used_bytes[n]), float(after.fill[n]), bool(after.over_fill[n]))
            for n, key in enumerate(found.store_keys)
        ],
        pools=[pool_after(found, plan, n) for n in range(len(group.pools))],
        unresolved=[unresolved_text(entry) for entry in plan.unresolved],
        broken=impossible,
    )


def pool_after(found: KnownGroup, plan: Plan, number: int) -> PoolAfter:
    state = plan.after
    hour, day = hour_name(int(state.peak_hour[number]))
    beyond = beyond_measured(float(state.load[number].max()), float(found.seen_max[number]))
    return PoolAfter(
        found.pool_keys[number],
        [round(float(v), 3) for v in state.latency_ms[number, WEEKDAY]],
        float(state.peak_ms[number]),
        hour,
        day,
        bool(state.over_latency[number].any()),
        beyond,
    )


def _move_row(found: KnownGroup, step: OrderedMove) -> MoveRow:
    move, group = step.move, found.group
    return MoveRow(
        disk=found.disk_keys[move.disk],
        name=group.disks[move.disk],
        machine=found.machines[move.disk],
        source=found.store_keys[move.source],
        source_name=group.datastores[move.source],
        target=found.store_keys[move.target],
        target_name=group.datastores[move.target],
        size_bytes=move.size_bytes,
        offloaded=move.offloaded,
        staging=step.staging,
        start=step.slot.start,
        end=step.slot.end,
        reasons=[gain_text(gain) for gain in move.gains],
    )


def unresolved_text(entry: Unresolved) -> str:
    """Why a ceiling stays broken, and the least that would clear it."""
    words = {
        "unreached": "that may not live where there is room, as it is of another kind or not every host mounts it",
        "split": "that a rule keeps apart from what lies elsewhere",
        "no_room": "without room elsewhere",
        "too_slow": "that would make another pool too slow",
        "unknown": "that would give another pool more load than is known of it",
        "pinned": "pinned",
    }
    why = (
        "; ".join(f"{count_of(count, 'disk')} {words[reason]}" for reason, count in entry.refusals)
        or "no disk could help"
    )
    what = "over its fill ceiling" if entry.kind == "fill" else "over its latency ceiling"
    return f"{entry.subject} stays {what}: {why}. {_would_clear(entry)}"


def _would_clear(entry: Unresolved) -> str:
    if entry.kind == "fill":
        return f"It needs {format_size(math.ceil(entry.over))} more room to be clear."
    if entry.over >= 1:
        return "It is too slow without any load."
    return f"It needs {math.ceil(100 * entry.over)} % less load at its worst hour to be clear."
