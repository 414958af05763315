"""The planner at three sizes: seconds, peak memory, plan ÷ bound."""

from __future__ import annotations

import resource
import time
from dataclasses import dataclass, replace

import numpy as np

from bench.groups import generate, tight
from movelot_core.balance.clear import clear
from movelot_core.balance.copies import CopyRates
from movelot_core.balance.group import broken_musts
from movelot_core.balance.order import order_moves
from movelot_core.balance.settle import settle_whole

SIZES = ((40, 4, 2), (2_000, 40, 10), (20_000, 200, 40))
SEEDS = (1, 2, 3)
TIGHT_SEEDS = range(40)


@dataclass(frozen=True)
class PlannerRow:
    disks: int
    datastores: int
    seconds: float
    peak_mib: float
    over_bound: float
    moves: int


def measure(disks: int, datastores: int, pools: int) -> PlannerRow:
    """The slowest of three seeds; each plan is checked against every Must and ordered."""
    rows = []
    for seed in SEEDS:
        group = generate(disks, datastores, pools, seed)
        start = time.perf_counter()
        plan = clear(group)
        order_moves(group, plan.moves, CopyRates(4e8, 1e8))
        seconds = time.perf_counter() - start
        assert not broken_musts(group, plan.place)
        # Of the whole process, the solver's own memory included; sizes ascend, so each row is its size's.
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        rows.append(PlannerRow(disks, datastores, seconds, peak, plan.over_bound, len(plan.moves)))
    return max(rows, key=lambda row: row.seconds)


def report() -> None:
    print(f"{'disks':>7} {'stores':>7} {'seconds':>8} {'peak MiB':>9} {'plan/bound':>11} {'moves':>6}")
    for sizes in SIZES:
        row = measure(*sizes)
        size = f"{row.disks:>7} {row.datastores:>7}"
        print(f"{size} {row.seconds:>8.2f} {row.peak_mib:>9.0f} {row.over_bound:>11.4f} {row.moves:>6}")
    for disks, datastores, pools in SIZES[1:]:
        seconds, over, settled = settling(disks, datastores, pools)
        print(f"{disks:>7} {datastores:>7} {seconds:>8.2f} {'':>9} {over:>11.4f} {settled} that are out are settled")
    worst, cleared = tightest()
    print(f"{len(TIGHT_SEEDS)} tight groups: the slowest {worst:.1f} s, {cleared} cleared, every plan lawful")


def settling(disks: int, datastores: int, pools: int) -> tuple[float, float, str]:
    """Seconds, plan ÷ bound, how many are settled: one disk in a hundred is out, and a fifth of the places serve it."""
    group, chance = generate(disks, datastores, pools, SEEDS[-1]), np.random.default_rng(SEEDS[0])
    out = np.sort(chance.choice(np.flatnonzero(~group.pinned), disks // 100, replace=False))
    reach = group.reach.copy()
    reach[out] &= chance.random((len(out), datastores)) < 0.2
    reach[out, group.place[out]] = True
    group = replace(group, reach=reach)
    start = time.perf_counter()
    whole = settle_whole(group, out)
    seconds = time.perf_counter() - start
    assert not broken_musts(group, whole.plan.place)
    return seconds, whole.plan.over_bound, f"{whole.settled} of {len(out)}"


def tightest() -> tuple[float, int]:
    """Seconds of the slowest of the tight groups, and how many of them a plan clears."""
    seconds, cleared = 0.0, 0
    for seed in TIGHT_SEEDS:
        group = tight(seed)
        start = time.perf_counter()
        plan = clear(group)
        seconds = max(seconds, time.perf_counter() - start)
        assert not broken_musts(group, plan.place)
        cleared += plan.after.clear
    return seconds, cleared
