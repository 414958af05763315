"""Groups in which the disks of a bond are one disk, so that no planner takes them apart.

A bond that was found apart is brought together first: where the fewest bytes have to move, and there is room and load
for them as things are; the disks that lie there already stay for that, and the others may go nowhere else.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from movelot_core.balance.group import Bools, Group, Ints, limits
from movelot_core.balance.rules import Bond, Split, beside


@dataclass(frozen=True)
class Folded:
    """``group`` with one disk for each bond, and those that are ``out`` of it; ``number`` [d] has each disk's in it.

    ``least``: bonds that were found apart come together where the fewest bytes have to move.
    """

    group: Group
    out: Ints
    number: Ints
    least: bool

    def unfolded(self, place: Ints) -> Ints:
        """[d] Where each disk lies if those of the folded group lie at ``place``."""
        return np.asarray(place[self.number])

    def whole_bonds(self, disks: Ints) -> Ints:
        """``disks`` with all that are bonded to any of them."""
        return np.flatnonzero(np.isin(self.number, self.number[disks]))

    def members(self, disk: int) -> Ints:
        """The disks that are one disk of the folded group."""
        return np.flatnonzero(self.number == disk)


def fold(group: Group, out: Ints) -> Folded:
    """The group without bonds: with one disk for each that is whole, and each that is not about to be."""
    gathering, more_out, least = _Gathering(group, group.reach.copy(), group.pinned.copy()), [out], True
    for bond in group.bonds:
        if beside(bond, group.place):
            coming, cheapest = gathering.gather(bond)
            more_out.append(coming)
            least &= cheapest
    number = _numbers(group)
    first = np.unique(number, return_index=True)[1]
    size, features = np.zeros(len(first), dtype=np.int64), np.zeros((len(first), 4, group.features.shape[2]))
    np.add.at(size, number, group.size_bytes)
    np.add.at(features, number, group.features.transpose(1, 0, 2))
    reach, pinned = np.ones((len(first), len(group.datastores)), dtype=bool), np.zeros(len(first), dtype=bool)
    np.logical_and.at(reach, number, gathering.reach)
    np.logical_or.at(pinned, number, gathering.pinned)
    folded = replace(
        group,
        disks=tuple(group.disks[n] for n in first),
        size_bytes=size,
        features=features.transpose(1, 0, 2),
        place=group.place[first],
        reach=reach,
        pinned=pinned,
        splits=tuple(_split(split, number) for split in group.splits),
        bonds=(),
    )
    return Folded(folded, np.unique(number[np.concatenate(more_out)]), number, least)


def _numbers(group: Group) -> Ints:
    """[d] The number of each disk in the folded group; bonds with a disk in common are one, unless found apart."""
    first = np.arange(len(group.disks))
    for bond in group.bonds:
        if not beside(bond, group.place):
            mine = np.isin(first, first[list(bond.disks)])
            first[mine] = first[mine].min()
    return np.asarray(np.unique(first, return_inverse=True)[1], dtype=np.int64)


def _split(split: Split, number: Ints) -> Split:
    """Disks that are bonded cannot be apart: what contradicts is left to the bond."""
    return Split(split.name, tuple(dict.fromkeys(int(number[disk]) for disk in split.disks)), split.sites)


@dataclass(frozen=True)
class _Gathering:
    """Where disks of ``group`` may go, [d, s] and [d], as bonds that were found apart are brought together in turn."""

    group: Group
    reach: Bools
    pinned: Bools

    def gather(self, bond: Bond) -> tuple[Ints, bool]:
        """Let a bond only come together: the disks that are to come, and whether the fewest bytes have to move for it.

        Where no datastore may have them all they stay as they are.
        """
        place, disks = self.group.place, np.array(bond.disks, dtype=np.int64)
        homes = self._homes(disks)
        if not homes:
            self.pinned[disks] = True
            return np.array([], dtype=np.int64), False
        home = next((each for each in homes if _fits(self.group, disks, each)), homes[0])
        there = place[disks] == home
        self.pinned[disks[there]] = True
        self.reach[disks[~there]] = np.arange(len(self.group.datastores)) == home
        return disks[~there], home == homes[0]

    def _homes(self, disks: Ints) -> list[int]:
        """Datastores that may have all of ``disks``, those first to which the fewest bytes have to move."""
        every = np.arange(len(self.group.datastores))
        here = self.group.place[disks][:, None] == every
        may = (here | (self.reach[disks] & ~self.pinned[disks][:, None])).all(axis=0)
        come = (~here * self.group.size_bytes[disks][:, None]).sum(axis=0)
        return [int(store) for store in np.lexsort((every, come)) if may[store]]


def _fits(group: Group, disks: Ints, home: int) -> bool:
    """Whether ``home`` has room and its pool load for those of ``disks`` that are not there, as things are."""
    most_bytes, most_load = limits(group, group.found)
    pool = int(group.pool_of[home])
    come = disks[group.place[disks] != home]
    new = come[group.pool_of[group.place[come]] != pool]
    bytes_then = group.found.used_bytes[home] + int(group.size_bytes[come].sum())
    load_then = group.found.load[pool] + group.load_on(pool, new).sum(axis=0)
    return bool(bytes_then <= most_bytes[home] and (load_then <= most_load[pool]).all())
