"""Rehearsals of a month of nights and fair caps, timed on groups of the planner's families.

``python -m bench.rehearsals`` prints, for each size, how long 30 nights took that were replayed on 37 days, what they
moved, and the hours over a ceiling as it was and as rehearsed; and how long the fair caps of 20,000 disks took.
"""

from __future__ import annotations

import time
from dataclasses import replace
from datetime import date, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from bench.instances import family
from movelot_core.balance.caps import fair_caps
from movelot_core.balance.copies import CopyRates
from movelot_core.balance.group import Group
from movelot_core.balance.rehearse import Conduct, History, LaidOut, rehearse
from movelot_core.balance.week import Bar, Week
from movelot_core.latency import TYPICAL_KIB
from movelot_core.units import GIB, TIB

DAYS = 37
# A Monday.
FIRST = date(2026, 10, 26)
NIGHT = 1
NIGHTS = Week(ZoneInfo("UTC"), tuple(Bar(NIGHT, 24 * day + 20, 9) for day in range(7)))
# Of what the hour usually asks for, on a weekend.
WEEKEND_SHARE = 0.4
SIZES = ((2_000, 40, 10), (20_000, 200, 50))
AIM_SECONDS = {2_000: 30, 20_000: 300}


def lived(group: Group, seed: int) -> tuple[Group, History]:
    """The group with hours of weekdays and weekends, and what its disks asked for on so many days: the usual, more on
    some days than on others, each disk by itself."""
    rng = np.random.default_rng(seed)
    days = tuple(FIRST + timedelta(days=n) for n in range(DAYS))
    busy = np.array([WEEKEND_SHARE if day.weekday() >= 5 else 1.0 for day in days])
    reads, writes, sized_reads, sized_writes = group.features
    asked = reads + writes
    kib = TYPICAL_KIB * (1 + (sized_reads + sized_writes) / np.maximum(asked, 1e-9))
    shares = rng.uniform(0.7, 1.1, (len(group.disks), DAYS)) * busy
    loads = np.empty((len(group.disks), DAYS, 24, 3), dtype=np.float32)
    loads[..., 0] = reads[:, None] * shares[:, :, None]
    loads[..., 1] = writes[:, None] * shares[:, :, None]
    loads[..., 2] = kib[:, None]
    both = [group.features, group.features * WEEKEND_SHARE]
    return (
        replace(group, features=np.concatenate(both, axis=2), other_load=np.tile(group.other_load, 2)),
        History(days, loads),
    )


def print_table() -> None:
    """Print how long rehearsals and fair caps took."""
    print(f"rehearsals ({DAYS} days, {DAYS - 7} of them replayed; hours over a ceiling as it was and as rehearsed)")
    rates = CopyRates(500e6, 200e6)
    for disks, stores, pools in SIZES:
        for name in ("loose", "shared", "infeasible"):
            group, history = lived(family(name, 1, disks, stores, pools), 1)
            usual = Conduct(False, group.fill_ceiling, group.latency_ceiling_ms)
            night = replace(usual, acts=True, most_bytes=2 * TIB, at_once=4)
            begun = time.perf_counter()
            made = rehearse(group, history, LaidOut(NIGHTS, {NIGHT: night}, usual), rates)
            took = time.perf_counter() - begun
            moved = sum(move.size_bytes for move in made.moves) / GIB
            print(
                f"  {disks}/{stores} {name}: {took:.1f} s (aim {AIM_SECONDS[disks]}), {len(made.moves)} moves, "
                f"{moved:,.0f} GiB, {made.as_it_was.any} → {made.rehearsed.any} hours over",
                flush=True,
            )
    print(f"  fair caps of 20,000 disks: {_caps_seconds():.2f} s (aim 1)")


def _caps_seconds() -> float:
    """The slowest of three seeds, on one pool that is over what it bears in half of the hours."""
    slowest = 0.0
    for seed in range(3):
        rng = np.random.default_rng(seed)
        iops = rng.lognormal(3, 1.5, (20_000, 48))
        bears = iops.sum(axis=0) * rng.uniform(0.6, 1.4, 48)
        floor = np.where(rng.random(20_000) < 0.1, iops.max(axis=1) * 0.5, 0.0)
        begun = time.perf_counter()
        fair_caps(iops, iops, bears, floor)
        slowest = max(slowest, time.perf_counter() - begun)
    return slowest


if __name__ == "__main__":
    print_table()
