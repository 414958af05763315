"""How fast work on blocks may go on a pool, said in checks of the lots that do it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from movelot.inventory.models import Pool
from movelot.lots.kinds import PASS, WARN, Check
from movelot.placement.headroom import latency_ceiling, writes_to_spare
from movelot_core.capacity.pacing import pace_from, soonest_done
from movelot_core.units import format_size

# What is taken where nobody knows what a pool can bear, or where it is over its ceiling anyhow.
SLOW = 64 * 2**20
Work = Literal["returned", "reduced"]


@dataclass(frozen=True)
class PoolPace:
    """Bytes a second that work on a pool goes at, and the check that says why."""

    bytes_per_second: float
    check: Check


def pool_pace(pool: Pool, work: Work, amount_bytes: int, moment: datetime) -> PoolPace:
    """The pace at which so many bytes of ``work`` keep the pool under its latency ceiling, begun at ``moment``."""
    name = f"load of {pool.name}"
    costs: Mapping[str, int] = pool.device.work_costs
    spare = writes_to_spare(pool, moment) if costs.get(work) else None
    if spare is None:
        text = f"How much {pool.name} can bear is not known yet: it goes slowly, at {format_size(SLOW)} a second."
        return PoolPace(SLOW, Check(name, WARN, text))
    rates = [writes * costs[work] for writes in spare]
    ceiling = f"{latency_ceiling(pool):g} ms"
    pace = pace_from(amount_bytes, rates)
    if pace is not None and pace.bytes_per_second > SLOW:
        text = f"{format_size(int(pace.bytes_per_second))} a second keep it under {ceiling}: about {_time(pace.hours)}"
        return PoolPace(pace.bytes_per_second, Check(name, PASS, text))
    text = f"{pool.name} has no room under {ceiling} for all of it now: it goes at {format_size(SLOW)} a second"
    later = soonest_done(amount_bytes, rates)
    if later is not None and later.begins_in:
        begin = (moment + timedelta(hours=later.begins_in)).strftime("%H:00")
        text += f". Begun at {begin} UTC it would take about {_time(later.hours)}"
    return PoolPace(SLOW, Check(name, WARN, f"{text}."))


def _time(hours: float) -> str:
    if hours < 1:
        return f"{max(1, round(hours * 60))} min"
    return f"{hours:.1f} h" if hours < 10 else f"{hours:.0f} h"
