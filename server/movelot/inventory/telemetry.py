"""Measured history: samples in, hourly features, disk profiles and service curves out, old rows pruned."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

import numpy as np
from django.conf import settings
from django.db import transaction
from django.db.models import F, FloatField, Max, Sum
from django.db.models.functions import Cast

from movelot.inventory.bulk import insert
from movelot.inventory.models import Datastore, DatastoreDay, Disk, DiskHour, Pool, PoolHour
from movelot.inventory.profiles import PROFILE_DAYS, make_profiles
from movelot.inventory.store import changed
from movelot_core.latency import ServiceCurve, fit_curve

KEPT_DAYS = 45
FALLBACK_CURVE = ServiceCurve(1.0, 1000.0, 2.0, 0.1)


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
    """A pool's mean response time in an hour; the pool is known by its URI."""

    uri: str
    hour: datetime
    latency_ms: float


@dataclass(frozen=True)
class UseSample:
    """Bytes a datastore held at the start of a day."""

    identity: str
    day: date
    used_bytes: int


def add_samples(disks: Iterable[DiskSample], pools: Iterable[PoolSample], uses: Iterable[UseSample]) -> int:
    """Store samples; one that is there already stays as it is. Returns how many were given."""
    rows = list(disks)
    where = _disks_with_pools({row.identity for row in rows})
    disk_rows = [
        {
            "disk_id": where[s.identity][0],
            "pool_id": where[s.identity][1],
            "hour": s.hour,
            "read_iops": s.read_iops,
            "write_iops": s.write_iops,
            "kib": s.kib,
        }
        for s in rows
        if s.identity in where
    ]
    pool_keys = dict(Pool.objects.values_list("uri", "pk"))
    pool_rows = [
        {"pool_id": pool_keys[s.uri], "hour": s.hour, "latency_ms": s.latency_ms} for s in pools if s.uri in pool_keys
    ]
    store_keys = dict(Datastore.objects.values_list("identity", "pk"))
    use_rows = [
        {"datastore_id": store_keys[s.identity], "day": s.day, "used_bytes": s.used_bytes}
        for s in uses
        if s.identity in store_keys
    ]
    with transaction.atomic():
        for model, new in ((DiskHour, disk_rows), (PoolHour, pool_rows), (DatastoreDay, use_rows)):
            insert(model, new, keep=True)
    return len(disk_rows) + len(pool_rows) + len(use_rows)


def _disks_with_pools(identities: set[str]) -> dict[str, tuple[int, int | None]]:
    """Primary keys of disks and of the pool beneath each, by the disk's identity."""
    pool_of = dict(Pool.objects.filter(volumes__serial__isnull=False).values_list("volumes__serial", "pk"))
    found = Disk.objects.filter(identity__in=identities).values_list("identity", "pk", "datastore__serial")
    return {identity: (key, pool_of.get(serial)) for identity, key, serial in found}


def learn() -> None:
    """Sum features of new pool hours, refit every pool's curve, and make the disks' profiles anew."""
    sum_features()
    for pool in Pool.objects.all():
        fit_pool(pool)
    make_profiles(datetime.now(UTC))
    changed()


def sum_features() -> None:
    """Fill ``features`` of pool hours that have none, from the disks' samples of that hour (summed by the database)."""
    for pool, first in PoolHour.objects.filter(features__isnull=True).values_list("pool").annotate(first=Max("hour")):
        waiting = {row.hour: row for row in PoolHour.objects.filter(pool=pool, features__isnull=True, hour__lte=first)}
        scale = (F("kib") - 8.0) / 8.0
        sums = (
            DiskHour.objects.filter(pool=pool, hour__in=list(waiting))
            .values("hour")
            .annotate(
                r=Sum("read_iops"),
                w=Sum("write_iops"),
                rk=Sum(Cast(F("read_iops") * scale, FloatField())),
                wk=Sum(Cast(F("write_iops") * scale, FloatField())),
            )
        )
        filled = []
        for row in sums:
            target = waiting[row["hour"]]
            target.features = [row["r"], row["w"], row["rk"], row["wk"]]
            filled.append(target)
        PoolHour.objects.bulk_update(filled, ["features"], batch_size=500)


def fit_pool(pool: Pool) -> None:
    """Fit the pool's service curve to its hours and keep it with its error."""
    since = datetime.now(UTC) - timedelta(days=PROFILE_DAYS)
    rows = list(
        PoolHour.objects.filter(pool=pool, hour__gte=since, features__isnull=False).values_list(
            "features", "latency_ms"
        )
    )
    if not rows and pool.fit_samples:
        # Nothing newer was measured: what is known stays, as of an imported estate.
        return
    sums = np.array([row[0] for row in rows], dtype=float).reshape(len(rows), 4).T
    fit = fit_curve(sums, np.array([row[1] for row in rows], dtype=float), FALLBACK_CURVE)
    Pool.objects.filter(pk=pool.pk).update(
        curve_l0_ms=fit.curve.l0_ms,
        curve_x_max=fit.curve.x_max,
        curve_beta=fit.curve.beta,
        curve_gamma=fit.curve.gamma,
        fit_error_ms=fit.error_ms,
        fit_samples=fit.samples,
        fit_seen_max=fit.seen_max,
        fit_cautious=fit.cautious,
    )


def prune(now: datetime) -> int:
    """Delete samples older than is ever used. Returns how many rows went."""
    before = now - timedelta(days=KEPT_DAYS)
    gone = DiskHour.objects.filter(hour__lt=before).delete()[0] + PoolHour.objects.filter(hour__lt=before).delete()[0]
    return (
        gone
        + DatastoreDay.objects.filter(day__lt=(before - timedelta(days=settings.TELEMETRY_DAYS)).date()).delete()[0]
    )
