"""What wants attention in a group and of a device: evidence by index, without a name or a sentence."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Final, TypeVar

import numpy as np

from movelot_core.balance.group import Group, State
from movelot_core.fabric.causes import Cause
from movelot_core.fabric.paths import PathVerdict

TREND_DAYS_MIN: Final = 5
TREND_BYTES_MIN: Final = 2**30
CLOCK_TOLERANCE_SECONDS: Final = 60.0
HEAVY_SHARE: Final = 0.5

Host = TypeVar("Host")
Array = TypeVar("Array")


class Urgency(StrEnum):
    """How soon a finding wants a person."""

    NOW = "now"
    SOON = "soon"
    NOTE = "note"


def growth_bytes_per_day(days: Sequence[float], used_bytes: Sequence[float]) -> float | None:
    """Median slope of use over days (Theil-Sen), which single jumps do not sway; None below five days.

    >>> growth_bytes_per_day([0, 1, 2, 3, 4], [0, 10, 20, 300, 40])
    10.0
    """
    if len(days) < TREND_DAYS_MIN:
        return None
    # Here, as scipy.stats takes seconds to load, which no start has to wait for.
    from scipy.stats import theilslopes

    return float(theilslopes(np.asarray(used_bytes, dtype=float), np.asarray(days, dtype=float))[0])


def runway_days(free_bytes: float, growth: float | None) -> float | None:
    """Days until ``free_bytes`` are used at ``growth`` bytes a day; None when it does not grow (or no trend)."""
    if growth is None or growth < TREND_BYTES_MIN:
        return None
    return max(0.0, free_bytes / growth)


@dataclass(frozen=True, slots=True)
class OverFill:
    """A datastore over its fill ceiling: shares, bytes over, growth a day and days until it is full where known."""

    fill: float
    ceiling: float
    over_bytes: int
    growth_bytes_per_day: float | None
    runway_days: float | None


def over_fill(group: Group, state: State, growth: Mapping[int, float | None]) -> dict[int, OverFill]:
    """Evidence by the index of each datastore that is over its ceiling; ``growth`` in bytes a day by index."""
    found = {}
    for s in map(int, np.flatnonzero(state.over_fill)):
        capacity, used = int(group.capacity_bytes[s]), int(state.used_bytes[s])
        slope = growth.get(s)
        over = used - int(group.room_bytes[s])
        left = runway_days(capacity - used, slope)
        found[s] = OverFill(float(state.fill[s]), group.fill_ceiling, over, slope, left)
    return found


@dataclass(frozen=True, slots=True)
class SlowPool:
    """A pool over its latency ceiling: its peak with its hour slot, and the fewest disks that make half of its load."""

    peak_ms: float
    ceiling_ms: float
    peak_slot: int
    slots_over: int
    heavy_disks: tuple[int, ...]
    heavy_share: float


def slow_pools(group: Group, state: State) -> dict[int, SlowPool]:
    """Evidence by the index of each pool that is over its latency ceiling; disks by index, heaviest first."""
    found = {}
    for p in map(int, np.flatnonzero(state.over_latency.any(axis=1))):
        slot = int(state.peak_hour[p])
        there = np.flatnonzero(group.pool_of[group.place] == p)
        loads = group.load_on(p, there)[:, slot]
        order = np.argsort(-loads, kind="stable")
        share = np.cumsum(loads[order]) / max(float(loads.sum()), 1e-9)
        count = int(np.searchsorted(share, HEAVY_SHARE)) + 1 if len(there) else 0
        found[p] = SlowPool(
            peak_ms=float(state.peak_ms[p]),
            ceiling_ms=group.latency_ceiling_ms,
            peak_slot=slot,
            slots_over=int(state.over_latency[p].sum()),
            heavy_disks=tuple(int(there[n]) for n in order[:count]),
            heavy_share=float(share[count - 1]) if count else 0.0,
        )
    return found


@dataclass(frozen=True, slots=True)
class MissingPaths:
    """Paths that a host does not see: how many of those expected it sees, over how many ports, and why by port."""

    seen: int
    expected: int
    ports_left: int
    causes: tuple[tuple[Cause, str], ...]

    @property
    def missing(self) -> int:
        """How many of the expected paths the host does not see."""
        return self.expected - self.seen

    @property
    def urgency(self) -> Urgency:
        """Now, where half or more are gone."""
        return Urgency.NOW if self.seen * 2 <= self.expected else Urgency.SOON


def missing_paths(paths: Iterable[PathVerdict]) -> MissingPaths | None:
    """Evidence when one host sees fewer paths to one array than expected."""
    expected = [path for path in paths if path.expected]
    lost = [path for path in expected if path.missing]
    if not lost:
        return None
    ports = {path.port for path in expected if path.seen}
    causes = sorted({(path.cause or Cause.NOT_RESCANNED, path.port) for path in lost})
    return MissingPaths(len(expected) - len(lost), len(expected), len(ports), tuple(causes))


def grouped_by_cause(
    found: Iterable[tuple[Host, Array, MissingPaths]],
) -> list[tuple[Host, list[Array], MissingPaths, Urgency]]:
    """Those of one host with the very same causes as one, as one thing settles them.

    Arrays stand in the order of how many paths are missing to each, most first; the sums are of all of them, and the
    urgency is that of the most urgent.
    """
    alike: dict[tuple[Host, tuple[tuple[Cause, str], ...]], list[tuple[Array, MissingPaths]]] = {}
    for host, array, evidence in found:
        alike.setdefault((host, evidence.causes), []).append((array, evidence))
    joined = []
    for (host, _), group in alike.items():
        group.sort(key=lambda each: -each[1].missing)
        worst = group[0][1]
        sums = replace(
            worst, seen=sum(each.seen for _, each in group), expected=sum(each.expected for _, each in group)
        )
        urgent = any(each.urgency is Urgency.NOW for _, each in group)
        joined.append((host, [array for array, _ in group], sums, Urgency.NOW if urgent else Urgency.SOON))
    return joined


def clock_is_off(offset_seconds: float | None) -> bool:
    """Whether a clock is off by more than a minute, so that logs and tickets of two devices would disagree.

    >>> clock_is_off(540.0), clock_is_off(-61.0), clock_is_off(3.0), clock_is_off(None)
    (True, True, False, False)
    """
    return offset_seconds is not None and abs(offset_seconds) > CLOCK_TOLERANCE_SECONDS
