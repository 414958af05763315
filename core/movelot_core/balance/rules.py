"""Rules on where disks of a group lie to one another: kept apart (*split*), or kept together (*bond*).

A split names its disks and the sites that no two of them share: datastores, pools or arrays. A rule that is kept as
found is a Must. One that is broken as found is mended by the next plan, as far as it can be, and never made worse: of
a split no site gets more of its disks than it had, of a bond no more of its disks lie beside the others than did.

Worked example: db-1, db-2 and db-3 are split by datastore and lie on a, a and b. One of them is too many on a. A plan
moves the smaller of db-1 and db-2 to any datastore but b; to b it may not go either.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from movelot_core.errors import GroupError

Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]


@dataclass(frozen=True)
class Split:
    """``disks`` by number, of which no two lie on one site; ``sites`` [s] has the number of each datastore's site."""

    name: str
    disks: tuple[int, ...]
    sites: tuple[int, ...]


@dataclass(frozen=True)
class Bond:
    """``disks`` by number that lie on one datastore."""

    name: str
    disks: tuple[int, ...]


def left_by_rules(
    splits: Sequence[Split], bonds: Sequence[Bond], disk: int, place: Sequence[int], stores: int
) -> list[tuple[str, Bools]]:
    """Of each rule on a ``disk`` that is to come the datastores [s] that it leaves it; all others lie at ``place`` [d].

    From a split that is those on sites where none of its other disks lies, from a bond those where one of them does.
    """
    found = []
    for split in splits:
        if disk in split.disks:
            taken = {split.sites[place[other]] for other in split.disks if other != disk}
            found.append((split.name, np.array([site not in taken for site in split.sites], dtype=bool)))
    for bond in bonds:
        if disk in bond.disks:
            there = [place[other] for other in bond.disks if other != disk]
            found.append((bond.name, np.isin(np.arange(stores), there)))
    return found


@dataclass(frozen=True)
class Crowd:
    """A site on which several disks of a split lie, by its number among the splits, and those disks."""

    split: int
    site: int
    disks: Ints


class Splits:
    """The splits of a group as arrays, so that a placement is judged by all of them at once.

    Raises GroupError for disks that are named twice, and for sites that are not numbers of datastores.
    """

    def __init__(self, splits: Sequence[Split], disks: int, stores: int) -> None:
        wrong = [
            each.name
            for each in splits
            if len(each.sites) != stores
            or len(set(each.disks)) < len(each.disks)
            or not 0 <= min(each.disks, default=0) <= max(each.disks, default=0) < disks
        ]
        if not wrong:
            self.sites: Ints = np.array([each.sites for each in splits], dtype=np.int64).reshape(len(splits), stores)
            beyond = ((self.sites < 0) | (self.sites >= stores)).any(axis=1)
            wrong = [splits[int(n)].name for n in np.flatnonzero(beyond)]
        if wrong:
            raise GroupError("rule_shape", f"Rules with disks or sites that there are not: {', '.join(wrong)}.")
        self.disk: Ints = np.array([disk for each in splits for disk in each.disks], dtype=np.int64)
        self.split: Ints = np.repeat(np.arange(len(splits)), [len(each.disks) for each in splits])
        self.members: list[Ints] = [np.array(each.disks, dtype=np.int64) for each in splits]
        self.of: dict[int, list[int]] = {}
        for disk, split in zip(self.disk.tolist(), self.split.tolist(), strict=True):
            self.of.setdefault(disk, []).append(split)

    def too_many(self, place: Ints) -> int:
        """How many disks lie on a site beside another of their split, the first on each not counted."""
        return len(self.disk) - len(np.unique(self._keys(place)))

    def counts(self, place: Ints) -> dict[tuple[int, int], int]:
        """Disks of each split at each site, where there are any."""
        keys, counts = np.unique(self._keys(place), return_counts=True)
        width = max(self.sites.shape[1], 1)
        return {(int(key) // width, int(key) % width): int(n) for key, n in zip(keys, counts, strict=True)}

    def crowds(self, place: Ints) -> list[Crowd]:
        """The sites at which splits are broken."""
        keys, width = self._keys(place), max(self.sites.shape[1], 1)
        several = [(key, np.flatnonzero(keys == key)) for key in np.unique(keys)]
        return [Crowd(int(key) // width, int(key) % width, self.disk[at]) for key, at in several if len(at) > 1]

    def taken(self, disk: int, place: Ints) -> NDArray[np.bool_]:
        """[s] Whether another disk of a split of ``disk`` lies on the site of a datastore."""
        found: NDArray[np.bool_] = np.zeros(self.sites.shape[1], dtype=bool)
        for split in self.of.get(disk, ()):
            others = self.members[split][self.members[split] != disk]
            found |= np.isin(self.sites[split], self.sites[split][place[others]])
        return found

    def _keys(self, place: Ints) -> Ints:
        return np.asarray(self.split * max(self.sites.shape[1], 1) + self.sites[self.split, place[self.disk]])


def side_by_side(splits: Sequence[Split], place: Ints) -> int:
    """How many disks have to leave their sites for these splits, which say one thing together, to be kept.

    Disks of one machine may share a site, those of two may not: on each site the disks of the machine with most stay,
    and all others leave. A disk that stays is in a split with just those that leave.
    """
    in_the_way: dict[tuple[int, int], set[int]] = {}
    for split in splits:
        at: dict[int, list[int]] = {}
        for disk in split.disks:
            at.setdefault(split.sites[place[disk]], []).append(disk)
        for site, disks in at.items():
            for disk in disks:
                in_the_way.setdefault((site, disk), set()).update(each for each in disks if each != disk)
    fewest: dict[int, int] = {}
    for (site, _disk), others in in_the_way.items():
        if others:
            fewest[site] = min(fewest.get(site, len(others)), len(others))
    return sum(fewest.values())


def beside(bond: Bond, place: Ints) -> int:
    """How many disks of a bond do not lie where most of them do."""
    there = place[list(bond.disks)]
    return len(there) - int(np.unique(there, return_counts=True)[1].max(initial=0))
