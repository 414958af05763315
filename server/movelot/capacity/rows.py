"""The ledger and the runway of all pools, datastores, groups, arrays, clusters, policies and labels."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date

import numpy as np
from pydantic import TypeAdapter

from movelot.capacity.known import Days, Histories, Uses, histories, summed, today, told_by
from movelot.inventory.labels import labels_by_thing
from movelot.inventory.models import (
    BalanceGroup,
    Cluster,
    Datastore,
    Device,
    Policy,
    PolicyPlace,
)
from movelot.lots.kinds import Remedy
from movelot.placement.places import clusters_mounting
from movelot_core.capacity.forecast import DAYS_MIN, HORIZON_DAYS, Forecast, runway
from movelot_core.capacity.ledger import Account, Layer, VolumeUse, pool_account, store_account
from movelot_core.placement.requirements.base import Answer

NAME = "capacity"
CURVES = "capacity-curves"
PASTS = "capacity-pasts"
MEMBERS = "capacity-members"
RECLAIMS = "capacity-reclaims"
# Of what is in no group.
USUAL_CEILING = 0.82
# As many days of the past are kept of each, evenly apart.
PAST_DAYS_MAX = 120
# A forecast is kept for these days ahead; what lies between is on the line.
GRID = (1, 2, 3, 4, 5, 6, *range(7, HORIZON_DAYS + 1, 7), HORIZON_DAYS)


@dataclass
class LayerBytes:
    """Bytes of a layer."""

    layer: str
    size_bytes: int


@dataclass
class StepSeen:
    """One large arrival, or departure, that is no growth: on which day (ISO), and bytes."""

    day: str
    size_bytes: int


@dataclass
class CapacityRow:
    """Where the bytes of something are, and when its fill ceiling is reached.

    ``kind`` is pool, datastore, group, array, cluster, policy or label; ``of`` is the array of a pool, or the pool of a
    datastore.

    Layers and ``difference_bytes`` add up to the capacity; the difference is what devices tell otherwise of what lies
    above or beneath. Days are null beyond a year, 0 where the ceiling is passed; without ``told`` there is too little
    history. Of ``tried`` forecasts of the past ``right`` were right. ``rests_on`` says whose history it is.
    """

    kind: str
    id: int
    name: str
    of: str
    capacity_bytes: int
    used_bytes: int
    ceiling: float
    subscribed_bytes: int | None
    layers: list[LayerBytes]
    difference_bytes: int
    growth_bytes: int | None
    early: int | None
    likely: int | None
    late: int | None
    told: bool
    right: int
    tried: int
    steps: list[StepSeen]
    rests_on: str


@dataclass
class ReclaimRow:
    """What could come back: ``kind`` and ``title`` are those of its reclaimer, the rest as in Gain.

    ``draft`` is the lot that brings it back; null where that is done on the page at ``look``. A
    name that is ``typed`` goes into its form as confirmed.
    """

    kind: str
    title: str
    what: str
    place: str
    size_bytes: int
    certainty: str
    cost: str
    draft: Remedy | None
    look: str
    typed: str = ""
    frees: dict[str, int] = field(default_factory=dict)
    hours: float = 0.0
    deletes: bool = False


@dataclass
class Curve:
    """A forecast at the days of GRID: use now, a day's growth, and the ends of the interval with what is likely."""

    used_bytes: float
    growth_bytes: float
    low: list[float]
    likely: list[float]
    high: list[float]


@dataclass
class Past:
    """What was used on days (ordinals)."""

    days: list[int]
    used_bytes: list[float]


ROWS = TypeAdapter(list[CapacityRow])
KEPT_RECLAIMS = TypeAdapter(list[ReclaimRow])
KEPT_CURVES = TypeAdapter(dict[str, Curve])
KEPT_PASTS = TypeAdapter(dict[str, Past])
KEPT_MEMBERS = TypeAdapter(dict[str, list[int]])
# A row, its forecast where it has one, and the days that it is told from.
Made = tuple[CapacityRow, Forecast | None, Days]


@dataclass
class Told:
    """All rows; by kind and primary key the forecasts of those that have one, and how all went so far.

    ``members`` are the datastores that rows of several consist of; of arrays, their pools.
    """

    rows: list[CapacityRow] = field(default_factory=list)
    curves: dict[str, Curve] = field(default_factory=dict)
    pasts: dict[str, Past] = field(default_factory=dict)
    members: dict[str, list[int]] = field(default_factory=dict)

    def add(self, made: Made) -> None:
        """Take in a row with what it is told from."""
        row, found, (days, sizes) = made
        key = f"{row.kind}-{row.id}"
        self.rows.append(row)
        # The last day is always among them.
        every = -(-len(days) // PAST_DAYS_MAX) or 1
        self.pasts[key] = Past(list(days[::-1][::every][::-1]), list(sizes[::-1][::every][::-1]))
        if found is not None:
            ends = map(_at_grid, (found.low, found.likely, found.high))
            self.curves[key] = Curve(found.used_bytes, found.growth_bytes, *ends)


def _at_grid(curve: np.ndarray) -> list[float]:
    return [float(curve[day - 1]) for day in GRID]


def forecast_of(curve: Curve) -> Forecast:
    """A kept forecast, whole again."""
    ahead = np.arange(1, HORIZON_DAYS + 1)
    ends = [np.interp(ahead, GRID, values) for values in (curve.low, curve.likely, curve.high)]
    return Forecast(curve.used_bytes, curve.growth_bytes, ends[0], ends[1], ends[2], (), 0, 0)


def all_rows(known: Uses) -> Told:
    """Everything, told anew from what is known."""
    past = histories(today())
    ceilings = fill_ceilings()
    told = Told()
    pools = _Pools(known, past, ceilings)
    for key in known.pools:
        told.add(pools.row(key))
    stores = _Stores(known, past, ceilings)
    for key in known.stores:
        told.add(stores.row(key))
    for kind, key, name, members in _sets_of_stores():
        there = [each for each in members if each in known.stores]
        told.members[f"{kind}-{key}"] = there
        told.add(stores.together(kind, key, name, there))
    for array, keys in _by_array(known).items():
        told.members[f"array-{array.pk}"] = keys
        told.add(pools.together(array, keys))
    return told


def fill_ceilings() -> dict[int, float]:
    """The fill ceiling of each datastore's group, by the datastore's primary key."""
    rows = Datastore.objects.filter(membership__isnull=False)
    return dict(rows.values_list("pk", "membership__group__fill_ceiling"))


def _by_array(known: Uses) -> dict[Device, list[int]]:
    found: dict[Device, list[int]] = defaultdict(list)
    for key, pool in known.pools.items():
        found[pool.device].append(key)
    return found


def _sets_of_stores() -> Iterator[tuple[str, int, str, list[int]]]:
    """Groups, clusters, policies and labels, each with its datastores: members, mounted by all, served, labelled."""
    for group in BalanceGroup.objects.order_by("name").prefetch_related("datastores"):
        yield "group", group.pk, group.name, [store.pk for store in group.datastores.all()]
    mounting = clusters_mounting()
    for key, name in Cluster.objects.order_by("name").values_list("pk", "name"):
        yield "cluster", key, name, [store for store, clusters in mounting.items() if name in clusters]
    served: dict[int, list[int]] = defaultdict(list)
    for policy, store in PolicyPlace.objects.filter(answer=Answer.HAS).values_list("policy_id", "datastore_id"):
        served[policy].append(store)
    for key, name in Policy.objects.filter(retired_at=None).order_by("name").values_list("pk", "name"):
        yield "policy", key, name, served[key]
    labelled: dict[str, list[int]] = defaultdict(list)
    for store, labels in labels_by_thing("datastore").items():
        for label, value in labels.items():
            labelled[f"{label}={value}"].append(store)
    for number, (name, members) in enumerate(sorted(labelled.items()), start=1):
        yield "label", number, name, members


class _Pools:
    """Rows of pools, and of arrays as all their pools together."""

    def __init__(self, known: Uses, past: Histories, ceilings: dict[int, float]) -> None:
        self.known, self.past = known, past
        on: dict[int, list[int]] = defaultdict(list)
        for store, pool in known.pool_of.items():
            on[pool].append(store)
        self.stores_on = on
        self.ceiling = {
            key: min((ceilings[store] for store in on[key] if store in ceilings), default=USUAL_CEILING)
            for key in known.pools
        }

    def __repr__(self) -> str:
        return f"<_Pools {len(self.known.pools)}>"

    def volumes(self, key: int) -> list[VolumeUse]:
        return [use for _volume, use in self.known.volumes.get(key, ())]

    def history(self, key: int) -> tuple[Days, str]:
        """What it held day by day, and whose history that is: its datastores' until its own is long enough."""
        own = self.past.pools.get(key, ((), ()))
        if len(own[0]) >= DAYS_MIN:
            return own, "its own days"
        return summed(self.past.stores.get(store, ((), ())) for store in self.stores_on[key]), "days of its datastores"

    def row(self, key: int) -> Made:
        pool = self.known.pools[key]
        account = pool_account(pool.capacity_bytes, pool.allocated_bytes, self.volumes(key))
        days, rests_on = self.history(key)
        ends = _Ends(pool.allocated_bytes, self.ceiling[key], days, rests_on, pool.subscribed_bytes)
        return _row(("pool", key, pool.name, pool.device.name), account, ends)

    def together(self, array: Device, keys: Sequence[int]) -> Made:
        accounts = [
            pool_account(self.known.pools[key].capacity_bytes, self.known.pools[key].allocated_bytes, self.volumes(key))
            for key in keys
        ]
        pools = [self.known.pools[key] for key in keys]
        days = summed(self.history(key)[0] for key in keys)
        ceiling = sum(self.ceiling[key] * self.known.pools[key].capacity_bytes for key in keys)
        whole = sum(pool.capacity_bytes for pool in pools) or 1
        used, subscribed = sum(pool.allocated_bytes for pool in pools), sum(pool.subscribed_bytes for pool in pools)
        ends = _Ends(used, ceiling / whole, days, "days of its pools", subscribed)
        return _row(("array", array.pk, array.name, ""), _summed(accounts), ends)


class _Stores:
    """Rows of datastores, and of several together."""

    def __init__(self, known: Uses, past: Histories, ceilings: dict[int, float]) -> None:
        self.known, self.past, self.ceilings = known, past, ceilings
        self.names = dict(Datastore.objects.values_list("pk", "name"))

    def __repr__(self) -> str:
        return f"<_Stores {len(self.known.stores)}>"

    def row(self, key: int) -> Made:
        use, pool = self.known.stores[key], self.known.pools.get(self.known.pool_of.get(key, 0))
        days = self.past.stores.get(key, ((), ()))
        ceiling = self.ceilings.get(key, USUAL_CEILING)
        ends = _Ends(use.capacity_bytes - use.free_bytes, ceiling, days, "its own days")
        return _row(("datastore", key, self.names.get(key, ""), pool.name if pool else ""), store_account(use), ends)

    def together(self, kind: str, key: int, name: str, members: Sequence[int]) -> Made:
        stores = [self.known.stores[each] for each in members]
        days = summed(self.past.stores.get(each, ((), ())) for each in members)
        whole = sum(store.capacity_bytes for store in stores)
        below = sum(
            self.ceilings.get(each, USUAL_CEILING) * store.capacity_bytes
            for each, store in zip(members, stores, strict=True)
        )
        used = sum(store.capacity_bytes - store.free_bytes for store in stores)
        ends = _Ends(used, below / whole if whole else USUAL_CEILING, days, "days of its datastores")
        return _row((kind, key, name, ""), _summed([store_account(store) for store in stores]), ends)


@dataclass(frozen=True)
class _Ends:
    """What a runway is told from: bytes used now, the ceiling as a share, days, whose they are, bytes promised."""

    used_bytes: int
    ceiling: float
    days: Days
    rests_on: str
    subscribed_bytes: int | None = None


def _summed(accounts: Sequence[Account]) -> Account:
    layers: dict[Layer, int] = defaultdict(int)
    for account in accounts:
        for layer, size in account.layers.items():
            layers[layer] += size
    return Account(
        sum(account.capacity_bytes for account in accounts), layers, sum(account.difference for account in accounts)
    )


def _row(named: tuple[str, int, str, str], account: Account, ends: _Ends) -> Made:
    found = told_by(ends.days, ends.used_bytes)
    reached = runway(found, ends.ceiling * account.capacity_bytes, ends.used_bytes)
    row = CapacityRow(
        *named,
        capacity_bytes=account.capacity_bytes,
        used_bytes=ends.used_bytes,
        ceiling=ends.ceiling,
        subscribed_bytes=ends.subscribed_bytes,
        layers=[LayerBytes(str(layer), account.layers.get(layer, 0)) for layer in Layer if account.layers.get(layer)],
        difference_bytes=account.difference,
        growth_bytes=round(found.growth_bytes) if found else None,
        early=reached.early,
        likely=reached.likely,
        late=reached.late,
        told=reached.told,
        right=found.right if found else 0,
        tried=found.tried if found else 0,
        steps=[_step(step.day, step.size_bytes) for step in found.steps] if found else [],
        rests_on=ends.rests_on,
    )
    return row, found, ends.days


def _step(day: int, size_bytes: float) -> StepSeen:
    return StepSeen(date.fromordinal(day).isoformat(), round(size_bytes))
