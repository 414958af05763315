"""How many datastores a space should be cut into: from disks, growth, queue depth and the time to empty one.

Sources: Little's law (outstanding I/O = IOPS × latency) for the queue; the rest is division. All of it is advice, with
the figures that it rests on, so that a person may know better.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from movelot_core.attach import COUNT_MAX, Reason
from movelot_core.units import GIB

# What a datastore has to take beside one of its kind already there: the largest disk, twice.
LARGEST_DISKS: Final = 2
# I/O comes in bursts within the hour that was measured: a queue is planned half full.
QUEUE_SHARE: Final = 0.5
# A full datastore should be emptied within one night.
DRAIN_HOURS: Final = 8.0


@dataclass(frozen=True, slots=True)
class Habits:
    """What a cluster's disks are like today, and what would serve the new datastores.

    ``peak_iops`` is the most that all disks ask for at once, ``held_bytes`` their size together; ``latency_ms`` the
    pool's at its peak hour; ``queue_depth`` how many I/Os a host keeps outstanding to one device (0: unknown).
    """

    largest_disk_bytes: int
    held_bytes: int
    peak_iops: float
    growth_bytes_per_day: float
    hosts: int
    queue_depth: int
    latency_ms: float
    copy_bytes_per_second: float
    fill_ceiling: float


@dataclass(frozen=True, slots=True)
class Sizing:
    """The advice: so many datastores of this size; each reason carries its figures, the binding ones first."""

    count: int
    size_bytes: int
    reasons: tuple[Reason, ...]


def advise(total_bytes: int, habits: Habits) -> Sizing:
    """Cut ``total_bytes`` into the fewest datastores whose queues and emptying stay within bounds.

    Fewest, as each one more is one more to watch, and large ones waste less headroom. The largest disk sets the other
    bound: a datastore that cannot take it twice under its fill ceiling is of little use, and wins where bounds collide.

    Example: 12 TiB at 1 IOPS per GiB, 82 % of it used, answered in 10 ms, keep 101 I/Os outstanding. Two hosts that
    plan 16 each to a device need 4 datastores of 3 TiB.
    """
    queue = _for_queue(total_bytes, habits)
    drain = _for_drain(total_bytes, habits)
    least = _least_bytes(habits)
    most_count = max(1, total_bytes // least) if least else COUNT_MAX
    wanted = max(1, int(queue.figures["count"]), int(drain.figures["count"]))
    count = min(wanted, most_count, COUNT_MAX)
    size = _whole_gib(total_bytes / count)
    largest = {"disk_bytes": habits.largest_disk_bytes, "least_bytes": least, "roomy": float(total_bytes >= least)}
    disks = Reason("largest_disk", {**largest, "count": most_count})
    reasons = sorted((queue, drain), key=lambda reason: -reason.figures["count"])
    ordered = [disks, *reasons] if wanted > most_count else [*reasons, disks]
    return Sizing(count, size, (*ordered, *_for_growth(total_bytes, habits)))


def _whole_gib(size: float) -> int:
    return max(GIB, math.ceil(size / GIB) * GIB)


def _least_bytes(habits: Habits) -> int:
    """The smallest datastore that takes the largest disk twice under its ceiling."""
    return math.ceil(LARGEST_DISKS * habits.largest_disk_bytes / habits.fill_ceiling)


def _for_queue(total_bytes: int, habits: Habits) -> Reason:
    """So many datastores that no host's queue to one of them is more than half full at the peak hour."""
    density = habits.peak_iops / habits.held_bytes if habits.held_bytes else 0.0
    iops = density * habits.fill_ceiling * total_bytes
    outstanding = iops * habits.latency_ms / 1000
    per_store = habits.hosts * habits.queue_depth * QUEUE_SHARE
    count = math.ceil(outstanding / per_store) if per_store else 1
    figures = {"iops": iops, "latency_ms": habits.latency_ms, "outstanding": outstanding, "per_store": per_store}
    return Reason("queue", {**figures, "count": max(1, count)})


def _for_drain(total_bytes: int, habits: Habits) -> Reason:
    """So many datastores that one which is as full as it may be is emptied in a night, at the rate of copies."""
    rate = habits.copy_bytes_per_second
    most = rate * DRAIN_HOURS * 3600 / habits.fill_ceiling
    count = math.ceil(total_bytes / most) if rate else 1
    hours = habits.fill_ceiling * total_bytes / rate / 3600 if rate else 0.0
    return Reason("drain", {"hours_whole": hours, "hours": DRAIN_HOURS, "most_bytes": most, "count": max(1, count)})


def _for_growth(total_bytes: int, habits: Habits) -> Sequence[Reason]:
    """How long the space lasts if all growth of the cluster went there; nothing where it does not grow."""
    growth = habits.growth_bytes_per_day
    if growth <= 0:
        return ()
    days = total_bytes * habits.fill_ceiling / growth
    return (Reason("growth", {"growth_bytes_per_day": growth, "days": days}),)
