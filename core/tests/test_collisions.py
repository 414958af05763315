"""What of the rules cannot hold, beside an enumeration of all placements."""

from __future__ import annotations

import dataclasses
import itertools

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from core.tests.builders import small
from movelot_core.balance.collisions import Collision, collisions
from movelot_core.balance.group import Group
from movelot_core.balance.rules import Bond, Split

APART = Split("apart", (0, 1, 2), (0, 1, 2))


def reached(*reach: tuple[int, ...]) -> Group:
    """Three small disks on the first of three datastores, each served by those that are named."""
    group = small([1, 1, 1], [0, 0, 0], [100, 100, 100])
    return dataclasses.replace(group, reach=np.array([[s in each for s in range(3)] for each in reach]))


def test_two_disks_that_have_one_datastore_between_them_are_what_collides() -> None:
    group = dataclasses.replace(reached((0,), (0, 1, 2), (0,)), splits=(APART,))
    assert collisions(group) == [Collision(("apart",), (0, 2), 1)]


def test_a_pinned_disk_has_one_place() -> None:
    group = dataclasses.replace(reached((0, 1), (0, 1), (0, 1, 2)), splits=(APART,))
    assert collisions(group) == []
    pinned = dataclasses.replace(group, pinned=np.array([True, True, False]))
    assert collisions(pinned) == [Collision(("apart",), (0, 1), 1)]


def test_a_bond_needs_a_datastore_for_all_and_no_split_within_it() -> None:
    bond = Bond("one app", (1, 2))
    assert collisions(dataclasses.replace(reached((0,), (0, 1), (0, 2)), bonds=(bond,))) == []
    nowhere = dataclasses.replace(reached((0,), (0, 1), (0, 2)), place=np.array([0, 1, 2]), bonds=(bond,))
    apart = dataclasses.replace(nowhere, reach=np.array([[1, 0, 0], [0, 1, 0], [0, 0, 1]], dtype=bool))
    assert collisions(apart) == [Collision(("one app",), (1, 2), 0)]
    both = dataclasses.replace(reached((0, 1, 2), (0, 1, 2), (0, 1, 2)), splits=(APART,), bonds=(bond,))
    assert collisions(both) == [Collision(("apart", "one app"), (1, 2), None)]


@settings(max_examples=150, deadline=None)
@given(st.lists(st.lists(st.booleans(), min_size=4, max_size=4), min_size=2, max_size=4), st.booleans())
def test_a_split_collides_exactly_where_no_placement_keeps_it(reach: list[list[bool]], by_pool: bool) -> None:
    disks = len(reach)
    sites = (0, 0, 1, 1) if by_pool else (0, 1, 2, 3)
    served = np.array(reach)
    group = small([1] * disks, [0] * disks, [100] * 4, splits=(Split("apart", tuple(range(disks)), sites),))
    group = dataclasses.replace(group, reach=served)
    may = [[s for s in range(4) if served[d, s] or s == 0] for d in range(disks)]
    holds = any(len({sites[s] for s in place}) == disks for place in itertools.product(*may))
    found = collisions(group)
    assert bool(found) != holds
    for each in found:
        between = {sites[s] for d in each.disks for s in may[d]}
        assert each.sites == len(between) < len(each.disks)
