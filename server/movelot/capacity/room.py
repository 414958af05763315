"""The plan that gives every pool and datastore the runway that is wanted: what comes back, what is grown, in order."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from movelot.capacity.rows import CapacityRow, Curve, ReclaimRow, forecast_of
from movelot.lots.kinds import Remedy
from movelot_core.capacity.forecast import runway
from movelot_core.capacity.room_plan import Act, room_plan
from movelot_core.units import count_of, format_size

GIB = 2**30
# Hours that an act counts for beside the time that devices are at it: a person drafts it, looks, and runs it.
DRAFTED_HOURS = 0.25
# What deletes for good is chosen only where a day's other work would not do.
DELETING_HOURS = 24.0
# Drives that are put into a pool stay there, and are gone for all others: dearer than what comes back.
DRIVES_HOURS = 12.0
PLACES = ("pool", "datastore")
FORESEEN = "as forecast, 80 % sure"


@dataclass
class PlacePlan:
    """A pool or datastore that is short: its runway now and then (days, null beyond a year), and bytes.

    ``short_bytes`` is what no act that is known gives it.
    """

    kind: str
    id: int
    name: str
    early: int | None
    early_then: int | None
    need_bytes: int
    gets_bytes: int
    short_bytes: int


@dataclass
class PlannedAct:
    """An act of the plan with its lot: what it gives in all, and for how long devices are at it."""

    what: str
    place: str
    size_bytes: int
    hours: float
    certainty: str
    draft: Remedy
    typed: str


@dataclass
class RoomAnswer:
    """What is short of the wanted runway, and the acts that help, in the order in which they are run."""

    days: int
    places: list[PlacePlan]
    acts: list[PlannedAct]


@dataclass(frozen=True)
class Addable:
    """Drives that can join a pool, and the bytes that each gives at least."""

    count: int
    least_bytes: int


Acts = list[tuple[PlannedAct, Act]]


@dataclass(frozen=True)
class RoomWanted:
    """The runway in days, whether something may be deleted for good, and the datastores that can be grown, by key."""

    days: int
    deleting: bool
    growable: frozenset[int]
    # By primary key: the pool of each datastore, what each pool has free, and what is left of its grant if that ends.
    pool_of: Mapping[int, int]
    free: Mapping[int, int]
    granted: Mapping[int, int]
    # Drives that can join pools that have any.
    addable: Mapping[int, Addable]

    @property
    def stores(self) -> dict[str, int]:
        """What growths take of: room of pools, and grants."""
        return {f"room-{key}": size for key, size in self.free.items()} | {
            f"grant-{key}": size for key, size in self.granted.items()
        }


def planned_room(
    rows: Sequence[CapacityRow],
    curves: Mapping[str, Curve],
    reclaims: Sequence[ReclaimRow],
    wanted: RoomWanted,
) -> RoomAnswer:
    """What gives all that are short of it the runway that is wanted, 80 % sure."""
    days = wanted.days
    told = {f"{row.kind}-{row.id}": row for row in rows if row.kind in PLACES}
    needs = {key: need for key, row in told.items() if (need := _need(row, curves.get(key), days)) > 0}
    growing = {key: need for key, need in needs.items() if told[key].id in wanted.growable}
    acts = [
        *_reclaims(reclaims, wanted.deleting),
        *_growths(told, growing, wanted),
        *_pool_growths(told, needs, wanted.addable),
    ]
    found = room_plan(needs, [act for _planned, act in acts], wanted.stores)
    places = [_place(told[key], curves.get(key), needs[key], found.gets.get(key, 0)) for key in needs]
    # What comes back is first: what grows may need it.
    chosen = sorted(found.chosen, key=lambda n: (acts[n][0].draft.kind == "grow", acts[n][1].cost))
    order = sorted(places, key=lambda place: (place.kind != "pool", place.early or 0))
    return RoomAnswer(days, order, [acts[n][0] for n in chosen])


def _need(row: CapacityRow, curve: Curve | None, days: int) -> int:
    """Bytes that are short of the runway, in whole GiB upwards; without a forecast those over the ceiling now."""
    most = float(row.used_bytes)
    if curve is not None:
        most = max(most, float(forecast_of(curve).high[days - 1]))
    return max(0, math.ceil((most - row.ceiling * row.capacity_bytes) / GIB)) * GIB


def _reclaims(reclaims: Sequence[ReclaimRow], deleting: bool) -> Acts:
    found = []
    for row in reclaims:
        if row.draft is None or not row.frees or (row.deletes and not deleting):
            continue
        planned = PlannedAct(row.what, row.place, row.size_bytes, row.hours, row.certainty, row.draft, row.typed)
        cost = DRAFTED_HOURS + row.hours + (DELETING_HOURS if row.deletes else 0.0)
        # What comes back to a pool can be grown into.
        adds = {
            f"room-{key.removeprefix('pool-')}": -size for key, size in row.frees.items() if key.startswith("pool-")
        }
        found.append((planned, Act(row.frees, cost, adds)))
    return found


def _growths(told: Mapping[str, CapacityRow], needs: Mapping[str, int], wanted: RoomWanted) -> Acts:
    """Datastores that are short can be grown, each by what it needs, which its pool and its grant have to have."""
    found = []
    for key, need in needs.items():
        row = told[key]
        if row.kind != "datastore":
            continue
        # With a ceiling, only that share of what is added counts.
        size = math.ceil(need / row.ceiling / GIB) * GIB
        remedy = Remedy("grow", {"datastores": [row.id], "how": "by", "amount": f"{size // GIB} GiB"}, "Grow it")
        planned = PlannedAct(f"Grow {row.name} by {format_size(size)}", row.of, size, 0.0, FORESEEN, remedy, "")
        pool = wanted.pool_of.get(row.id)
        takes = {} if pool is None else {f"room-{pool}": size, f"grant-{pool}": size}
        found.append((planned, Act({key: need}, DRAFTED_HOURS, takes)))
    return found


def _pool_growths(told: Mapping[str, CapacityRow], needs: Mapping[str, int], addable: Mapping[int, Addable]) -> Acts:
    """Pools that are short can be grown by drives that belong to none: by as many as their need takes, or by all."""
    found: Acts = []
    for key, need in needs.items():
        row = told[key]
        drives = addable.get(row.id) if row.kind == "pool" else None
        if drives is None:
            continue
        count = min(drives.count, math.ceil(need / row.ceiling / max(1, drives.least_bytes)))
        size = count * drives.least_bytes
        remedy = Remedy("grow_pool", {"pool": row.id, "drives": count}, "Add drives")
        what = f"Grow {row.name} by {count_of(count, 'drive')}"
        planned = PlannedAct(what, row.of, size, 0.0, "at least, as its drives hold data now", remedy, "")
        gives = {key: int(size * row.ceiling)}
        found.append((planned, Act(gives, DRIVES_HOURS, {f"room-{row.id}": -size})))
    return found


def _place(row: CapacityRow, curve: Curve | None, need: int, gets: int) -> PlacePlan:
    forecast = forecast_of(curve) if curve is not None else None
    then = runway(forecast, row.ceiling * row.capacity_bytes + gets, row.used_bytes)
    return PlacePlan(row.kind, row.id, row.name, row.early, then.early, need, gets, max(0, need - gets))
