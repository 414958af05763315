"""What more a pool could do hour by hour and still answer within its latency ceiling."""

from __future__ import annotations

from datetime import datetime, timedelta

import numpy as np
from django.db.models import Min

from movelot.inventory.curves import curve_of
from movelot.inventory.models import BalanceGroup, Pool, PoolHour
from movelot.inventory.placement import stores_on
from movelot_core.latency import load

LOOKED_BACK = timedelta(days=14)
HOURS = 24
USUAL_CEILING_MS = float(BalanceGroup._meta.get_field("latency_ceiling_ms").get_default())


def writes_to_spare(pool: Pool, moment: datetime) -> list[float] | None:
    """Writes of 8 KiB a second that each of the next 24 hours has room for, the present one first.

    An hour is taken to be as busy as the busiest of its kind, of a weekday or of a weekend, in two weeks. None where
    nothing is known of how the pool answers.
    """
    busiest = _busiest(pool, moment)
    if busiest is None:
        return None
    curve = curve_of(pool)
    most = curve.load_at(latency_ceiling(pool))
    coming = [moment + timedelta(hours=ahead) for ahead in range(HOURS)]
    return [max(0.0, most - busiest[_kind(hour), hour.hour]) / max(curve.beta, 1e-9) for hour in coming]


def _kind(hour: datetime) -> int:
    return int(hour.weekday() >= 5)


def _busiest(pool: Pool, moment: datetime) -> np.ndarray | None:
    """[2, 24] The highest load of each hour of weekdays and weekends; where one was never measured, of the other."""
    rows = PoolHour.objects.filter(pool=pool, hour__gte=moment - LOOKED_BACK, reads__isnull=False)
    told = list(rows.values_list("hour", "reads", "writes", "read_sizes", "write_sizes"))
    if not told or not pool.fit_samples:
        return None
    loads = load(np.array([row[1:] for row in told], dtype=float).T, curve_of(pool))
    found = np.full((2, HOURS), np.nan)
    for (hour, *_sums), value in zip(told, loads, strict=True):
        found[_kind(hour), hour.hour] = np.fmax(found[_kind(hour), hour.hour], value)
    other = np.where(np.isnan(found), found[::-1], found)
    return np.where(np.isnan(other), np.nanmax(found), other)


def latency_ceiling(pool: Pool) -> float:
    """The lowest, in ms, of the groups that its datastores are in; the usual one without any."""
    groups = BalanceGroup.objects.filter(members__datastore__in=stores_on(pool.pk))
    return float(groups.aggregate(lowest=Min("latency_ceiling_ms"))["lowest"] or USUAL_CEILING_MS)
