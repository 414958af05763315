"""Hour-of-day profiles of disks, and how far their peaks coincide.

A disk's profile is its 95th percentile of each hour. It is kept up hour by hour: new samples change the profiles of
their disks at their hours of day, for which the same hours of the last four weeks are read, and nothing else.

Disks do not all have their worst hour on the same day, so the sum of profiles overstates a pool's load. The
*coincidence* of a pool and hour is the 95th percentile of the summed load over the sum of the disks' 95th percentiles:
at most 1. Estates scale each disk's load with its pool's value.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from datetime import UTC, date, datetime, timedelta

import numpy as np
from django.db.models import BinaryField, F, Q
from django.db.models.functions import Substr
from numpy.typing import NDArray

from movelot.inventory.bulk import insert
from movelot.inventory.curves import curve_of
from movelot.inventory.models import Disk, DiskDay, Pool
from movelot.inventory.placement import pools_by_store
from movelot_core.latency import HOURS, features, load, profile_over_days

PROFILE_DAYS = 28
COINCIDENCE_MADE_EVERY = timedelta(days=1)
DISKS_AT_ONCE = 500
HOUR_BYTES = 12
# From so many hours of a day on it is cheaper to read the whole day.
WHOLE_DAY_HOURS = 6
Floats = NDArray[np.float64]


def hourly_iops(profile: bytes | memoryview) -> Floats:
    """[24] Reads and writes a second of a day's stored profile together; zeros where none is measured yet."""
    stored = np.frombuffer(bytes(profile) or bytes(3 * HOURS * 4), dtype=np.float32)
    return np.asarray(stored.reshape(3, HOURS)[:2].sum(axis=0), dtype=np.float64)


def _days(moment: datetime) -> list[date]:
    """The days whose samples count, oldest first."""
    today = moment.astimezone(UTC).date()
    return [today - timedelta(days=n) for n in range(PROFILE_DAYS, -1, -1)]


def _weekend(days: Sequence[date]) -> NDArray[np.bool_]:
    return np.array([day.weekday() >= 5 for day in days], dtype=bool)


def update_profiles(disks: Collection[int], hours: Collection[datetime], moment: datetime) -> None:
    """Make the profiles of ``disks`` anew for the hours of day and kinds of day of new samples at ``hours``."""
    touched = {(hour.astimezone(UTC).weekday() >= 5, hour.astimezone(UTC).hour) for hour in hours}
    days = _days(moment)
    of_day = sorted({hour for _, hour in touched})
    for part in _parts(sorted(disks)):
        values = _samples(part, days, of_day)
        news = {}
        for kind in (False, True):
            chosen = [n for n, hour in enumerate(of_day) if (kind, hour) in touched]
            if chosen:
                at = [of_day[n] for n in chosen]
                news[kind] = at, profile_over_days(values[:, _weekend(days) == kind][:, :, chosen])
        _keep(part, news)


def _parts(keys: Sequence[int]) -> Iterator[Sequence[int]]:
    for first in range(0, len(keys), DISKS_AT_ONCE):
        yield keys[first : first + DISKS_AT_ONCE]


def _samples(disks: Sequence[int], days: Sequence[date], hours: Sequence[int]) -> Floats:
    """[disks, days, hours, 3] reads, writes and KiB; NaN where nothing was measured."""
    values = np.full((len(disks), len(days), len(hours), 3), np.nan)
    row_of, day_of = {key: n for n, key in enumerate(disks)}, {day: n for n, day in enumerate(days)}
    rows = DiskDay.objects.filter(disk__in=disks, day__gte=days[0], day__lte=days[-1])
    if len(hours) >= WHOLE_DAY_HOURS:
        whole = rows.annotate(part=F("loads")).values_list("disk_id", "day", "part")
        for disk, day, loads in whole.iterator(chunk_size=5000):
            measured = np.frombuffer(loads, dtype=np.float32).reshape(HOURS, 3)
            values[row_of[disk], day_of[day]] = measured[list(hours)]
        return values
    for n, hour in enumerate(hours):
        part = Substr("loads", 1 + HOUR_BYTES * hour, HOUR_BYTES, output_field=BinaryField())
        for disk, day, loads in (
            rows.annotate(part=part).values_list("disk_id", "day", "part").iterator(chunk_size=5000)
        ):
            values[row_of[disk], day_of[day], n] = np.frombuffer(loads, dtype=np.float32)
    return values


def _keep(disks: Sequence[int], news: dict[bool, tuple[list[int], Floats]]) -> None:
    """Put [disks, hours, 3] percentiles into the stored profiles, by kind of day."""
    whole = ("identity", "name", "machine_id", "size_bytes")
    rows = []
    number = {key: n for n, key in enumerate(disks)}
    stored = Disk.objects.filter(pk__in=disks).values("pk", *whole, "weekday_profile", "weekend_profile")
    for row in stored:
        n = number[row.pop("pk")]
        for kind, field in ((False, "weekday_profile"), (True, "weekend_profile")):
            profile = np.zeros((3, HOURS), dtype=np.float32)
            if row[field]:
                profile = np.frombuffer(row[field], dtype=np.float32).reshape(3, HOURS).copy()
            if kind in news:
                hours, found = news[kind]
                profile[:, hours] = found[n].T
            row[field] = profile.tobytes()
        rows.append(row)
    # Written over what is there: many times faster than an update of each.
    insert(Disk, rows, ("weekday_profile", "weekend_profile"))


def coincidences_due(moment: datetime) -> list[Pool]:
    """Pools whose coincidence is a day old, or was never made."""
    old = Q(coincidence_at__isnull=True) | Q(coincidence_at__lt=moment - COINCIDENCE_MADE_EVERY)
    return list(Pool.objects.filter(old).order_by("pk"))


def make_coincidences(chosen: Sequence[Pool], moment: datetime) -> None:
    """Make the coincidence of pools anew from all samples of the disks that are on them now, some hundred at a time."""
    pools = {pool.pk: pool for pool in chosen}
    pool_of = pools_by_store()
    placed = Disk.objects.filter(placement__isnull=False).order_by("pk").values_list("pk", "placement__datastore_id")
    where = {key: pool_of[store] for key, store in placed if pool_of.get(store) in pools}
    days, weekend = _days(moment), _weekend(_days(moment))
    together = {key: np.zeros((len(days), HOURS)) for key in pools}
    apart = {key: np.zeros((2, HOURS)) for key in pools}
    for part in _parts(list(where)):
        values = _samples(part, days, range(HOURS))
        for n, disk in enumerate(part):
            pool = pools[where[disk]]
            together[pool.pk] += np.nan_to_num(_load(np.moveaxis(values[n], 2, 0), pool))
            for kind in (0, 1):
                profile = profile_over_days(values[n : n + 1, weekend == kind])[0]
                apart[pool.pk][kind] += _load(profile.T, pool)
    for key, pool in pools.items():
        pool.coincidence_at = moment
        if together[key].any():
            pool.coincidence = _coincidence(together[key], apart[key], weekend)
    Pool.objects.bulk_update(pools.values(), ["coincidence", "coincidence_at"])


def _coincidence(together: Floats, apart: Floats, weekend: NDArray[np.bool_]) -> bytes:
    """[48] float32 from the summed load [days, 24] and the sums of percentiles [2, 24]."""
    measured = np.where(together > 0, together, np.nan)
    tops = np.stack([profile_over_days(measured[None, weekend == kind])[0] for kind in (False, True)])
    share = tops / np.maximum(apart, 1e-9)
    return np.where(apart > 0, np.clip(share, 0.1, 1.0), 1.0).astype(np.float32).tobytes()


def _load(measured: Floats, pool: Pool) -> Floats:
    """Load x of [3, ...] reads, writes and KiB on ``pool``."""
    read, write, kib = measured
    return load(features(read, write, kib), curve_of(pool))
