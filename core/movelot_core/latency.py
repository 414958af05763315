"""How slow a pool gets under load, learned from what was measured.

Load of a disk in an hour: x = (r + beta*w) * (1 + gamma*(k-8)/8), with r and w its read and write IOPS and k the
KiB per I/O. A pool answers in L(x) = L0 / (1 - x/X) milliseconds: the mean response time of a single queue with
service time L0 and saturation load X (M/M/1). L0, X, beta and gamma are fitted for each pool.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

Floats = NDArray[np.float64]

HOURS: Final = 24
PROFILE_PERCENTILE: Final = 95
SAMPLES_MIN: Final = 24
USED_SHARE_MIN: Final = 0.25
CAUTIOUS_SHARE: Final = 0.5
SATURATED_SAMPLES_MAX: Final = 0.05
SATURATED_SHARE: Final = 0.98
TYPICAL_KIB: Final = 8.0
MEASURED_MARGIN: Final = 1.02
PRIOR_BETA: Final = 3.0
PRIOR_GAMMA: Final = 0.15
PRIOR_WEIGHT: Final = 0.4


@dataclass(frozen=True, slots=True)
class ServiceCurve:
    """L(x) = l0_ms / (1 - x/x_max); ``beta`` and ``gamma`` turn reads, writes and sizes into x."""

    l0_ms: float
    x_max: float
    beta: float = 1.0
    gamma: float = 0.0

    def latency_ms(self, load: Floats | float) -> Floats:
        """Latency at ``load``; beyond 98 % of saturation the value there, as queues then grow without end."""
        share = np.minimum(np.asarray(load, dtype=float) / self.x_max, SATURATED_SHARE)
        return np.asarray(self.l0_ms / (1.0 - share))

    def load_at(self, ceiling_ms: float) -> float:
        """The load at which latency reaches ``ceiling_ms``: X*(1 - L0/ceiling); 0 if it never gets that low.

        >>> round(ServiceCurve(1.0, 1000.0).load_at(5.0))
        800
        """
        return max(0.0, self.x_max * min(SATURATED_SHARE, 1.0 - self.l0_ms / ceiling_ms))


@dataclass(frozen=True, slots=True)
class CurveFit:
    """A fitted curve and how far to trust it: typical error in ms, samples used, highest load seen."""

    curve: ServiceCurve
    error_ms: float
    samples: int
    seen_max: float
    cautious: bool

    def extrapolated(self, load: float) -> bool:
        """Whether ``load`` lies beyond what was ever measured."""
        return beyond_measured(load, self.seen_max)


def beyond_measured(load: float, seen_max: float) -> bool:
    """Whether a load lies beyond the highest that was measured, by more than measuring errs."""
    return load > seen_max * MEASURED_MARGIN


def features(reads: Floats, writes: Floats, kib: Floats) -> Floats:
    """The four sums x is linear in: r, w, r*(k-8)/8, w*(k-8)/8; stacked on a new first axis.

    A size of 0 is one that was not told: it counts as 8 KiB.
    """
    scale = np.where(kib > 0, (kib - TYPICAL_KIB) / TYPICAL_KIB, 0.0)
    return np.asarray(np.stack([reads, writes, reads * scale, writes * scale]), dtype=np.float64)


def weights(curve: ServiceCurve) -> Floats:
    """Factors that turn ``features`` into load x on a pool with ``curve``."""
    return np.array([1.0, curve.beta, curve.gamma, curve.beta * curve.gamma])


def load(feature_sums: Floats, curve: ServiceCurve) -> Floats:
    """Load x of summed ``features`` on a pool with ``curve``."""
    return np.asarray(np.tensordot(weights(curve), feature_sums, axes=1), dtype=np.float64)


def profile_over_days(values: Floats) -> Floats:
    """95th percentiles over the second axis of [things, days, ...]: what is missing (NaN) is left out; 0 without any.

    Between two measured values the percentile lies on the line that joins them.
    """
    there = ~np.isnan(values)
    ordered = np.sort(np.where(there, values, np.inf), axis=1)
    last = np.maximum(there.sum(axis=1) - 1, 0)
    place = last * (PROFILE_PERCENTILE / 100)
    low = np.floor(place).astype(int)
    if not values.shape[1]:
        return np.zeros(place.shape)
    below, above = (np.take_along_axis(ordered, n[:, None], axis=1)[:, 0] for n in (low, np.minimum(low + 1, last)))
    known = there.any(axis=1)
    below, above = np.where(known, below, 0.0), np.where(known, above, 0.0)
    return np.asarray(below + (above - below) * (place - low))


def fit_curve(feature_sums: Floats, latency_ms: Floats, fallback: ServiceCurve) -> CurveFit:
    """Fit a pool's curve to samples by robust least squares (soft L1, Trust Region Reflective).

    ``feature_sums`` has shape [4, n] (see ``features``), ``latency_ms`` shape [n]. With fewer than 24 samples, or
    loads that never used a quarter of the fitted saturation, the knee was not seen: the fit is then *cautious*. So it
    is where more than a twentieth of what was measured lies beyond the fitted saturation, as of a pool that answers
    alike under any load seen. The cautious curve takes the highest load seen for half busy, and its latency for what
    was measured near it (95th percentile): it never contradicts what was measured and rises soon after. Without
    samples ``fallback`` is used. Samples that are no numbers, as devices tell them now and then, are left out.
    """
    sound = np.isfinite(latency_ms) & np.isfinite(feature_sums).all(axis=0)
    feature_sums, latency_ms = feature_sums[:, sound], latency_ms[sound]
    count = int(latency_ms.size)
    if count == 0:
        return CurveFit(fallback, 0.0, 0, 0.0, cautious=True)
    raw = feature_sums[0] + feature_sums[1]
    start = [max(float(latency_ms.min()), 0.05), max(float(raw.max()), 1.0) * 1.5, 2.0, 0.1]
    lower, upper = [0.01, max(float(raw.max()) * 0.2, 1.0), 0.5, 0.0], [100.0, 1e7, 12.0, 2.0]

    scale = max(float(np.median(latency_ms)) * 0.1, 0.02)

    def residuals(params: Floats) -> Floats:
        curve = ServiceCurve(*(float(value) for value in params))
        # Where reads and writes rise together the samples cannot tell beta from X: a weak pull keeps it plausible.
        pull = [np.log(curve.beta / PRIOR_BETA), (curve.gamma - PRIOR_GAMMA) * 2]
        misses = curve.latency_ms(load(feature_sums, curve)) - latency_ms
        return np.concatenate([misses, np.array(pull) * scale * PRIOR_WEIGHT * np.sqrt(count)])

    found = least_squares(
        residuals,
        np.clip(start, lower, upper),
        bounds=(lower, upper),
        loss="soft_l1",
        f_scale=scale,
        x_scale=[1.0, start[1], 1.0, 0.2],
        max_nfev=400,
    )
    curve = ServiceCurve(*(float(value) for value in found.x))
    loads = load(feature_sums, curve)
    seen_max = float(loads.max())
    saturated = float(np.mean(loads > SATURATED_SHARE * curve.x_max))
    unseen_knee = count < SAMPLES_MIN or seen_max < USED_SHARE_MIN * curve.x_max
    cautious = unseen_knee or saturated > SATURATED_SAMPLES_MAX
    if cautious:
        floor_ms = max(float(np.percentile(latency_ms, 95)) * (1 - CAUTIOUS_SHARE), 0.01)
        curve = ServiceCurve(floor_ms, max(seen_max, 1.0) / CAUTIOUS_SHARE, curve.beta, curve.gamma)
    errors = np.abs(curve.latency_ms(load(feature_sums, curve)) - latency_ms)
    return CurveFit(curve, float(np.median(errors)), count, seen_max, cautious)
