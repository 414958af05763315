"""Service curves of pools, fitted to their measured hours."""

from __future__ import annotations

from datetime import datetime, timedelta
from math import inf, isfinite

import numpy as np

from movelot.inventory.models import Pool, PoolHour
from movelot_core.curve_fit import fit_curve
from movelot_core.latency import ServiceCurve

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
    curve = fit.curve
    Pool.objects.filter(pk=pool.pk).update(
        curve_l0_ms=curve.l0_ms,
        curve_x_max=curve.x_max,
        curve_beta=curve.beta,
        curve_gamma=curve.gamma,
        curve_servers=curve.servers,
        curve_knee=curve.knee,
        curve_wait_ms=curve.wait_ms,
        curve_knots=" ".join(f"{load!r}={ms!r}" for load, ms in curve.knots),
        curve_known_max=curve.known_max if isfinite(curve.known_max) else None,
        curve_shape=fit.shape,
        fit_error_ms=fit.error_ms,
        fit_samples=fit.samples,
        fit_seen_max=fit.seen_max,
        fit_cautious=fit.cautious,
        fit_low=fit.low,
        fit_high=fit.high,
    )


def curve_of(pool: Pool) -> ServiceCurve:
    """The curve that was learned, or fallen back on; known as far as was measured, or people say."""
    known = inf if pool.curve_known_max is None else pool.curve_known_max
    pairs = (pair.split("=") for pair in pool.curve_knots.split())
    return ServiceCurve(
        pool.curve_l0_ms,
        pool.curve_x_max,
        pool.curve_beta,
        pool.curve_gamma,
        pool.curve_servers,
        pool.curve_knee,
        pool.curve_wait_ms,
        tuple((float(load), float(ms)) for load, ms in pairs),
        max(known, pool.allowed_load or 0.0),
    )
