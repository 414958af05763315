"""Rules that cannot hold: what collides with what, so that it is said when a rule is written.

Worked example: three disks are split by pool, and one of them is only served on pool a, another only on a as well. The
two have one pool between them: these two, not all three, are what collides.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import maximum_bipartite_matching

from movelot_core.balance.group import Bools, Group, Ints
from movelot_core.balance.rules import Bond, Split


@dataclass(frozen=True)
class Collision:
    """Rules that cannot all hold: their names, the disks by number that are in the way, and how many sites these have.

    ``sites`` is None where two rules contradict each other whatever there is.
    """

    rules: tuple[str, ...]
    disks: tuple[int, ...]
    sites: int | None


def collisions(group: Group) -> list[Collision]:
    """What cannot hold whatever moves, each with as few disks as collide; room and load are not asked."""
    may = _may(group)
    found = [Collision((bond.name,), bond.disks, 0) for bond in group.bonds if not _home(may, bond)]
    for split in group.splits:
        crowd = _crowded(may, split)
        if crowd is not None:
            found.append(crowd)
        for bond in group.bonds:
            both = tuple(sorted(set(split.disks) & set(bond.disks)))
            if len(both) > 1:
                found.append(Collision((split.name, bond.name), both, None))
    return found


def _may(group: Group) -> Bools:
    """[d, s] Where each disk can be: a pinned one only where it is."""
    here = group.place[:, None] == np.arange(len(group.datastores))
    return np.asarray(here | (group.reach & ~group.pinned[:, None]))


def _home(may: Bools, bond: Bond) -> bool:
    return bool(may[list(bond.disks)].all(axis=0).any())


def _crowded(may: Bools, split: Split) -> Collision | None:
    """Disks with fewer sites between them than they are: there are such (Hall), or all can be apart.

    P. Hall, On Representatives of Subsets, Journal of the London Mathematical Society 10, 1935.
    """
    disks, numbers = list(split.disks), np.array(split.sites)
    sites: Ints = np.unique(numbers)
    served = np.array([[may[disk, numbers == site].any() for site in sites] for disk in disks], dtype=bool)
    at = maximum_bipartite_matching(sparse.csr_matrix(served), perm_type="column")
    alone = np.flatnonzero(at < 0)
    if not alone.size:
        return None
    # From one that is left over: the sites it could have, who has these, the sites those could have, and so on.
    crowd, reached = {int(alone[0])}, set[int]()
    while fresh := set(np.flatnonzero(served[list(crowd)].any(axis=0)).tolist()) - reached:
        reached |= fresh
        crowd |= {n for n, site in enumerate(at) if int(site) in reached}
    return Collision((split.name,), tuple(disks[n] for n in sorted(crowd)), len(reached))
