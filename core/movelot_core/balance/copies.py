"""Copies: how long they take, and how many at once a pool bears beside its own load.

A copy reads at its source and writes at its target, in pieces that lie one after another: each counts as one I/O of
typical size. Of a pool that stays within what it bears at some hours with one copy, as many copies run at once as it
bears at all of these. At the other hours one alone brings it over: they are said, so that the lot runs at another time.

Worked example: a pool bears 900, has 500 at night and 850 by day, and a copy reads 100. By day one copy is too much;
at night four are not, so that four run at once.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from movelot_core.balance.group import Bools, Group, judge
from movelot_core.balance.moves import Move

COPIES_PER_ARRAY = 4
# The size of a piece where a device does not say how many it copies in a second.
PIECE_BYTES = 256 * 1024


@dataclass(frozen=True, slots=True)
class CopyRates:
    """Bytes per second of one copy as stated: by the array itself, and over hosts; and its pieces per second, if told.

    ``longer``: how much longer than that copies took; ``between`` the same for pairs of pools (by number) of which it
    is known.
    """

    offloaded: float
    over_hosts: float
    longer: float = 1.0
    between: Mapping[tuple[int, int], float] = field(default_factory=dict)
    offloaded_iops: float | None = None
    over_hosts_iops: float | None = None

    def stated_seconds(self, move: Move) -> float:
        """Seconds that the copy of ``move`` should take by itself."""
        return move.size_bytes / self._rate(move)

    def seconds(self, move: Move, pools: tuple[int, int]) -> float:
        """Seconds that the copy of ``move`` between two ``pools`` is expected to take, as such copies did."""
        return self.stated_seconds(move) * self.between.get(pools, self.longer)

    def iops(self, move: Move) -> float:
        """Pieces that its copy reads, and writes, in a second."""
        told = self.offloaded_iops if move.offloaded else self.over_hosts_iops
        return self._rate(move) / PIECE_BYTES if told is None else told

    def _rate(self, move: Move) -> float:
        return self.offloaded if move.offloaded else self.over_hosts


@dataclass(frozen=True)
class BesideCopies:
    """How many copies at once a pool bears, and the hours [h] at which one alone brings it over what it bears.

    At hours when it is ``over`` by its own load already, with disks as found or as planned, so does each.
    """

    at_once: int
    loud: Bools
    over: Bools


def pools_of(group: Group, move: Move) -> tuple[int, int]:
    """The pools of a move's source and target."""
    return int(group.pool_of[move.source]), int(group.pool_of[move.target])


def beside_copies(group: Group, moves: Sequence[Move], rates: CopyRates) -> dict[int, BesideCopies]:
    """What each pool that ``moves`` touch bears of their copies, by its number; the largest of them counts."""
    one: dict[int, float] = {}
    place = group.place.copy()
    for move in moves:
        source, target = pools_of(group, move)
        place[move.disk] = move.target
        # Of the features that a load is made of the first two are reads and writes of typical size.
        for pool, load in _of_copy(group, rates.iops(move), source, target).items():
            one[pool] = max(one.get(pool, 0.0), load)
    if not one:
        return {}
    own = np.maximum(group.found.load, judge(group, place).load)
    found = {}
    for pool, load in sorted(one.items()):
        free = group.load_limit[pool] - own[pool]
        loud = free < load
        most = COPIES_PER_ARRAY if loud.all() else int(min(COPIES_PER_ARRAY, (free[~loud] / max(load, 1e-9)).min()))
        found[pool] = BesideCopies(1 if loud.all() else most, np.asarray(loud), np.asarray(free < 0))
    return found


def _of_copy(group: Group, iops: float, source: int, target: int) -> dict[int, float]:
    """The load of one copy on the pools at its ends."""
    reads, writes = (float(group.weights[pool, n]) * iops for n, pool in enumerate((source, target)))
    return {source: reads + writes} if source == target else {source: reads, target: writes}
