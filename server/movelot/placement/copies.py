"""Copies of disks between datastores: how fast they go, what each is for, and their steps in the order planned."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from movelot.inventory.known_groups import WEEKDAY, WEEKEND, KnownGroup, hour_name
from movelot.inventory.models import Datastore, Device, Disk
from movelot.lots.pace import Paces
from movelot.lots.step_plan import Handle, StepPlan
from movelot.lots.steps.move_disk import MoveDisk, between, ends_of
from movelot.lots.steps.values import Nothing
from movelot_core.balance.copies import BesideCopies, CopyRates, beside_copies, pools_of
from movelot_core.balance.group import Bools
from movelot_core.balance.moves import Gain
from movelot_core.balance.order import ALL_COPIES, OrderedMove
from movelot_core.units import count_of, format_share, format_size

FALLBACK_RATE = 100 * 1024**2


def rates_of(found: KnownGroup) -> CopyRates:
    """Copy rates as the devices state them (the slowest host counts for copies over hosts, and the most pieces), and
    how much longer than that earlier copies took between pools of the group."""
    arrays, hosts = (list(Device.objects.filter(kind=kind)) for kind in (Device.Kind.ARRAY, Device.Kind.HOST))
    learned = Paces([MoveDisk.kind]).by_route(MoveDisk.kind)
    numbers = {key: n for n, key in enumerate(found.pool_keys)}
    known = {ends_of(route): factor for route, factor in learned.items() if route}
    return CopyRates(
        _slowest(arrays),
        _slowest(hosts),
        learned.get("", 1.0),
        {(numbers[a], numbers[b]): factor for (a, b), factor in known.items() if a in numbers and b in numbers},
        _most_pieces(arrays),
        _most_pieces(hosts),
    )


def _slowest(devices: Sequence[Device]) -> float:
    return min((each.copy_bytes_per_second for each in devices if each.copy_bytes_per_second), default=FALLBACK_RATE)


def _most_pieces(devices: Sequence[Device]) -> float | None:
    return max((float(each.work_costs["copied"]) for each in devices if "copied" in each.work_costs), default=None)


def beside(found: KnownGroup, ordered: Sequence[OrderedMove]) -> dict[int, BesideCopies]:
    """What pools of a group, by number, bear of copies beside their own load."""
    return beside_copies(found.group, [step.move for step in ordered], rates_of(found))


def too_loud(found: KnownGroup, ordered: Sequence[OrderedMove]) -> list[str]:
    """Which pools one copy alone brings over their latency ceiling, and when."""
    said = []
    for pool, each in beside(found, ordered).items():
        loud = each.loud & ~each.over
        name, elsewhen = found.group.pools[pool], "" if each.loud.all() else " Run the lot at other hours."
        if loud.any():
            said.append(f"One copy alone brings {name} over its latency ceiling {hours_text(loud)}.{elsewhen}")
        if each.over.any():
            text = f"{name} is over its latency ceiling by itself {hours_text(each.over)}; copies add to that."
            said.append(f"{text}{elsewhen}")
    return said


def hours_text(slots: Bools) -> str:
    """Which of the hours of weekdays and weekends, in UTC: "on weekdays 09:00 to 11:00, at weekends at all hours"."""
    if slots.all():
        return "at all hours"
    days = (("on weekdays", slots[WEEKDAY]), ("at weekends", slots[WEEKEND]))
    return ", ".join(f"{when} {' and '.join(_runs(hours))}" for when, hours in days if hours.any())


def _runs(hours: Bools) -> list[str]:
    edges = np.flatnonzero(np.diff(np.concatenate([[False], hours, [False]]).astype(int)))
    if hours.all():
        return ["at all hours"]
    return [f"{begin:02}:00 to {end:02}:00" for begin, end in edges.reshape(-1, 2)]


def gain_text(gain: Gain) -> str:
    """What a move is for, by itself."""
    if gain.kind == "rule":
        out = count_of(int(gain.before), "disk is", "disks are")
        return f"rule {gain.subject}: {out} out of it, then {gain.after:.0f}"
    if gain.kind == "latency":
        hour, day = hour_name(gain.hour or 0)
        when = f"{hour:02}:00" if day == "weekday" else f"{hour:02}:00 at weekends"
        return f"pool {gain.subject} {gain.after - gain.before:+.1f} ms at {when}"
    return f"{gain.subject} from {format_share(gain.before)} to {format_share(gain.after)}"


def add_copies(
    plan: StepPlan, found: KnownGroup, ordered: Sequence[OrderedMove], at_once: int | None = None
) -> list[Handle[Nothing]]:
    """Add a step for each move, on the host that runs the machine; a handle each. ``at_once``: so many at most."""
    disks = {
        row[0]: row[1:]
        for row in Disk.objects.filter(pk__in=[found.disk_keys[step.move.disk] for step in ordered]).values_list(
            "pk", "identity", "machine__name", "machine__placement__host__name"
        )
    }
    stores = {
        store.pk: store for store in Datastore.objects.filter(pk__in=found.store_keys).prefetch_related("extents")
    }
    handles: list[Handle[Nothing]] = []
    for pool, borne in beside(found, ordered).items():
        plan.limit(f"pool {found.group.pools[pool]}", borne.at_once)
    if at_once is not None:
        plan.limit(ALL_COPIES, at_once)
    for step in ordered:
        move = step.move
        identity, machine, host = disks[found.disk_keys[move.disk]]
        source, target = stores[found.store_keys[move.source]], stores[found.store_keys[move.target]]
        how = "array copies it" if move.offloaded else "over hosts"
        why = "; ".join(gain_text(gain) for gain in move.gains[:1])
        name = found.group.disks[move.disk]
        copy = MoveDisk(
            disk=identity,
            machine=machine,
            name=name,
            size_bytes=int(move.size_bytes),
            **between(source, target),
        ).on(
            host,
            f"Move {name}",
            f"{source.name} → {target.name}, {format_size(move.size_bytes)}, {how}; {why}"[:300],
            slots=(
                f"datastore {source.name}",
                f"datastore {target.name}",
                *(f"pool {found.group.pools[pool]}" for pool in sorted(set(pools_of(found.group, move)))),
                *((ALL_COPIES,) if at_once is not None else ()),
            ),
            seconds=step.stated_seconds,
        )
        handles.append(plan.add(copy, [handles[need] for need in step.needs]))
    return handles
