"""What is known of datastores, volumes and pools for the ledger, and how their use went on day by day."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache

import numpy as np
from django.db.models import Count, F, Max, Q, QuerySet, Sum
from django.db.models.functions import Coalesce

from movelot.inventory.models import (
    TAKEN_BYTES,
    Datastore,
    DatastoreDay,
    Disk,
    Extent,
    LooseDisk,
    Machine,
    Pool,
    PoolDay,
    SnapshotPart,
    StoredImage,
    Volume,
)
from movelot.inventory.placement import hosts_using
from movelot_core.capacity.forecast import DAYS_MIN, HISTORY_DAYS, Forecast, forecast
from movelot_core.capacity.ledger import StoreUse, VolumeUse

Days = tuple[tuple[int, ...], tuple[float, ...]]
NO_DAYS: Days = ((), ())


@dataclass
class Uses:
    """By primary key: datastores, the pool that each lies on where it is known, and the volumes of each pool."""

    stores: dict[int, StoreUse]
    pool_of: dict[int, int]
    volumes: Mapping[int, list[tuple[Volume, VolumeUse]]]
    pools: dict[int, Pool] = field(default_factory=dict)


def uses() -> Uses:
    """All of them, by a fixed number of queries."""
    stores = store_uses(Datastore.objects.all())
    on: dict[str, list[int]] = defaultdict(list)
    for store, serial in Extent.objects.order_by("datastore", "number").values_list("datastore_id", "serial"):
        on[serial].append(store)
    used_by = hosts_using()
    pool_of, volumes = dict[int, int](), defaultdict[int, list[tuple[Volume, VolumeUse]]](list)
    for volume in Volume.objects.exclude(kind=Volume.Kind.MEMBER).order_by("name", "pk"):
        there = on.get(volume.serial, [])
        for store in there:
            pool_of.setdefault(store, volume.pool_id)
        # A datastore on several volumes counts with the first: which of its bytes lie where nobody tells.
        whole = [stores[key] for key in there if key in stores and pool_of[key] == volume.pool_id]
        raw = not there and volume.serial in used_by
        use = VolumeUse(
            volume.size_bytes, volume.allocated_bytes, volume.reduced_bytes or 0, volume.thin, raw, tuple(whole)
        )
        volumes[volume.pool_id].append((volume, use))
    pools = {pool.pk: pool for pool in Pool.objects.select_related("device").order_by("name", "pk")}
    return Uses(stores, pool_of, volumes, pools)


def store_uses(stores: QuerySet[Datastore]) -> dict[int, StoreUse]:
    """What is known of datastores, by primary key."""
    disks = Disk.objects.filter(placement__datastore__in=stores).values_list("placement__datastore_id").order_by()
    sizes = {
        store: (size, written)
        for store, size, written in disks.annotate(
            size=Sum(TAKEN_BYTES), written=Sum(Coalesce(F("written_bytes"), F("size_bytes")))
        )
    }
    snapshots, files = _snapshots(stores), _files(stores)
    # Of a volume set hosts see what is free of its pool, in which nothing is that was saved.
    sets = Volume.objects.filter(kind=Volume.Kind.SET, reduced_bytes__gt=0)
    saved = {serial: size or 0 for serial, size in sets.values_list("serial", "reduced_bytes")}
    reduced = {
        store: saved[serial]
        for store, serial in Extent.objects.filter(serial__in=saved).values_list("datastore_id", "serial")
    }
    found = {}
    for key, capacity, free in stores.values_list("pk", "capacity_bytes", "free_bytes"):
        size, written = sizes.get(key, (0, 0))
        held = size, written, snapshots.get(key, 0), files.get(key, 0), reduced.get(key, 0)
        found[key] = StoreUse(capacity, free, *held)
    return found


def _files(stores: QuerySet[Datastore]) -> dict[int, int]:
    """Files that are known and no disks of machines: images, disks that no machine has, swap that was left."""
    found: dict[int, int] = defaultdict(int)
    for model, size in ((StoredImage, "written_bytes"), (LooseDisk, "size_bytes")):
        rows = model._default_manager.filter(datastore__in=stores).values_list("datastore_id").order_by()
        for store, total in rows.annotate(total=Sum(size)):
            found[store] += total
    left = Machine.objects.filter(swap_bytes__gt=0).values_list("home").order_by()
    swap = dict(left.annotate(total=Sum("swap_bytes")))
    for key, identity in stores.filter(identity__in=swap).values_list("pk", "identity"):
        found[key] += swap[identity]
    return found


def _snapshots(stores: QuerySet[Datastore]) -> dict[int, int]:
    """What snapshots hold on each datastore: beside their disks, or where they are kept."""
    parts = SnapshotPart.objects.order_by()
    beside = parts.filter(snapshot__place="", disk__placement__datastore__in=stores)
    found = dict(beside.values_list("disk__placement__datastore_id").annotate(held=Sum("held_bytes")))
    apart = dict(parts.exclude(snapshot__place="").values_list("snapshot__place").annotate(held=Sum("held_bytes")))
    for key, identity in stores.filter(identity__in=apart).values_list("pk", "identity"):
        found[key] = found.get(key, 0) + apart[identity]
    return found


@dataclass(frozen=True)
class Histories:
    """By primary key, days (numbers) with bytes used, before today: of datastores, and allocated of pools."""

    stores: Mapping[int, Days]
    pools: Mapping[int, Days]


def histories(today: date) -> Histories:
    """All that is of use to a forecast. Read anew only once something was added to it."""
    since = today - timedelta(days=HISTORY_DAYS)
    state = tuple(
        tuple(model._default_manager.filter(day__gte=since).aggregate(Count("pk"), Max("pk")).values())
        for model in (DatastoreDay, PoolDay)
    )
    return _histories(today, state)


@lru_cache(maxsize=1)
def _histories(today: date, _state: object) -> Histories:
    span = Q(day__gte=today - timedelta(days=HISTORY_DAYS), day__lt=today)
    stores = DatastoreDay.objects.filter(span).order_by("day").values_list("datastore_id", "day", "used_bytes")
    pools = PoolDay.objects.filter(span).order_by("day").values_list("pool_id", "day", "allocated_bytes")
    return Histories(_by_key(stores.iterator()), _by_key(pools.iterator()))


def _by_key(rows: Iterable[tuple[int, date, int]]) -> dict[int, Days]:
    found: dict[int, tuple[list[int], list[float]]] = defaultdict(lambda: ([], []))
    for key, day, size in rows:
        days, sizes = found[key]
        days.append(day.toordinal())
        sizes.append(float(size))
    return {key: (tuple(days), tuple(sizes)) for key, (days, sizes) in found.items()}


def summed(parts: Iterable[Days]) -> Days:
    """The use of several things together; those without a history are left out.

    What is new counts as if it had always held what it held first: that it came is no growth.
    """
    known = [part for part in parts if part[0]]
    if not known:
        return NO_DAYS
    days = np.unique(np.concatenate([part[0] for part in known]))
    total = sum((np.interp(days, *part) for part in known), np.zeros(len(days)))
    return tuple(days.tolist()), tuple(total.tolist())


@lru_cache(maxsize=4096)
def _forecast(history: Days) -> Forecast | None:
    return forecast(*history)


def told_by(history: Days, used_bytes: float) -> Forecast | None:
    """How use goes on from what it is now. What it rests on changes once a day, and so is computed once a day."""
    found = _forecast(history) if len(history[0]) >= DAYS_MIN else None
    if found is None:
        return None
    # It begins with what is used now, not with what was on the last day that is known.
    shift = used_bytes - found.used_bytes
    ends = {name: getattr(found, name) + shift for name in ("low", "likely", "high")}
    return replace(found, used_bytes=used_bytes, **ends)


def today() -> date:
    """Today, by UTC, as days of figures are."""
    return datetime.now(UTC).date()
