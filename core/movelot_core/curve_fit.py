"""Which service curve a pool has, learned from its measured hours.

Several shapes are tried: a single queue, several servers, a front with drives behind it, and both. Each is fitted, by
robust least squares on the logarithm of latency, without a part of the hours and judged on that: on every fourth hour,
and on those with most load, as what lies beyond the hours that are known is what plans ask for. A shape with more
values is taken only where it is clearly better. Where none fits, what was measured is the curve (*as measured*), risen
with load. How far the hours that were held back lie from what was said of them gives the interval: 90 % of them.

Beyond 1.2 times the highest load seen nothing is known; beyond that load itself nothing is where shapes that fit about
as well disagree there.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter
from scipy.optimize import isotonic_regression, least_squares

from movelot_core.latency import SATURATED_SHARE, Floats, ServiceCurve, beyond_measured, load

Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]

SAMPLES_MIN: Final = 24
# Of more hours than these every so manyth is fitted.
SAMPLES_MAX: Final = 360
BEYOND_SEEN: Final = 1.2
PRIOR_BETA: Final = 3.0
PRIOR_GAMMA: Final = 0.15
PRIOR_WEIGHT: Final = 0.05
# Errors (of the logarithm) up to this count squared, larger ones by themselves; those so many times the usual are none
# of the pool's.
USUAL_ERROR, OUTLIER_TIMES, ALIKE = 0.03, 5.0, 9
FOLDS, TOP_SHARE = 4, 0.15
# Most hours have little load: errors are told apart by so many stretches of load, each as much worth as the others.
STRETCHES: Final = 6
# A pool whose latency at most rises by less than this share has shown nothing of what comes.
RISE_SEEN: Final = 0.2
# A shape with more values has to err by so much less; one that errs by no more than this beside the best is as likely.
CLEARLY_BETTER, AS_LIKELY, AS_LIKELY_BY = 0.85, 1.5, 0.01
DISAGREE: Final = 0.2
# Shapes that err by more than this beyond what the best of them, or "as measured", does are none of this pool's.
SHAPELESS: Final = 0.03
COVERAGE: Final = 0.9
# Hours beyond saturation are to be so steep: a pool that answers all alike is not one that is saturated all day.
STEEP: Final = 4.0
# Shares of saturation up to which a front may answer alone, to begin with.
FRONTS: Final = (0.05, 0.15, 0.3)
KNOTS, MEDIAN_OF = 24, 4


@dataclass(frozen=True, slots=True)
class CurveFit:
    """A fitted curve and how far to trust it.

    ``error_ms`` is the typical error and ``seen_max`` the highest load of ``samples`` hours. Of hours that were held
    back 90 % lay between ``low`` and ``high`` times what was said. ``cautious``: nothing is known beyond what was seen.
    """

    curve: ServiceCurve
    shape: str
    error_ms: float
    samples: int
    seen_max: float
    cautious: bool
    low: float = 1.0
    high: float = 1.0

    def extrapolated(self, load: float) -> bool:
        """Whether ``load`` lies beyond what was ever measured."""
        return beyond_measured(load, self.seen_max)


@dataclass(frozen=True)
class Shape:
    """Values of the curve that are fitted beside L0, X, beta and gamma; the others are those of a single queue."""

    name: str
    servers: bool = False
    front: bool = False


SHAPES: Final = (
    Shape("one queue"),
    Shape("several servers", servers=True),
    Shape("front and drives", front=True),
    Shape("front and several servers", servers=True, front=True),
)
AS_MEASURED: Final = "as measured"
NOT_MEASURED: Final = "not measured"


@dataclass(frozen=True)
class _Hours:
    """Feature sums [4, n] and latency [n] of hours."""

    sums: Floats
    latency_ms: Floats
    stretch: Ints

    def __len__(self) -> int:
        return len(self.latency_ms)

    def of(self, which: Ints | Bools) -> _Hours:
        return _Hours(self.sums[:, which], self.latency_ms[which], self.stretch[which])

    def error(self, curve: ServiceCurve) -> Floats:
        """[n] Logarithm of what was measured over what the curve says."""
        return np.asarray(np.log(self.latency_ms / self.said(curve)))

    @property
    def most_iops(self) -> float:
        """The most operations of an hour, at least one."""
        return max(float((self.sums[0] + self.sums[1]).max()), 1.0)

    def said(self, curve: ServiceCurve) -> Floats:
        """[n] What the curve says of them."""
        return curve.latency_ms(load(self.sums, curve))

    def beyond_saturation(self, curve: ServiceCurve) -> Floats:
        """[n] Logarithm of how far each is beyond the load up to which the curve rises; 0 for those that are not."""
        share = (load(self.sums, curve) - curve.knee) / (curve.x_max - curve.knee)
        return np.asarray(np.log(np.maximum(share / SATURATED_SHARE, 1.0)))

    def spread(self, errors: Floats) -> float:
        """How large errors are on the whole; single ones that are wild count no more than large ones do."""
        size = np.minimum(np.abs(errors), 10 * USUAL_ERROR)
        return float(np.mean([size[self.stretch == n].mean() for n in np.unique(self.stretch)]))

    @property
    def weights(self) -> Floats:
        """[n] What an hour counts for: more where there are few of like load."""
        counts = np.bincount(self.stretch, minlength=STRETCHES)
        return np.asarray(np.minimum(np.sqrt(len(self) / STRETCHES / np.maximum(counts, 1)), 3.0)[self.stretch])


def fit_curve(feature_sums: Floats, latency_ms: Floats, fallback: ServiceCurve) -> CurveFit:
    """The curve of a pool from ``feature_sums`` [4, n] (see ``latency.features``) and ``latency_ms`` [n].

    Samples that are no numbers, as devices tell them now and then, are left out; without any the ``fallback`` is used.
    The same samples give the same curve.
    """
    sound = np.isfinite(latency_ms) & np.isfinite(feature_sums).all(axis=0)
    sound &= np.where(sound, latency_ms, 0.0) > 0
    hours = _Hours(feature_sums[:, sound], latency_ms[sound], np.zeros(int(sound.sum()), dtype=np.int64))
    count = len(hours)
    if count == 0:
        return CurveFit(fallback, NOT_MEASURED, 0.0, 0, 0.0, cautious=True)
    hours = hours.of(np.arange(count) % -(-count // SAMPLES_MAX) == 0)
    if count < SAMPLES_MIN:
        return _told(_as_measured(hours, ServiceCurve(1.0, 1.0, PRIOR_BETA, PRIOR_GAMMA)), hours, count)
    return _told(_chosen(hours), hours, count)


@dataclass(frozen=True)
class _Choice:
    """A curve fitted to all hours, the errors of what was held back, and up to how many times the load seen it holds.

    ``sure``: whether what is told beyond the load seen is more than a guess.
    """

    curve: ServiceCurve
    shape: str
    held_back: Floats
    times: float
    sure: bool


def _told(choice: _Choice, hours: _Hours, count: int) -> CurveFit:
    loads = load(hours.sums, choice.curve)
    seen_max = float(loads.max())
    curve = replace(choice.curve, known_max=seen_max * choice.times)
    low, high = np.quantile(choice.held_back, [(1 - COVERAGE) / 2, (1 + COVERAGE) / 2])
    error_ms = float(np.median(np.abs(curve.latency_ms(loads) - hours.latency_ms)))
    return CurveFit(
        curve, choice.shape, error_ms, count, seen_max, not choice.sure, float(np.exp(low)), float(np.exp(high))
    )


def _chosen(hours: _Hours) -> _Choice:
    """The shape that says best what was held back."""
    loads = load(hours.sums, _fitted(SHAPES[0], hours))
    hours = replace(hours, stretch=np.minimum((loads / max(loads.max(), 1e-9) * STRETCHES).astype(int), STRETCHES - 1))
    order = np.argsort(loads, kind="stable")
    top = np.zeros(len(hours), dtype=bool)
    top[order[int(len(order) * (1 - TOP_SHARE)) :]] = True
    fold = np.empty(len(hours), dtype=np.int64)
    # Hours of like load are in different folds.
    fold[order] = np.arange(len(hours)) % FOLDS
    tried = [_tried(shape, hours, top, fold == 0) for shape in SHAPES]
    # What misses hours like those it was fitted to says nothing of others, however lucky it is there.
    least = min(each.within for each in tried)
    tried = [each for each in tried if each.within <= least + SHAPELESS]
    best = tried[0]
    for each in tried[1:]:
        if each.error < best.error * CLEARLY_BETTER:
            best = each
    curve = best.whole
    measured = _as_measured(hours, curve)
    if best.within > hours.spread(measured.held_back) + SHAPELESS:
        return measured
    parts = [best.part, *(_fitted(best.shape, hours.of(fold != n), curve) for n in range(1, FOLDS))]
    held_back = np.concatenate([hours.of(fold == n).error(part) for n, part in enumerate(parts)])
    likely = [each for each in tried if each.error <= best.error * AS_LIKELY + AS_LIKELY_BY]
    others = [*parts, best.below, *(each.whole for each in likely if each is not best)]
    most = hours.of(np.argsort(-load(hours.sums, curve), kind="stable")[:5])
    agreed = _agree(most, curve, others)
    flat = float(most.said(curve).max()) < (1 + RISE_SEEN) * float(curve.latency_ms(0.0))
    return _Choice(curve, best.shape.name, held_back, BEYOND_SEEN if agreed or flat else 1.0, agreed and not flat)


@dataclass(frozen=True)
class _Tried:
    """A shape with its curves: of all hours, of all but a fourth, and of those ``below`` the most load; and errors."""

    shape: Shape
    whole: ServiceCurve
    part: ServiceCurve
    below: ServiceCurve
    within: float
    error: float


def _tried(shape: Shape, hours: _Hours, top: Bools, fourth: Bools) -> _Tried:
    whole = _fitted(shape, hours)
    part, below = _fitted(shape, hours.of(~fourth), whole), _fitted(shape, hours.of(~top), whole)
    rest, above = hours.of(fourth), hours.of(top)
    within = rest.spread(rest.error(part))
    return _Tried(shape, whole, part, below, within, within + above.spread(above.error(below)))


def _agree(most: _Hours, curve: ServiceCurve, others: list[ServiceCurve]) -> bool:
    """Whether other curves say about the same of the hours with most load, had they BEYOND_SEEN times as much."""
    beyond = replace(most, sums=most.sums * BEYOND_SEEN)
    said = beyond.said(curve)
    return all(float(np.abs(np.log(beyond.said(other) / said)).max()) <= DISAGREE for other in others)


def _fitted(shape: Shape, hours: _Hours, near: ServiceCurve | None = None) -> ServiceCurve:
    """The curve of a shape, fitted twice: the second time without hours that are far from others of like load.

    Looked for from ``near``, or else from fronts of several sizes: where it ends is found from nearby only.
    """
    starts = [near] if near else [_start(hours, knee) for knee in (FRONTS if shape.front else FRONTS[:1])]
    _cost, curve = min((_least_squares(shape, hours, start) for start in starts), key=lambda each: each[0])
    apart = np.abs(_apart(hours, curve))
    kept = apart <= OUTLIER_TIMES * max(float(np.median(apart)), USUAL_ERROR / 2)
    if kept.all() or kept.sum() < SAMPLES_MIN // 2:
        return curve
    return _least_squares(shape, hours.of(kept), curve)[1]


def _apart(hours: _Hours, curve: ServiceCurve) -> Floats:
    """[n] How much more each hour errs than those of like load do: a rise that a curve misses is no outlier."""
    order = np.argsort(load(hours.sums, curve), kind="stable")
    errors = hours.error(curve)
    apart = np.empty_like(errors)
    apart[order] = errors[order] - median_filter(errors[order], ALIKE, mode="nearest")
    return apart


def _start(hours: _Hours, knee: float) -> ServiceCurve:
    """A plausible curve to begin with, whose front answers alone up to a share ``knee`` of saturation."""
    least_ms, raw = float(np.percentile(hours.latency_ms, 5)), hours.most_iops
    x_max = raw * 2.5
    return ServiceCurve(max(least_ms, 0.02), x_max, PRIOR_BETA, PRIOR_GAMMA, 4.0, knee * x_max, max(least_ms, 0.02))


def _least_squares(shape: Shape, hours: _Hours, start: ServiceCurve) -> tuple[float, ServiceCurve]:
    """The cost and the curve, by Trust Region Reflective on the logarithms of all values but gamma and the knee."""
    raw = hours.most_iops
    values = [np.log(start.l0_ms), np.log(start.x_max), np.log(start.beta), start.gamma]
    low = [np.log(0.005), np.log(raw * 0.2), np.log(0.5), 0.0]
    high = [np.log(200.0), np.log(raw * 100), np.log(12.0), 2.0]
    if shape.servers:
        values.append(np.log(start.servers))
        low.append(0.0)
        high.append(np.log(64.0))
    if shape.front:
        values += [np.log(start.l0_ms if start.wait_ms is None else start.wait_ms), start.knee / start.x_max]
        low += [np.log(0.005), 0.0]
        high += [np.log(500.0), 0.9]

    def curve_of(told: Floats) -> ServiceCurve:
        l0, x_max, beta = (float(value) for value in np.exp(told[:3]))
        servers = float(np.exp(told[4])) if shape.servers else 1.0
        wait, knee = (float(np.exp(told[-2])), float(told[-1]) * x_max) if shape.front else (None, 0.0)
        return ServiceCurve(l0, x_max, beta, float(told[3]), servers, knee, wait)

    weights = hours.weights

    def residuals(told: Floats) -> Floats:
        curve = curve_of(told)
        # Where reads and writes rise together the samples cannot tell beta from X: a weak pull keeps it plausible.
        pull = np.array([np.log(curve.beta / PRIOR_BETA), (curve.gamma - PRIOR_GAMMA) * 2])
        errors = hours.error(curve) - STEEP * hours.beyond_saturation(curve)
        return np.concatenate([errors * weights, pull * PRIOR_WEIGHT * USUAL_ERROR * np.sqrt(len(hours))])

    found = least_squares(
        residuals, np.clip(values, low, high), bounds=(low, high), loss="soft_l1", f_scale=USUAL_ERROR, max_nfev=60
    )
    return float(found.cost), curve_of(found.x)


def _as_measured(hours: _Hours, weighed: ServiceCurve) -> _Choice:
    """Medians of hours of like load, risen with load; how load is counted is as ``weighed``."""
    loads = load(hours.sums, weighed)
    order = np.argsort(loads, kind="stable")
    # Stretches of equal width, none with fewer hours than tell a median.
    stretch = (loads[order] / max(float(loads.max()), 1e-9) * KNOTS).astype(int)
    parts: list[Ints] = []
    for part in np.split(order, np.flatnonzero(np.diff(stretch)) + 1):
        if parts and len(parts[-1]) < MEDIAN_OF:
            parts[-1] = np.concatenate([parts[-1], part])
        else:
            parts.append(part)
    if len(parts) > 1 and len(parts[-1]) < MEDIAN_OF:
        parts[-2:] = [np.concatenate(parts[-2:])]
    at = np.array([np.median(loads[part]) for part in parts])
    risen = np.exp(isotonic_regression(np.array([np.median(np.log(hours.latency_ms[part])) for part in parts])).x)
    knots = tuple((float(x), float(ms)) for x, ms in zip(at, risen, strict=True))
    curve = ServiceCurve(float(risen[0]), max(float(loads.max()), 1.0), weighed.beta, weighed.gamma, knots=knots)
    return _Choice(curve, AS_MEASURED, hours.error(curve), 1.0, sure=False)
