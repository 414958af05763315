"""How a placement stands: what datastores hold and pools bear by it, how good it is, and parts of it as problems."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from movelot_core.balance.group import LOAD_SLACK, Bools, Group, Ints, limits
from movelot_core.balance.model import Problem
from movelot_core.latency import Floats


@dataclass(frozen=True)
class Part:
    """Disks that may move, and the datastores that they may go to besides where they are."""

    disks: Ints
    targets: Ints


# Moving all that may move weighs as much as this share of a ceiling.
BYTES_WEIGHT = 1e-2


@dataclass(frozen=True)
class Standing:
    """A placement with the use of datastores [s] and the load of pools [p, h] that it gives."""

    group: Group
    place: Ints
    used_bytes: Ints
    load: Floats

    @classmethod
    def of(cls, group: Group, place: Ints) -> Standing:
        """Of any placement."""
        return cls(group, place, group.used(place), group.pool_load(place))

    def without(self, disks: Ints) -> tuple[Ints, Floats]:
        """Use and load of all but ``disks``."""
        return self._changed(disks, self.place[disks], -1, self.used_bytes, self.load)

    def after(self, disks: Ints, to: Ints) -> Standing:
        """With ``disks`` moved ``to`` these datastores."""
        changed = disks[self.place[disks] != to]
        to = to[self.place[disks] != to]
        place = self.place.copy()
        place[changed] = to
        used, load = self._changed(changed, to, 1, *self.without(changed))
        return Standing(self.group, place, used, load)

    def _changed(self, disks: Ints, at: Ints, sign: int, used: Ints, load: Floats) -> tuple[Ints, Floats]:
        group, used, load = self.group, used.copy(), load.copy()
        np.add.at(used, at, sign * group.size_bytes[disks])
        for pool in map(int, np.unique(group.pool_of[at])):
            load[pool] += sign * group.load_on(pool, disks[group.pool_of[at] == pool]).sum(axis=0)
        return used, load

    @property
    def over_fill(self) -> Floats:
        """[s] What a datastore holds over its ceiling, as a share of that."""
        return np.asarray(np.maximum(self.used_bytes / np.maximum(self.group.room_bytes, 1) - 1, 0))

    @property
    def over_load(self) -> Floats:
        """[p] How far a pool is over at its worst hour, as a share of what it bears.

        0 for one that is over without any load: nothing that moves helps it. What the judgement takes for clear is
        no excess either.
        """
        limit = self.group.load_limit
        most = self.load.max(axis=1, initial=0) / np.maximum(limit, 1e-9) - 1
        return np.asarray(np.where((limit > 0) & (most > LOAD_SLACK), most, 0.0))

    @cached_property
    def over(self) -> float:
        """What is over altogether, in shares."""
        return float(self.over_fill.sum() + self.over_load.sum())

    @property
    def over_and_moved(self) -> float:
        """What is over and, as a share of all that may move, what moves, which weighs BYTES_WEIGHT of that."""
        moved = int(self.group.size_bytes[self.place != self.group.place].sum())
        return self.over + BYTES_WEIGHT * moved / self.group.movable_bytes

    def reached(self, out: Ints) -> tuple[int, float, int]:
        """How good it is: disks that left where they may not stay less those out of rule, what is not over, bytes that
        are not copied (see ``Group.copied_bytes``).
        """
        moved = self.place != self.group.place
        settled = int(moved[out].sum()) - self.group.out_of_rule(self.place)
        return settled, -self.over, -int(self.group.copied_bytes(self.place))


def reached(group: Group, out: Ints, place: Ints) -> tuple[int, float, int]:
    """How good any placement is (see ``Standing.reached``)."""
    return Standing.of(group, place).reached(out)


def better(one: tuple[int, float, int], other: tuple[int, float, int]) -> bool:
    """Whether ``one`` is better than ``other``; less over by a hundred-thousandth is no less."""
    if one[0] != other[0]:
        return one[0] > other[0]
    if abs(one[1] - other[1]) > 1e-5:
        return one[1] > other[1]
    return one[2] > other[2]


def problem_of(best: Standing, out: Ints, part: Part) -> Problem:
    """A part as a problem: all other disks are use and load where they lie now."""
    group, free = best.group, part.disks
    rest_bytes, rest_load = best.without(free)
    most_bytes, most_load = limits(group, group.found)
    to: Bools = np.isin(np.arange(len(group.datastores)), part.targets)
    may = group.reach[free] & to & ~group.pinned[free][:, None]
    leave, place = np.isin(free, out), best.place
    return Problem(group, free, place[free], may, rest_bytes, rest_load, most_bytes, most_load, leave, place)
