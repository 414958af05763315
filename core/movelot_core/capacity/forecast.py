"""How use goes on: a robust trend, and an interval from how wrong such forecasts were in the history's own past.

A forecast made on day t for h days later is the level of that day plus h times the growth of the weeks before. Made for
every day of the past, its errors are known for each h; the 10th and the 90th of a hundred of them, added to the
forecast of today, are the interval that is 80 % sure (split conformal prediction: Vovk, Gammerman, Shafer, *Algorithmic
Learning in a Random World*). It needs no model of the noise: a pattern of the week, bursts, a trend that bends all show
as errors. How many weeks the growth is told from is chosen by the least errors. For farther days than the past can
tell of, the errors grow as they did so far, by a power of h.

A step, one large arrival that stays, is no growth: it is taken out before. Where they keep coming they are part of how
use goes on, and stay in.

Worked example: 10 GiB a day for 60 days without noise, 400 GiB today: 700 GiB in 30 days, low and high alike; room for
150 GiB more lasts 15 days.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

Floats = NDArray[np.float64]
# With less no interval is told.
DAYS_MIN: Final = 14
SURE: Final = 0.8
HORIZON_DAYS: Final = 365
WEEK: Final = 7
# Weeks that growth is told from; a history that is shorter uses what it has.
WINDOWS: Final = (2, 4, 8, 16)
# As far ahead as errors are looked at, in days.
AHEAD: Final = (1, 2, 3, 5, 7, 10, 14, 21, 28, 42, 56, 84, 112)
# So many errors that do not overlap have to be known for a quantile of them to be used as it is.
ERRORS_MIN: Final = 4.0
# As far back as forecasts are made again to see how often they were right.
BACKTEST_DAYS: Final = 120
# By how much few errors widen the interval; chosen on generated histories (see bench.capacity).
FEW_WIDEN: Final = 1.4
# Older days say nothing of how use goes on.
HISTORY_DAYS: Final = 400
STEP_SHARE: Final = 0.03
STEP_SIGMAS: Final = 10.0
STEP_STAYS_DAYS: Final = 5
STEPS_RECUR: Final = 3
# A power of days: 0.5 is a random walk, 1 a growth that is mistaken.
POWER_LEAST, POWER_MOST = 0.5, 1.0


@dataclass(frozen=True)
class Step:
    """One large arrival, or departure, that stayed: bytes, on a day of the history."""

    day: int
    size_bytes: float


@dataclass(frozen=True)
class Forecast:
    """Use as it is, and [horizon] after 1, 2, … days: at least ``low`` and at most ``high`` in 80 of 100 cases.

    ``growth_bytes`` is that of a day, ``steps`` are what was no growth. Of ``tried`` forecasts made in the past for two
    weeks later, by the same rules and with what was known then, ``right`` had the truth in their interval.
    """

    used_bytes: float
    growth_bytes: float
    low: Floats
    likely: Floats
    high: Floats
    steps: tuple[Step, ...]
    right: int
    tried: int


def forecast(days: Sequence[int], used_bytes: Sequence[float], horizon: int = HORIZON_DAYS) -> Forecast | None:
    """How use goes on after the last of ``days`` (numbers that grow, gaps allowed); None for less than 14 of them."""
    if len(days) < DAYS_MIN or days[-1] - days[0] + 1 < DAYS_MIN:
        return None
    daily = _daily(np.asarray(days), np.asarray(used_bytes, dtype=np.float64))[-HISTORY_DAYS:]
    smooth, steps = _without_steps(_without_spikes(daily), days[-1] - len(daily) + 1)
    growths = [_growths(smooth, weeks) for weeks in WINDOWS]
    growth, errors = _best(smooth, growths)
    ahead = np.arange(1, horizon + 1, dtype=np.float64)
    low, high = _interval(errors, ahead)
    level = float(daily[-1])
    likely = level + growth * ahead
    middle = likely + (low + high) / 2
    right, tried = _backtest(smooth, growths)
    return Forecast(level, growth, likely + low, middle, likely + high, steps, right, tried)


def _daily(days: NDArray[np.int64], used: Floats) -> Floats:
    """[T] A value for each day; what is missing lies on the line between its neighbours."""
    every = np.arange(days[0], days[-1] + 1)
    return np.interp(every, days, used)


def _without_spikes(daily: Floats) -> Floats:
    """Days that stand out from those around them and are over by the next are as these."""
    around = np.concatenate([daily[:1], daily, daily[-1:]])
    middle = np.median(sliding_window_view(around, 3), axis=1)
    apart = np.abs(daily - middle)
    usual = np.median(np.abs(np.diff(daily))) + 1e-9
    found = np.where(apart > STEP_SIGMAS * usual, middle, daily)
    # Whether what is highest today is a spike cannot be known yet.
    found[-1] = daily[-1]
    return found


def _without_steps(daily: Floats, first: int) -> tuple[Floats, tuple[Step, ...]]:
    """The history as if single large arrivals had been there from its begin, and these."""
    change = np.diff(daily)
    usual = float(np.median(change))
    spread = 1.4826 * float(np.median(np.abs(change - usual)))
    least = max(STEP_SIGMAS * spread, STEP_SHARE * float(np.abs(daily).max()))
    found = []
    for at in np.flatnonzero(np.abs(change - usual) > least):
        before, after = daily[max(0, at - STEP_STAYS_DAYS + 1) : at + 1], daily[at + 1 : at + 1 + STEP_STAYS_DAYS]
        size = float(change[at] - usual)
        if abs(float(np.median(after) - np.median(before))) > 0.6 * abs(size):
            found.append((int(at), size))
    if not found or len(found) >= STEPS_RECUR:
        return daily, ()
    smooth = daily.copy()
    for at, size in found:
        smooth[: at + 1] += size
    return smooth, tuple(Step(first + at + 1, size) for at, size in found)


def _growths(daily: Floats, weeks: int) -> Floats:
    """[T] The growth a day as told on each day: the median change of a week over the weeks before; NaN too early."""
    found = np.full(len(daily), np.nan)
    changes = daily[WEEK:] - daily[:-WEEK]
    width = min(weeks * WEEK, max(1, len(changes) // 2))
    if len(changes) >= width:
        found[WEEK + width - 1 :] = np.median(sliding_window_view(changes, width), axis=1) / WEEK
    return found


def _errors(daily: Floats, growth: Floats, ahead: int) -> Floats:
    """[T - ahead] The errors of the forecasts made on each day of the past, so many days ahead; NaN too early."""
    return daily[ahead:] - (daily[:-ahead] + ahead * growth[:-ahead])


def _best(daily: Floats, growths: Sequence[Floats]) -> tuple[float, dict[int, Floats]]:
    """The growth as told today, and by days ahead the errors it made, from the weeks with least errors."""
    usable = [growth for growth in growths if not np.isnan(growth[-1])]
    least = _least(daily, usable, len(daily))
    if least is None:
        return float((daily[-1] - daily[0]) / max(1, len(daily) - 1)), {}
    growth = usable[least]
    found = {ahead: _errors(daily, growth, ahead) for ahead in AHEAD if ahead < len(daily)}
    return float(growth[-1]), {ahead: known for ahead, each in found.items() if (known := each[~np.isnan(each)]).size}


def _least(daily: Floats, growths: Sequence[Floats], until: int) -> int | None:
    """Which growth had least errors, of those known on day ``until``; None where none is.

    They are looked at two weeks ahead, or nearer where the history is too short for that.
    """
    for ahead in (2 * WEEK, WEEK, 3, 1):
        costs = []
        for growth in growths:
            known = _errors(daily[:until], growth[:until], ahead) if ahead < until else np.empty(0)
            known = known[~np.isnan(known)]
            costs.append(float(np.mean(np.abs(known))) if known.size else np.inf)
        if costs and np.isfinite(min(costs)):
            return int(np.argmin(costs))
    return None


def _interval(errors: dict[int, Floats], ahead: Floats) -> tuple[Floats, Floats]:
    """[horizon] What is added to a forecast for the low and the high end of its interval."""
    known = {h: each for h, each in errors.items() if len(each) / h >= ERRORS_MIN}
    if not known:
        known = dict(sorted(errors.items())[:1])
    if not known:
        return np.zeros_like(ahead), np.zeros_like(ahead)
    at = np.array(sorted(known), dtype=np.float64)
    ends = np.array([_ends(known[int(h)], h) for h in at]).T
    low, high = (np.interp(ahead, at, end) for end in ends)
    width = ends[1] - ends[0]
    power = _power(at, width)
    beyond = ahead > at[-1]
    grown = (ahead[beyond] / at[-1]) ** power
    # What lies between the ends grows by the power; a bias, as of a trend that bends, by the days.
    middle, half = (ends[0][-1] + ends[1][-1]) / 2, width[-1] / 2
    low[beyond] = middle * ahead[beyond] / at[-1] - half * grown
    high[beyond] = middle * ahead[beyond] / at[-1] + half * grown
    return low, high


def _ends(errors: Floats, ahead: float) -> Floats:
    """[2] Between which errors lie in 80 of 100 cases, farther out the fewer of them do not overlap."""
    apart = max(1.0, len(errors) / ahead)
    # Of n errors the next one is beyond the largest in 1 of n + 1 cases; ours are not quite independent either.
    shares = 0.5 + SURE / 2 * (1 + FEW_WIDEN / (apart + 1)) * np.array([-1.0, 1.0])
    return np.asarray(np.quantile(errors, np.clip(shares, 0.0, 1.0)), dtype=np.float64)


def _power(at: Floats, width: Floats) -> float:
    """By which power of the days the interval widens."""
    usable = width > 0
    if usable.sum() < 3:
        return POWER_MOST
    slope = np.polyfit(np.log(at[usable]), np.log(width[usable]), 1)[0]
    return float(np.clip(slope, POWER_LEAST, POWER_MOST))


def _backtest(daily: Floats, growths: Sequence[Floats]) -> tuple[int, int]:
    """How many forecasts of the past for two weeks later were right, and of how many; made by what was known then."""
    ahead, right, tried = 2 * WEEK, 0, 0
    for end in range(len(daily) - ahead, max(4 * WEEK, len(daily) - BACKTEST_DAYS) - 1, -WEEK):
        least = _least(daily, growths, end)
        if least is None:
            continue
        errors = _errors(daily, growths[least], ahead)
        known = errors[: end - ahead]
        known = known[~np.isnan(known)]
        if known.size and not np.isnan(errors[end - 1]):
            low, high = _ends(known, ahead)
            right += bool(low - 1 <= errors[end - 1] <= high + 1)
            tried += 1
    return right, tried


@dataclass(frozen=True)
class Runway:
    """Days until a ceiling is reached: 80 % sure not before ``early`` and not after ``late``.

    None is beyond the horizon, 0 is now. Without an interval (too little history) all are None and ``told`` is False.
    """

    early: int | None
    likely: int | None
    late: int | None
    told: bool = True


UNTOLD: Final = Runway(None, None, None, told=False)


def runway(found: Forecast | None, ceiling_bytes: float, used_bytes: float | None = None) -> Runway:
    """When use reaches ``ceiling_bytes``, by the forecast; without one only whether ``used_bytes`` have reached it."""
    used = found.used_bytes if found is not None else used_bytes
    if used is not None and used >= ceiling_bytes:
        return Runway(0, 0, 0, told=found is not None)
    if found is None:
        return UNTOLD
    early, likely, late = (_reached(curve, ceiling_bytes) for curve in (found.high, found.likely, found.low))
    return Runway(early, likely, late)


def _reached(curve: Floats, ceiling: float) -> int | None:
    over = curve >= ceiling
    return int(np.argmax(over)) + 1 if over.any() else None


def changed(found: Forecast, growth_times: float = 1.0, arrivals: Sequence[tuple[int, float]] = ()) -> Forecast:
    """The forecast if use grew so many times as fast, and bytes came in: ``arrivals`` are [in so many days, bytes]."""
    ahead = np.arange(1, len(found.likely) + 1, dtype=np.float64)
    more = (growth_times - 1) * found.growth_bytes * ahead
    for day, size in arrivals:
        more = more + np.where(ahead >= day, size, 0.0)
    now = found.used_bytes + sum(size for day, size in arrivals if day <= 0)
    low, likely, high = found.low + more, found.likely + more, found.high + more
    growth = found.growth_bytes * growth_times
    return replace(found, used_bytes=now, growth_bytes=growth, low=low, likely=likely, high=high)
