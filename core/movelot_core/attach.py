"""Whether a pool can take new volumes, with every reason for and against; their names; and which goes where."""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from movelot_core.errors import DatastoreNameError, SizeError
from movelot_core.units import check_name

HEADROOM_SHARE: Final = 0.05
SUBSCRIPTION_WARN: Final = 1.5
COUNT_MAX: Final = 64
# Ways in which an array may make data smaller.
REDUCTIONS: Final = ("compression", "deduplication")
# Where an array with tiers keeps a volume's pages: it moves them by use, or holds them on one end.
TIERINGS: Final = ("by use", "fastest", "slowest")
_NUMBER = re.compile("#+")


class Verdict(StrEnum):
    """Whether a pool can take what is asked of it: with ease, with something to be warned of, or not."""

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
    """A pool by its id, as read: capacity, what is allocated and promised (subscribed), latency at its peak hour.

    ``granted`` says whether the storage team lets it be used; ``quota_left_bytes`` what of its grant is not promised
    yet, None where the whole pool is granted. ``reduces`` are the ways in which it can make data smaller.
    """

    pool: int
    capacity_bytes: int
    allocated_bytes: int
    subscribed_bytes: int
    peak_ms: float | None
    reaches_hosts: bool = True
    online: bool = True
    granted: bool = True
    quota_left_bytes: int | None = None
    reduces: frozenset[str] = frozenset()
    tiered: bool = False

    @property
    def free_bytes(self) -> int:
        """Bytes that no volume has taken yet; 0 where more is allocated than there is."""
        return max(0, self.capacity_bytes - self.allocated_bytes)


@dataclass(frozen=True, slots=True)
class PoolFit:
    """Whether a pool can serve, what would be left and how far it would be subscribed (share of capacity)."""

    pool: int
    verdict: Verdict
    free_after_bytes: int
    subscription_after: float
    reasons: tuple[Reason, ...]


def fit_pool(
    pool: PoolFigures,
    size_bytes: int,
    thin: bool,
    latency_ceiling_ms: float,
    reduced: Collection[str] = (),
    tiering: str = "",
) -> PoolFit:
    """Judge ``pool`` for a new volume of ``size_bytes`` that is to be ``reduced`` (see REDUCTIONS).

    ``tiering`` is where its pages are to lie (see TIERINGS); empty where nobody asks.

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
    refused += [Reason(f"no_{way}", {}) for way in REDUCTIONS if way in reduced and way not in pool.reduces]
    if tiering and not pool.tiered:
        refused.append(Reason("no_tiers", {}))
    if not pool.granted:
        refused.append(Reason("not_granted", {}))
    elif pool.quota_left_bytes is not None and size_bytes > pool.quota_left_bytes:
        refused.append(Reason("quota", {"left_bytes": max(0, pool.quota_left_bytes), "size_bytes": size_bytes}))
    if left < 0:
        refused.append(Reason("no_room", {"free_bytes": pool.free_bytes, "size_bytes": size_bytes}))
    elif left < HEADROOM_SHARE * pool.capacity_bytes:
        tight.append(Reason("little_left", {"left_bytes": left}))
    if pool.peak_ms is not None and pool.peak_ms > latency_ceiling_ms:
        tight.append(Reason("slow", {"peak_ms": pool.peak_ms, "ceiling_ms": latency_ceiling_ms}))
    if thin and after > SUBSCRIPTION_WARN:
        tight.append(Reason("subscribed", {"share": after}))
    verdict = Verdict.REFUSED if refused else Verdict.TIGHT if tight else Verdict.FITS
    return PoolFit(pool.pool, verdict, max(0, left), after, tuple(refused + tight))


def rank_pools(
    pools: Sequence[PoolFigures],
    size_bytes: int,
    thin: bool,
    latency_ceiling_ms: float,
    reduced: Collection[str] = (),
    tiering: str = "",
) -> list[PoolFit]:
    """All pools judged, best first: those that fit, then the tight, then the refused; most space left first."""
    order = {Verdict.FITS: 0, Verdict.TIGHT: 1, Verdict.REFUSED: 2}
    fits = [fit_pool(pool, size_bytes, thin, latency_ceiling_ms, reduced, tiering) for pool in pools]
    return sorted(fits, key=lambda fit: (order[fit.verdict], -fit.free_after_bytes, fit.pool))


def parse_count(text: str) -> int:
    """How many datastores are wanted: a whole number from 1 to 64. Raises SizeError.

    >>> parse_count(" 3 ")
    3
    """
    if not text.strip().isdecimal() or not 1 <= int(text) <= COUNT_MAX:
        raise SizeError("count_unusable", f"“{text.strip()}” is not a number from 1 to {COUNT_MAX}.", "Write it as 3.")
    return int(text)


def expand_names(pattern: str, count: int, taken: Collection[str], noun: str = "datastore or volume") -> list[str]:
    """``count`` free names after ``pattern``: each run of # becomes a number of that many digits, ascending.

    Numbers whose name is taken are skipped. One name without # is taken as it is and has to be free; several without
    # get a number behind a hyphen; ``noun`` is what they name. Raises DatastoreNameError for names that a device would
    refuse, or that are taken.

    >>> expand_names("berth-##", 3, {"berth-02"})
    ['berth-01', 'berth-03', 'berth-04']
    >>> expand_names("berth", 2, set())
    ['berth-1', 'berth-2']
    """
    if "#" not in pattern:
        if count == 1:
            return [_free(check_name(pattern, noun), taken, noun)]
        pattern = f"{pattern.strip()}-#"
    if len(_NUMBER.findall(pattern)) > 1:
        raise DatastoreNameError("name_pattern", "Only one run of # can become a number.", "Write it as berth-##.")
    names: list[str] = []
    for number in range(1, count + len(taken) + 1):
        name = _NUMBER.sub(lambda run, n=number: f"{n:0{len(run[0])}d}", pattern)  # type: ignore[misc]
        name = check_name(name, noun)
        if name not in taken:
            names.append(name)
        if len(names) == count:
            break
    return names


def _free(name: str, taken: Collection[str], noun: str) -> str:
    if name in taken:
        raise DatastoreNameError("name_taken", f"A {noun} named {name} exists already.", "Choose another name.")
    return name


def share_out(count: int, size_bytes: int, free_bytes: Sequence[int]) -> list[int]:
    """For each of ``count`` volumes of one size the pool it goes to, in proportion to what the pools have free.

    Each goes where most is free per volume held (D'Hondt's rule), among the pools that still have room for it; when
    none has, the rule goes on without regard to room, and the check of that pool says that it does not fit.

    >>> share_out(4, 1, [10, 21])
    [1, 1, 0, 1]
    """
    held, chosen = [0] * len(free_bytes), []
    for _ in range(count):
        roomy = [n for n, free in enumerate(free_bytes) if free >= size_bytes * (held[n] + 1)]
        best = max(roomy or range(len(held)), key=lambda n: (free_bytes[n] / (held[n] + 1), -n))
        held[best] += 1
        chosen.append(best)
    return chosen
