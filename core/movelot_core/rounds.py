"""Findings: what wants attention, judged from readings, most urgent first."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Final

import numpy as np

from movelot_core.balance.estate import Estate, State
from movelot_core.fabric.paths import PathVerdict

TREND_DAYS_MIN: Final = 5
TREND_BYTES_MIN: Final = 2**30
CLOCK_TOLERANCE_SECONDS: Final = 60.0


class Urgency(StrEnum):
    """How soon a finding wants a person."""

    NOW = "now"
    SOON = "soon"
    NOTE = "note"


@dataclass(frozen=True)
class Finding:
    """One thing that wants attention: its kind, what it is about, the stage that settles it, figures and reasons."""

    kind: str
    urgency: Urgency
    subject_kind: str
    subject: str
    stage: str
    figures: Mapping[str, float | int | str | None]
    reasons: tuple[str, ...] = field(default=())
    # What tells two of one kind about one thing apart, such as the array that a host misses paths to.
    scope: str = ""

    @property
    def key(self) -> str:
        """The same trouble of the same thing has the same key in every round."""
        return ":".join(part for part in (self.kind, self.subject_kind, self.subject, self.scope) if part)


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


def over_fill(estate: Estate, state: State, growth: Mapping[str, float | None]) -> list[Finding]:
    """A finding for each datastore over its fill ceiling, with the days until it is full."""
    found = []
    for s in np.flatnonzero(state.over_fill):
        name = estate.datastores[s]
        capacity, used = int(estate.capacity_bytes[s]), int(state.used_bytes[s])
        slope = growth.get(name)
        figures: dict[str, float | int | str | None] = {
            "fill": float(state.fill[s]),
            "ceiling": estate.fill_ceiling,
            "over_bytes": used - int(estate.room_bytes[s]),
            "growth_bytes_per_day": slope,
            "runway_days": runway_days(capacity - used, slope),
        }
        found.append(Finding("over_fill", Urgency.NOW, "datastore", name, "balance", figures))
    return found


def slow_pools(estate: Estate, state: State) -> list[Finding]:
    """A finding for each pool over its latency ceiling, with the fewest disks that make half of its load."""
    found = []
    for p in np.flatnonzero(state.over_latency.any(axis=1)):
        hour = int(state.peak_hour[p])
        there = np.flatnonzero(estate.pool_of[estate.place] == p)
        loads = estate.load_on(int(p), there)[:, hour]
        order = np.argsort(-loads, kind="stable")
        share = np.cumsum(loads[order]) / max(float(loads.sum()), 1e-9)
        count = int(np.searchsorted(share, 0.5)) + 1 if len(there) else 0
        figures: dict[str, float | int | str | None] = {
            "peak_ms": float(state.peak_ms[p]),
            "ceiling_ms": estate.latency_ceiling_ms,
            "peak_hour": hour,
            "hours_over": int(state.over_latency[p].sum()),
            "heavy_disks": count,
            "heavy_share": float(share[count - 1]) if count else 0.0,
        }
        heavy = tuple(estate.disks[int(there[n])] for n in order[:count])
        found.append(Finding("slow_pool", Urgency.NOW, "pool", estate.pools[p], "balance", figures, heavy))
    return found


def missing_paths(host: str, cluster: str, array: str, paths: Iterable[PathVerdict]) -> Finding | None:
    """A finding when ``host`` sees fewer paths to ``array`` than expected; urgent when half or more are gone."""
    expected = [path for path in paths if path.expected]
    lost = [path for path in expected if path.missing]
    if not lost:
        return None
    seen = len(expected) - len(lost)
    causes = sorted({f"{path.cause}:{path.port}" for path in lost})
    ports = {path.port for path in expected if path.seen}
    figures: dict[str, float | int | str | None] = {
        "cluster": cluster,
        "array": array,
        "arrays": array,
        "seen": seen,
        "expected": len(expected),
        "ports_left": len(ports),
        "port": lost[0].port,
    }
    urgency = Urgency.NOW if seen * 2 <= len(expected) else Urgency.SOON
    return Finding("missing_paths", urgency, "host", host, "attach", figures, tuple(causes), array)


def joined_by_cause(findings: Iterable[Finding]) -> list[Finding]:
    """Findings of missing paths, those of one host with the very same reasons as one, as one thing settles them.

    Its array is the one that most paths to are missing, and with whose lot it is settled; ``arrays`` names all.
    """
    alike: dict[tuple[str, tuple[str, ...]], list[Finding]] = {}
    for finding in findings:
        alike.setdefault((finding.subject, finding.reasons), []).append(finding)
    return [_joined(group) for group in alike.values()]


def _joined(group: Sequence[Finding]) -> Finding:
    def total(name: str) -> int:
        return sum(int(finding.figures[name] or 0) for finding in group)

    def missing(finding: Finding) -> int:
        return int(finding.figures["expected"] or 0) - int(finding.figures["seen"] or 0)

    worst = max(group, key=missing)
    names = sorted(str(finding.figures["array"]) for finding in group)
    sums: dict[str, float | int | str | None] = {
        "seen": total("seen"),
        "expected": total("expected"),
        "arrays": " and ".join(names),
    }
    urgency = Urgency.NOW if any(finding.urgency is Urgency.NOW for finding in group) else Urgency.SOON
    return replace(worst, urgency=urgency, figures={**worst.figures, **sums})


def no_interface(host: str, cluster: str, array: str, subnet: str, over_fc: bool = False) -> Finding:
    """A finding for a host that lacks an interface in a subnet of ``array`` where most of the cluster has one.

    Over FC it is a port in a fabric that it lacks, which is a card or a cable: no lot makes it.
    """
    figures: dict[str, float | int | str | None] = {"cluster": cluster, "array": array, "subnet": subnet}
    figures["what"] = "port" if over_fc else "interface"
    return Finding("no_interface", Urgency.SOON, "host", host, "attach", figures, (), f"{array} {subnet}")


def device_trouble(name: str, state: str, detail: str, age_seconds: float | None) -> Finding:
    """A finding for a device that is away, refuses the account, or shows another certificate."""
    return Finding(
        "device_trouble",
        Urgency.NOW,
        "device",
        name,
        "devices",
        {"state": state, "age_seconds": age_seconds},
        (detail,),
    )


def clock_is_off(offset_seconds: float | None) -> bool:
    """Whether a clock is off by more than a minute, so that logs and tickets of two devices would disagree.

    >>> clock_is_off(540.0), clock_is_off(-61.0), clock_is_off(3.0), clock_is_off(None)
    (True, True, False, False)
    """
    return offset_seconds is not None and abs(offset_seconds) > CLOCK_TOLERANCE_SECONDS


def clock_off(name: str, offset_seconds: float | None) -> Finding | None:
    """A finding for a device whose clock is off, by how much and which way."""
    if not clock_is_off(offset_seconds):
        return None
    return Finding("clock_off", Urgency.NOTE, "device", name, "devices", {"offset_seconds": offset_seconds})


def in_order(findings: Iterable[Finding]) -> list[Finding]:
    """Most urgent first; within one urgency devices, then fill by runway, latency, paths; then by name."""
    urgency = {Urgency.NOW: 0, Urgency.SOON: 1, Urgency.NOTE: 2}
    kinds = {"device_trouble": 0, "over_fill": 1, "missing_paths": 2, "slow_pool": 3, "seen_by_some": 4}
    return sorted(findings, key=lambda f: (urgency[f.urgency], kinds.get(f.kind, 9), f.subject))
