"""Measured load and latency: samples in, each stored once and added to what is summed of it; old rows pruned."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta

import numpy as np
from django.db import transaction

from movelot.inventory.bulk import insert
from movelot.inventory.changes import Aspect, Change, outdate_within, tell
from movelot.inventory.curves import fit_pool
from movelot.inventory.models import (
    Datastore,
    DatastoreDay,
    Disk,
    DiskDay,
    Pool,
    PoolDay,
    PoolHour,
    Retention,
    ShareDay,
    TierDay,
    VolumeDay,
)
from movelot.inventory.placement import pools_by_store
from movelot.inventory.profiles import coincidences_due, make_coincidences, update_profiles
from movelot_core.latency import HOURS, Floats, features

KEPT_DAYS = 45
AT_ONCE = 5000
FEATURES = ("reads", "writes", "read_sizes", "write_sizes")
NOTHING = np.full((HOURS, 3), np.nan, dtype=np.float32).tobytes()


@dataclass(frozen=True)
class DiskSample:
    """A disk's mean load in the hour that begins at ``hour``."""

    identity: str
    hour: datetime
    read_iops: float
    write_iops: float
    kib: float


@dataclass(frozen=True)
class PoolSample:
    """A pool's mean response time in an hour; the pool by its primary key."""

    pool: int
    hour: datetime
    latency_ms: float


@dataclass(frozen=True)
class UseSample:
    """Bytes a datastore held at the start of a day."""

    identity: str
    day: date
    used_bytes: int


@dataclass(frozen=True)
class PoolUse:
    """Bytes that a pool had allocated at the start of a day; the pool by its primary key."""

    pool: int
    day: date
    allocated_bytes: int


@dataclass(frozen=True)
class TierUse:
    """Bytes on a tier of a pool at the start of a day, and those that came to it in the night before."""

    pool: int
    day: date
    tier: int
    used_bytes: int
    moved_in_bytes: int


@dataclass
class Learned:
    """What new samples touched: how many were new, and which profiles and curves have to be made anew."""

    samples: int = 0
    disks: set[int] = field(default_factory=set)
    hours: set[datetime] = field(default_factory=set)
    pools: set[int] = field(default_factory=set)

    def add(self, other: Learned) -> None:
        """Take in what other samples touched."""
        self.samples += other.samples
        self.disks |= other.disks
        self.hours |= other.hours
        self.pools |= other.pools


def add_samples(
    disks: Iterable[DiskSample],
    pools: Iterable[PoolSample],
    uses: Iterable[UseSample],
    pool_uses: Iterable[PoolUse | TierUse] = (),
) -> Learned:
    """Store samples; one that is there already stays as it is."""
    learned = Learned()
    with transaction.atomic():
        sums = _add_loads(list(disks), learned)
        _add_latencies(list(pools), sums, learned)
        store_keys = dict(Datastore.objects.values_list("identity", "pk"))
        days = [
            {"datastore_id": store_keys[s.identity], "day": s.day, "used_bytes": s.used_bytes, "capacity_bytes": None}
            for s in uses
            if s.identity in store_keys
        ]
        insert(DatastoreDay, days, keep=True)
        learned.samples += len(days) + _add_pool_uses(list(pool_uses))
    return learned


def _add_pool_uses(uses: Sequence[PoolUse | TierUse]) -> int:
    """Put what pools and their tiers held into their days. Returns how many there were."""
    pools = [each for each in uses if isinstance(each, PoolUse)]
    tiers = [each for each in uses if isinstance(each, TierUse)]
    rows = [{"pool_id": each.pool, "day": each.day, "allocated_bytes": each.allocated_bytes} for each in pools]
    insert(PoolDay, rows, keep=True)
    insert(
        TierDay,
        (
            {
                "pool_id": each.pool,
                "day": each.day,
                "tier": each.tier,
                "used_bytes": each.used_bytes,
                "moved_in_bytes": each.moved_in_bytes,
            }
            for each in tiers
        ),
        keep=True,
    )
    return len(uses)


Sums = dict[tuple[int, datetime], Floats]


def _add_loads(samples: list[DiskSample], learned: Learned) -> Sums:
    """Put loads into the days of their disks. Returns the features that they add to each pool and hour."""
    where = _disks_with_pools({sample.identity for sample in samples})
    by_day: dict[tuple[date, int], list[DiskSample]] = {}
    for sample in samples:
        if sample.identity in where:
            moment = sample.hour.astimezone(UTC)
            by_day.setdefault((moment.date(), where[sample.identity][0]), []).append(sample)
    told: list[tuple[int, DiskSample]] = []
    keys = list(by_day)
    for first in range(0, len(keys), AT_ONCE):
        part = keys[first : first + AT_ONCE]
        known = _loads_of({day for day, _ in part}, {disk for _, disk in part})
        rows = []
        for key in part:
            loads = np.frombuffer(known.get(key, NOTHING), dtype=np.float32).reshape(HOURS, 3).copy()
            news = [s for s in by_day[key] if np.isnan(loads[s.hour.astimezone(UTC).hour, 0])]
            pool = where[by_day[key][0].identity][1]
            for sample in news:
                hour = sample.hour.astimezone(UTC).hour
                loads[hour] = sample.read_iops, sample.write_iops, sample.kib
            told += [(pool, sample) for sample in news if pool is not None]
            if news:
                learned.samples += len(news)
                learned.disks.add(key[1])
                learned.hours |= {sample.hour for sample in news}
                rows.append({"day": key[0], "disk_id": key[1], "pool_id": pool, "loads": loads.tobytes()})
        insert(DiskDay, rows, ("loads", "pool"))
    return _summed(told)


def _summed(told: list[tuple[int, DiskSample]]) -> Sums:
    """The features of all samples on a pool in an hour together."""
    places = {at: n for n, at in enumerate(dict.fromkeys((pool, sample.hour) for pool, sample in told))}
    values = np.array([(s.read_iops, s.write_iops, s.kib) for _, s in told], dtype=np.float64).reshape(len(told), 3)
    sums = np.zeros((len(places), 4))
    np.add.at(sums, [places[pool, sample.hour] for pool, sample in told], features(*values.T).T)
    return {at: sums[n] for at, n in places.items()}


def _loads_of(days: Collection[date], disks: Collection[int]) -> dict[tuple[date, int], bytes]:
    rows = DiskDay.objects.filter(day__in=days, disk__in=disks).select_for_update()
    return {(day, disk): bytes(loads) for day, disk, loads in rows.values_list("day", "disk_id", "loads")}


def _disks_with_pools(identities: set[str]) -> dict[str, tuple[int, int | None]]:
    """Primary keys of disks and of the pool beneath each, by the disk's identity."""
    pool_of = pools_by_store()
    found = Disk.objects.filter(identity__in=identities)
    rows = found.values_list("identity", "pk", "placement__datastore_id")
    return {identity: (key, pool_of.get(store)) for identity, key, store in rows}


def _add_latencies(samples: list[PoolSample], sums: Mapping[tuple[int, datetime], Floats], learned: Learned) -> None:
    """Put latencies and summed features into the hours of their pools."""
    latencies = {(sample.pool, sample.hour): sample.latency_ms for sample in samples}
    wanted = {*latencies, *sums}
    if not wanted:
        return
    pools, hours = {pool for pool, _ in wanted}, {hour for _, hour in wanted}
    there = PoolHour.objects.filter(hour__gte=min(hours), hour__lte=max(hours), pool__in=pools).select_for_update()
    known = {(row[0], row[1]): row[2:] for row in there.values_list("pool_id", "hour", "latency_ms", *FEATURES)}
    rows = []
    for key in wanted:
        latency, *before = known.get(key, (None, None, None, None, None))
        if latency is None and key in latencies:
            latency = latencies[key]
            learned.samples += 1
        elif key not in sums:
            continue
        parts = sums.get(key)
        if parts is not None:
            before = [(value or 0.0) + float(part) for value, part in zip(before, parts, strict=True)]
        named = dict(zip(FEATURES, before, strict=True))
        rows.append({"pool_id": key[0], "hour": key[1], "latency_ms": latency, **named})
        learned.pools.add(key[0])
    insert(PoolHour, rows, ("latency_ms", *FEATURES))


def learn(learned: Learned, moment: datetime) -> None:
    """Make anew what rests on new samples: profiles of disks at those hours, curves of pools, and coincidences.

    A pool's coincidence is made once a day, as it takes all samples of its disks.
    """
    update_profiles(learned.disks, learned.hours, moment)
    for pool in Pool.objects.filter(pk__in=learned.pools):
        fit_pool(pool, moment)
    make_coincidences(coincidences_due(moment), moment)
    changes = [Change(Aspect.LOAD, "array", pool.device_id) for pool in Pool.objects.filter(pk__in=learned.pools)]
    with transaction.atomic():
        tell(changes)
    outdate_within(changes)


def prune(now: datetime) -> int:
    """Delete samples and daily figures older than is ever used. Returns how many rows went."""
    before = now - timedelta(days=KEPT_DAYS)
    gone = DiskDay.objects.filter(day__lt=before.date()).delete()[0]
    gone += PoolHour.objects.filter(hour__lt=before).delete()[0]
    years = (now - timedelta(days=Retention.now().figures_days)).date()
    for model in (DatastoreDay, VolumeDay, PoolDay, TierDay, ShareDay):
        gone += model._default_manager.filter(day__lt=years).delete()[0]
    return gone
