"""Whether a pool can take a new volume, with every reason for and against."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

HEADROOM_SHARE: Final = 0.05
SUBSCRIPTION_WARN: Final = 1.5


class Verdict(StrEnum):
    FITS = "fits"
    TIGHT = "tight"
    REFUSED = "refused"


@dataclass(frozen=True, slots=True)
class Reason:
    """Why a verdict is what it is: a stable code and the figures the sentence needs."""

    code: str
    figures: dict[str, float]


@dataclass(frozen=True, slots=True)
class PoolFigures:
    """A pool as read: capacity, what is allocated in it, what is promised (subscribed), latency at its peak hour."""

    name: str
    capacity_bytes: int
    allocated_bytes: int
    subscribed_bytes: int
    peak_ms: float | None
    reaches_hosts: bool = True
    online: bool = True

    @property
    def free_bytes(self) -> int:
        return max(0, self.capacity_bytes - self.allocated_bytes)


@dataclass(frozen=True, slots=True)
class PoolFit:
    """Whether a pool can serve, what would be left and how far it would be subscribed (share of capacity)."""

    pool: str
    verdict: Verdict
    free_after_bytes: int
    subscription_after: float
    reasons: tuple[Reason, ...]


def fit_pool(pool: PoolFigures, size_bytes: int, thin: bool, latency_ceiling_ms: float) -> PoolFit:
    """Judge ``pool`` for a new volume of ``size_bytes``.

    A thick volume takes its size at once. A thin one takes space as it fills, yet must be able to: it is refused
    when larger than what is free, and *tight* when filling it would leave less than 5 % of the pool.

    Example: 10 TiB pool with 7 TiB allocated: 2 TiB fits and leaves 1 TiB; 4 TiB is refused, 3 TiB are free.
    """
    left = pool.free_bytes - size_bytes
    after = (pool.subscribed_bytes + size_bytes) / max(pool.capacity_bytes, 1)
    refused: list[Reason] = []
    tight: list[Reason] = []
    if not pool.online:
        refused.append(Reason("offline", {}))
    if not pool.reaches_hosts:
        refused.append(Reason("unreached", {}))
    if left < 0:
        refused.append(Reason("no_room", {"free_bytes": pool.free_bytes, "size_bytes": size_bytes}))
    elif left < HEADROOM_SHARE * pool.capacity_bytes:
        tight.append(Reason("little_left", {"left_bytes": left}))
    if pool.peak_ms is not None and pool.peak_ms > latency_ceiling_ms:
        tight.append(Reason("slow", {"peak_ms": pool.peak_ms, "ceiling_ms": latency_ceiling_ms}))
    if thin and after > SUBSCRIPTION_WARN:
        tight.append(Reason("subscribed", {"share": after}))
    verdict = Verdict.REFUSED if refused else Verdict.TIGHT if tight else Verdict.FITS
    return PoolFit(pool.name, verdict, max(0, left), after, tuple(refused + tight))


def rank_pools(pools: Sequence[PoolFigures], size_bytes: int, thin: bool, latency_ceiling_ms: float) -> list[PoolFit]:
    """All pools judged, best first: those that fit, then the tight, then the refused; most space left first."""
    order = {Verdict.FITS: 0, Verdict.TIGHT: 1, Verdict.REFUSED: 2}
    fits = [fit_pool(pool, size_bytes, thin, latency_ceiling_ms) for pool in pools]
    return sorted(fits, key=lambda fit: (order[fit.verdict], -fit.free_after_bytes, fit.pool))
