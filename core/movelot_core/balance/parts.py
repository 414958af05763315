"""Parts of a balance group: datastores that trade disks with one another, and with no others of the group.

A plan moves a disk to storage of its kind that every host mounts which may run its machine. Two datastores of one kind
that all hosts of some cluster mount trade, and so do those that others connect.

Worked example: a and b are volumes mounted by quayside, c is one mounted by quayside and gatehouse, d one mounted by
gatehouse, e an export mounted by both. a, b, c and d are one part (c connects it), e is another.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components


@dataclass(frozen=True, slots=True)
class Part:
    """Datastores by number, in order, all of one ``kind``."""

    kind: str
    stores: tuple[int, ...]


def parts(kinds: Sequence[str], mounted_by: Sequence[Collection[str]]) -> list[Part]:
    """The parts of a group, the largest first; each datastore is in one.

    ``kinds`` [s] is the kind of each datastore's storage, ``mounted_by`` [s] the clusters all of whose hosts mount it.
    """
    links = [(n, (kind, cluster)) for n, kind in enumerate(kinds) for cluster in mounted_by[n]]
    meetings = {meeting: len(kinds) + n for n, meeting in enumerate(sorted({meeting for _n, meeting in links}))}
    nodes = len(kinds) + len(meetings)
    ends = [n for n, _meeting in links], [meetings[meeting] for _n, meeting in links]
    _count, of = connected_components(coo_array((np.ones(len(links)), ends), shape=(nodes, nodes)), directed=False)
    found: dict[int, list[int]] = {}
    for n in range(len(kinds)):
        found.setdefault(int(of[n]), []).append(n)
    return sorted((Part(kinds[stores[0]], tuple(stores)) for stores in found.values()), key=lambda p: -len(p.stores))
