"""How long I/Os wait before the disks of a pool, in service times, by how busy these are: pools are not all of a kind.

What Move Lot believes of pools is learned from what they answer; nothing here is known to it.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
BUSY_MAX = 0.975


def one_queue(busy: Floats) -> Floats:
    """Every disk behind one queue, which saturates."""
    busy = np.minimum(busy, BUSY_MAX)
    return np.asarray(0.9 * busy / (1 - busy))


def _before_servers(servers: int, busy: Floats) -> Floats:
    """Mean waiting time before so many servers: the formula of Erlang (C), by its recursion."""
    blocked = np.ones_like(busy)
    for n in range(1, servers + 1):
        blocked = servers * busy * blocked / (n + servers * busy * blocked)
    return np.asarray(blocked / (1 - busy * (1 - blocked)) / (servers * (1 - busy)))


def eight_behind_a_cache(busy: Floats) -> Floats:
    """A cache answers alone up to three tenths; what it misses then waits for one of eight paths to slow flash."""
    beyond = np.clip((np.asarray(busy) - 0.3) / 0.72, 0.0, 0.97)
    return np.asarray(15.0 * _before_servers(8, beyond))


def knee(busy: Floats) -> Floats:
    """Drives that seek little until half of their time is taken, and ever more from there."""
    return np.asarray(12.0 * np.maximum(0.0, np.asarray(busy) - 0.5))


def behind_a_cache(busy: Floats) -> Floats:
    """A cache hides the drives until it is full, at a third of what they bear."""
    beyond = np.clip((np.asarray(busy) - 0.35) / 0.65, 0.0, BUSY_MAX)
    return np.asarray(0.9 * beyond / (1 - beyond))


WAITS: dict[str, Callable[[Floats], Floats]] = {
    "one queue": one_queue,
    "eight behind a cache": eight_behind_a_cache,
    "knee": knee,
    "behind a cache": behind_a_cache,
}
