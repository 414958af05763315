"""How fast work on a pool's blocks may go, so that the pool stays under its latency ceiling while it runs.

Worked example: 600 GiB, and from now on the pool has room for 50, 50, 200, 200, 200, 200 GiB an hour, again and again.
Begun now it goes at 50, as the next hour allows no more, and takes 12 hours; begun in two hours' time it takes 3.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

HOUR_SECONDS: Final = 3600


@dataclass(frozen=True)
class Pace:
    """Begun in so many hours' time, so many bytes a second; it takes ``hours``."""

    begins_in: int
    bytes_per_second: float
    hours: float


def pace_from(amount_bytes: int, rates: Sequence[float], begin: int = 0) -> Pace | None:
    """The fastest steady pace that no hour it runs in is too busy for; None where an hour has no room at all.

    ``rates`` are bytes a second that each coming hour, of a day, has room for; days are alike.
    """
    if amount_bytes <= 0:
        return Pace(begin, max(rates, default=0.0), 0.0)
    best: Pace | None = None
    slowest = float("inf")
    for hours in range(1, len(rates) + 1):
        slowest = min(slowest, rates[(begin + hours - 1) % len(rates)])
        if slowest <= 0:
            break
        needed = amount_bytes / slowest / HOUR_SECONDS
        if needed <= hours:
            return Pace(begin, slowest, needed)
        best = Pace(begin, slowest, needed) if hours == len(rates) else best
    return best


def soonest_done(amount_bytes: int, rates: Sequence[float]) -> Pace | None:
    """The begin, within a day, from which it is over soonest; None where no hour has room long enough."""
    found = [pace for begin in range(len(rates)) if (pace := pace_from(amount_bytes, rates, begin)) is not None]
    return min(found, key=lambda pace: (pace.begins_in + pace.hours, pace.begins_in), default=None)
