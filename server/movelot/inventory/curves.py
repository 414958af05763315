"""Service curves of pools, fitted to their measured hours."""

from __future__ import annotations

from datetime import datetime, timedelta

import numpy as np

from movelot.inventory.models import Pool, PoolHour
from movelot_core.latency import ServiceCurve, fit_curve

FITTED_DAYS = 28
FALLBACK_CURVE = ServiceCurve(1.0, 1000.0, 2.0, 0.1)


def fit_pool(pool: Pool, moment: datetime) -> None:
    """Fit the pool's service curve to its hours of the last weeks and keep it with its error."""
    since = moment - timedelta(days=FITTED_DAYS)
    known = PoolHour.objects.filter(pool=pool, hour__gte=since, reads__isnull=False, latency_ms__isnull=False)
    rows = list(known.order_by("hour").values_list("reads", "writes", "read_sizes", "write_sizes", "latency_ms"))
    if not rows and pool.fit_samples:
        # Nothing newer was measured: what is known stays, as of an imported estate.
        return
    values = np.array(rows, dtype=float).reshape(len(rows), 5).T
    fit = fit_curve(values[:4], values[4], FALLBACK_CURVE)
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


def curve_of(pool: Pool) -> ServiceCurve:
    return ServiceCurve(pool.curve_l0_ms, pool.curve_x_max, pool.curve_beta, pool.curve_gamma)
