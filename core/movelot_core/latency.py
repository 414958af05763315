"""How slow a pool gets under load: what a disk's hours ask of it, and the curve of its answers.

Load of a disk in an hour: x = (r + beta*w) * (1 + gamma*(k-8)/8), with r and w its read and write IOPS and k the
KiB per I/O. A pool answers in L(x) = L0 + W * p**(sqrt(2(c+1))-1) / (c*(1-p)) milliseconds, with p = (x-K)/(X-K) for
how busy it is: the mean time in a queue before c servers (Sakasegawa's approximation of M/M/c), behind a front, as a
cache, that alone answers up to the load K. With one server, no front and W = L0 that is L0 / (1 - x/X), the single
queue. Which it is, and its values, are learned for each pool (``curve_fit``).
"""

from __future__ import annotations

from dataclasses import dataclass
from math import inf, sqrt
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

Floats = NDArray[np.float64]

HOURS: Final = 24
PROFILE_PERCENTILE: Final = 95
SATURATED_SHARE: Final = 0.98
TYPICAL_KIB: Final = 8.0
MEASURED_MARGIN: Final = 1.02


@dataclass(frozen=True, slots=True)
class ServiceCurve:
    """How long a pool takes: ``beta`` and ``gamma`` turn reads, writes and sizes into its load x.

    ``servers`` c, ``knee`` K and ``wait_ms`` W (L0 where it is None) are those of the formula above. ``knots``, (load,
    ms) pairs, stand in its place for a pool that no formula fits. Beyond the load ``known_max`` nothing is known.
    """

    l0_ms: float
    x_max: float
    beta: float = 1.0
    gamma: float = 0.0
    servers: float = 1.0
    knee: float = 0.0
    wait_ms: float | None = None
    knots: tuple[tuple[float, float], ...] = ()
    known_max: float = inf

    def latency_ms(self, load: Floats | float) -> Floats:
        """Latency at ``load``; beyond 98 % of saturation the value there, as queues then grow without end.

        Beyond the last of ``knots`` it grows as the load does.
        """
        load = np.asarray(load, dtype=float)
        if self.knots:
            at, told = np.array(self.knots).T
            return np.asarray(np.interp(load, at, told) * np.maximum(load / max(float(at[-1]), 1e-9), 1.0))
        share = np.clip((load - self.knee) / (self.x_max - self.knee), 0.0, SATURATED_SHARE)
        return np.asarray(self.l0_ms + self._wait * share**self._power / (self.servers * (1.0 - share)))

    @property
    def _wait(self) -> float:
        return self.l0_ms if self.wait_ms is None else self.wait_ms

    @property
    def _power(self) -> float:
        return sqrt(2 * (self.servers + 1)) - 1

    def load_at(self, ceiling_ms: float) -> float:
        """The load at which latency reaches ``ceiling_ms``; 0 if it never gets that low.

        >>> round(ServiceCurve(1.0, 1000.0).load_at(5.0))
        800
        """
        if float(self.latency_ms(0.0)) >= ceiling_ms:
            return 0.0
        most = self.knots[-1][0] if self.knots else self.knee + SATURATED_SHARE * (self.x_max - self.knee)
        if float(self.latency_ms(most)) <= ceiling_ms:
            return most
        if self.servers == 1.0 and not self.knots:
            beyond = ceiling_ms - self.l0_ms
            return self.knee + (self.x_max - self.knee) * beyond / (beyond + self._wait)
        return float(brentq(lambda load: float(self.latency_ms(load)) - ceiling_ms, 0.0, most, rtol=1e-9))

    def bearable(self, ceiling_ms: float) -> float:
        """The load that a pool is sure to bear within ``ceiling_ms``: no more than is known of it."""
        return min(self.load_at(ceiling_ms), self.known_max)


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
