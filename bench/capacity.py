"""How often the interval of a forecast is right on days that were held back, by kind of history; and how long it takes.

``python -m bench.capacity``
"""

from __future__ import annotations

import time

import numpy as np

from core.tests.capacity.histories import KINDS, told
from movelot_core.capacity.forecast import forecast

EACH = 100
SERIES, DAYS = 250, 400


def report() -> None:
    """Print the share of intervals that were right for each kind, the worst last; then the time of many forecasts."""
    rng = np.random.default_rng(2026)
    shares, slowest = dict[str, float](), 0.0
    for name, kind in KINDS.items():
        right = 0
        for _ in range(EACH):
            ahead = int(rng.integers(10, 60))
            days, used, truth = told(kind, rng, ahead)
            begun = time.perf_counter()
            found = forecast(days, used)
            slowest = max(slowest, time.perf_counter() - begun)
            assert found is not None
            right += bool(found.low[ahead - 1] - 1e-6 <= truth <= found.high[ahead - 1] + 1e-6)
        shares[name] = right / EACH
    print(f"runway: intervals that were right, 80 % sure, {EACH} histories of each kind, 10 to 60 days held back")
    for name, share in sorted(shares.items(), key=lambda each: -each[1]):
        print(f"  {name} {share:.0%}")
    print(f"  all {np.mean(list(shares.values())):.1%} (aim 72 to 88), worst {min(shares.values()):.0%} (aim 60)")
    print(f"  slowest of one {1000 * slowest:.0f} ms (aim 100)")
    histories = [1000 + np.cumsum(rng.normal(10, 10, DAYS)) for _ in range(SERIES)]
    begun = time.perf_counter()
    for used in histories:
        forecast(list(range(DAYS)), list(used))
    print(f"  {SERIES} of {DAYS} days {time.perf_counter() - begun:.1f} s (aim 5)")


if __name__ == "__main__":
    report()
