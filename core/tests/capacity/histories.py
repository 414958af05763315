"""Ten kinds of how use goes on over time, made up: what forecasts are judged on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Rng = np.random.Generator


@dataclass(frozen=True)
class Kind:
    """``made`` gives [days] the true use; ``seen`` which of the days are told, and ``spoiled`` what is told of them."""

    made: Callable[[Rng, int], Floats]
    seen: Callable[[Rng, int], NDArray[np.bool_]] = lambda _rng, days: np.ones(days, dtype=bool)
    spoiled: Callable[[Rng, Floats], Floats] = lambda _rng, used: used


def told(kind: Kind, rng: Rng, ahead: int) -> tuple[Sequence[int], Sequence[float], float]:
    """Days and use as told, and the true use ``ahead`` days after the last of them."""
    days = int(rng.integers(120, 400))
    used = kind.made(rng, days + ahead)
    seen = kind.seen(rng, days)
    seen[-1] = True
    return list(np.flatnonzero(seen)), list(kind.spoiled(rng, used[:days])[seen]), float(used[-1])


def _growth(rng: Rng) -> tuple[float, float]:
    """The size at the begin, and what comes in a day."""
    return float(rng.uniform(300, 3000)), float(rng.uniform(2, 40))


def _trend(rng: Rng, days: int) -> Floats:
    begin, growth = _growth(rng)
    return begin + growth * np.arange(days) + rng.normal(0, growth * rng.uniform(0.5, 4), days)


def _seasons(rng: Rng, days: int) -> Floats:
    begin, growth = _growth(rng)
    t = np.arange(days)
    week = rng.uniform(2, 10) * np.sin(2 * np.pi * t / 7 + rng.uniform(0, 6))
    month = rng.uniform(3, 15) * np.sin(2 * np.pi * t / 30 + rng.uniform(0, 6))
    return begin + growth * (t + week + month) + rng.normal(0, growth, days)


def _steps(rng: Rng, days: int) -> Floats:
    begin, growth = _growth(rng)
    used = begin + growth * np.arange(days) / 2 + rng.normal(0, growth, days)
    for _ in range(int(rng.integers(1, 6))):
        used[int(rng.integers(0, days)) :] += rng.uniform(0.05, 0.3) * begin
    return used


def _saturating(rng: Rng, days: int) -> Floats:
    begin, growth = _growth(rng)
    bend = rng.uniform(40, 200)
    return begin + growth * bend * (1 - np.exp(-np.arange(days) / bend)) + rng.normal(0, growth * 0.3, days)


def _bursty(rng: Rng, days: int) -> Floats:
    begin, growth = _growth(rng)
    arrivals = np.where(rng.random(days) < 0.1, rng.exponential(10 * growth, days), 0.0)
    return begin + np.cumsum(arrivals) + rng.normal(0, growth * 0.2, days)


def _wandering(rng: Rng, days: int) -> Floats:
    begin, growth = _growth(rng)
    return begin + growth * np.arange(days) + np.cumsum(rng.normal(0, growth * 0.8, days))


def _falling(rng: Rng, days: int) -> Floats:
    begin, growth = _growth(rng)
    return begin * 3 - growth * np.arange(days) / 2 + np.cumsum(rng.normal(0, growth * 0.7, days))


def _once_a_week(_rng: Rng, days: int) -> NDArray[np.bool_]:
    return np.arange(days) % 7 == 0


def _of_late(rng: Rng, days: int) -> NDArray[np.bool_]:
    return np.arange(days) >= days - int(rng.integers(16, 40))


def _with_gaps(rng: Rng, days: int) -> NDArray[np.bool_]:
    seen = rng.random(days) < 0.6
    begin = int(rng.integers(0, days - 20))
    seen[begin : begin + 20] = False
    return np.asarray(seen, dtype=bool)


def _spikes(rng: Rng, used: Floats) -> Floats:
    found = used.copy()
    at = rng.random(len(used)) < 0.03
    found[at] += rng.choice([-1, 1], at.sum()) * rng.uniform(0.02, 0.2, at.sum()) * used[at]
    return found


KINDS = {
    "trend": Kind(_trend),
    "seasons": Kind(_seasons),
    "steps": Kind(_steps),
    "saturating": Kind(_saturating),
    "bursty": Kind(_bursty),
    "sparse": Kind(_wandering, _once_a_week),
    "falling": Kind(_falling),
    "new": Kind(_wandering, _of_late),
    "gaps": Kind(_wandering, _with_gaps),
    "outliers": Kind(_wandering, spoiled=_spikes),
}
