"""Hour-of-day profiles of disks, and how far their peaks coincide.

A disk's profile is its 95th percentile of each hour. Disks do not all have their worst hour on the same day, so the
sum of profiles overstates a pool's load. The *coincidence* of a pool and hour is the 95th percentile of the summed
load over the sum of the disks' 95th percentiles: at most 1. Estates scale each disk's load with its pool's value.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

import numpy as np
from numpy.typing import NDArray

from movelot.inventory.models import Disk, DiskHour, Pool
from movelot_core.latency import HOURS, features, hourly_profile

PROFILE_DAYS = 28
DISKS_AT_ONCE = 500
Floats = NDArray[np.float64]


class _Window:
    """The hours of the last four weeks, with hour of day and kind of day of each."""

    def __init__(self, now: datetime) -> None:
        self.start = (now - timedelta(days=PROFILE_DAYS)).replace(minute=0, second=0, microsecond=0)
        self.count = (PROFILE_DAYS + 1) * HOURS
        moments = [self.start + timedelta(hours=n) for n in range(self.count)]
        self.hours = np.array([moment.hour for moment in moments])
        self.weekend = np.array([moment.weekday() >= 5 for moment in moments])

    def profile(self, values: Floats) -> Floats:
        """[..., 48] percentiles of [..., samples], weekday hours then weekend hours; hours without samples are 0."""
        there = ~np.isnan(values).reshape(-1, self.count).all(axis=0)
        return np.concatenate(
            [
                hourly_profile(np.nan_to_num(values[..., there & kind]), self.hours[there & kind])
                for kind in (~self.weekend, self.weekend)
            ],
            axis=-1,
        )


def make_profiles(now: datetime) -> None:
    """Make the profiles of all disks and the coincidence of all pools anew, some hundred disks at a time."""
    window = _Window(now)
    pools = {pool.pk: pool for pool in Pool.objects.all()}
    pool_of = dict(Pool.objects.values_list("volumes__serial", "pk"))
    rows = list(Disk.objects.order_by("pk").values_list("pk", "datastore__serial"))
    together = {key: np.zeros(window.count) for key in pools}
    apart = {key: np.zeros(2 * HOURS) for key in pools}
    for start in range(0, len(rows), DISKS_AT_ONCE):
        part = rows[start : start + DISKS_AT_ONCE]
        values = _samples(window, [key for key, _ in part])
        profiles = window.profile(values)
        measured = np.asarray(~np.isnan(values).all(axis=(0, 2)))
        _keep([key for key, _ in part], profiles, measured)
        for number, (_, serial) in enumerate(part):
            pool = pools.get(pool_of.get(serial) or 0)
            if pool is not None:
                together[pool.pk] += np.nan_to_num(_load(values[:, number], pool))
                apart[pool.pk] += _load(profiles[:, number], pool)
    for key, pool in pools.items():
        if not together[key].any():
            continue
        share = window.profile(together[key]) / np.maximum(apart[key], 1e-9)
        pool.coincidence = np.where(apart[key] > 0, np.clip(share, 0.1, 1.0), 1.0).astype(np.float32).tobytes()
    Pool.objects.bulk_update(pools.values(), ["coincidence"])


def _samples(window: _Window, keys: Sequence[int]) -> Floats:
    """[3, disks, samples] reads, writes and KiB; NaN where nothing was measured."""
    values = np.full((3, len(keys), window.count), np.nan)
    position = {key: n for n, key in enumerate(keys)}
    rows = DiskHour.objects.filter(disk__in=keys, hour__gte=window.start)
    for disk, hour, *measured in rows.values_list("disk_id", "hour", "read_iops", "write_iops", "kib").iterator(
        chunk_size=5000
    ):
        values[:, position[disk], int((hour - window.start).total_seconds() // 3600)] = measured
    return values


def _load(measured: Floats, pool: Pool) -> Floats:
    """Load x of [3, n] reads, writes and KiB on ``pool``."""
    read, write, kib = measured
    parts = features(read, write, np.where(kib > 0, kib, 8.0))
    beta, gamma = pool.curve_beta, pool.curve_gamma
    return np.asarray(parts[0] + beta * parts[1] + gamma * parts[2] + beta * gamma * parts[3])


def _keep(keys: Sequence[int], profiles: Floats, measured: NDArray[np.bool_]) -> None:
    """Store the profiles of disks that were measured; others, as of an imported estate, keep what they have."""
    disks = [
        Disk(
            pk=key,
            weekday_profile=profiles[:, n, :HOURS].astype(np.float32).tobytes(),
            weekend_profile=profiles[:, n, HOURS:].astype(np.float32).tobytes(),
        )
        for n, key in enumerate(keys)
        if measured[n]
    ]
    Disk.objects.bulk_update(disks, ["weekday_profile", "weekend_profile"], batch_size=200)
