"""Service curves learned from hours of pools of several kinds, and what they say beyond the hours seen.

``python -m bench.curves`` prints, for each kind of pool and with and without wild hours, the median and the worst error
within the loads seen and up to 1.2 times of these, where a curve says anything, and how often it says it knows nothing.
The pools answer by formulas of their own: nothing of ``curve_fit`` is in them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from movelot_core.curve_fit import CurveFit, fit_curve
from movelot_core.latency import Floats, ServiceCurve, features, load

SATURATION: Final = 20_000.0
FALLBACK: Final = ServiceCurve(1.0, 1000.0)
NOISE: Final = 0.02


def waiting(servers: int, busy: Floats) -> Floats:
    """Mean waiting time before so many servers, in service times: the formula of Erlang, exactly."""
    busy = np.minimum(busy, 0.985)
    blocked = np.ones_like(busy)
    for n in range(1, servers + 1):
        blocked = servers * busy * blocked / (n + servers * busy * blocked)
    return np.asarray(blocked / (1 - busy * (1 - blocked)) / (servers * (1 - busy)))


def _behind_cache(busy: Floats) -> Floats:
    drives = np.clip((busy - 0.35) / 0.65, 0, 0.985)
    return np.asarray(0.4 + 5 * drives / (1 - drives))


POOLS: Final[dict[str, Callable[[Floats], Floats]]] = {
    "one queue": lambda busy: 0.9 / (1 - np.minimum(busy, 0.985)),
    "8 servers": lambda busy: 0.6 * (1 + waiting(8, busy)),
    "32 servers": lambda busy: 0.5 * (1 + waiting(32, busy)),
    "knee": lambda busy: 0.7 + np.maximum(0, busy - 0.5) * 12,
    "cache in front": _behind_cache,
    "drives": lambda busy: 0.5 + 4.5 * (1 + 0.9 * np.minimum(busy, 0.975) / (1 - np.minimum(busy, 0.975))),
    "cache that fills": lambda busy: 0.3 + (0.1 + 0.5 * np.minimum(busy, 1)) * 6 / (1 - np.minimum(busy, 0.985)),
    "alike at all loads": lambda busy: 1.5 + 0 * busy,
}


@dataclass(frozen=True)
class Hours:
    """Feature sums [4, n], latency [n] as measured, and a function of feature sums that tells the true one."""

    sums: Floats
    latency_ms: Floats
    true_ms: Callable[[Floats], Floats]


def measured(pool: str, seed: int, peak: float, wild: float = 0.0, missing: float = 0.0, days: int = 28) -> Hours:
    """Hours of a pool that is ``peak`` busy at most; shares of ``wild`` hours, and of those without a figure."""
    rng = np.random.default_rng(seed)
    hour = np.arange(days * 24) % 24
    asked = (0.35 + 0.65 * np.exp(-(((hour - 13) / 5.0) ** 2))) * rng.uniform(0.75, 1.0, len(hour))
    asked = asked / asked.max() * peak * SATURATION
    beta, gamma = rng.uniform(1.5, 4.0), rng.uniform(0.05, 0.25)
    writes = np.clip(0.25 + 0.12 * rng.standard_normal(len(hour)), 0.02, 0.8)
    kib = rng.choice([4.0, 8.0, 16.0, 32.0], len(hour)) * 0.3 + 8 * 0.7
    iops = asked / (1 - writes + beta * writes) / (1 + gamma * (kib - 8) / 8)
    sums = features(iops * (1 - writes), iops * writes, kib)

    def true_ms(told: Floats) -> Floats:
        return POOLS[pool]((told[0] + beta * told[1] + gamma * (told[2] + beta * told[3])) / SATURATION)

    latency = true_ms(sums) * rng.normal(1, NOISE, len(hour))
    odd = rng.random(len(hour)) < wild
    latency[odd] *= rng.uniform(2, 8, odd.sum())
    latency[rng.random(len(hour)) < missing] = np.nan
    return Hours(sums, latency, true_ms)


@dataclass(frozen=True)
class Errors:
    """The largest error within the loads seen and beyond them (None where nothing is said), and what was covered."""

    within: float
    beyond: float | None
    covered: float


def errors(hours: Hours, fit: CurveFit, seed: int) -> Errors:
    """Of a fit: against the truth, and the share of hours measured anew that the interval holds."""
    said = fit.curve.latency_ms(load(hours.sums, fit.curve))
    truth = hours.true_ms(hours.sums)
    most = hours.sums[:, np.argsort(-load(hours.sums, fit.curve), kind="stable")[:20]]
    beyond = None
    if not fit.cautious:
        beyond = max(
            float(np.abs(fit.curve.latency_ms(load(most * times, fit.curve)) / hours.true_ms(most * times) - 1).max())
            for times in (1.1, 1.2)
        )
    anew = truth * np.random.default_rng([seed, 99]).normal(1, NOISE, len(truth))
    covered = float(((anew >= said * fit.low) & (anew <= said * fit.high)).mean())
    return Errors(float(np.abs(said / truth - 1).max()), beyond, covered)


def print_table(seeds: int = 3) -> None:
    """For each kind of pool: pools that are 30, 60 and 80 % busy at most, ``seeds`` of each."""
    print(f"{'pool':<19}{'wild':>6}{'within':>9}{'worst':>8}{'beyond':>9}{'worst':>8}{'unknown':>9}{'covered':>16}")
    for pool in POOLS:
        for wild in (0.0, 0.1):
            told = []
            for seed in range(seeds):
                for peak in (0.3, 0.6, 0.8):
                    hours = measured(pool, seed, peak, wild, missing=0.02)
                    told.append(errors(hours, fit_curve(hours.sums, hours.latency_ms, FALLBACK), seed))
            within = [each.within for each in told]
            beyond = [each.beyond for each in told if each.beyond is not None]
            some = f"{np.median(beyond):>9.3f}{max(beyond):>8.3f}" if beyond else f"{'–':>9}{'–':>8}"
            covered = f"{min(each.covered for each in told):.2f} to {max(each.covered for each in told):.2f}"
            unknown = f"{len(told) - len(beyond)} of {len(told)}"
            print(f"{pool:<19}{wild:>6.0%}{np.median(within):>9.3f}{max(within):>8.3f}{some}{unknown:>9}{covered:>16}")


if __name__ == "__main__":
    print_table()
