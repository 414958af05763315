"""Places for new disks: worked by hand, lawful by a count of their own, and no worse than trying every way."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.balance.group import Group, judge
from movelot_core.balance.place import Refusal
from movelot_core.latency import ServiceCurve
from movelot_core.placement.advice import NOWHERE, NewDisks, advise, places
from movelot_core.units import GIB


def group(used: list[int], capacity: list[int], pools: list[int], load: list[float], ceiling: float = 0.82) -> Group:
    """Datastores with GiB used and of capacity, on pools that have ``load`` of 100, 80 of which is at the ceiling."""
    return Group(
        disks=(),
        size_bytes=np.zeros(0, dtype=np.int64),
        place=np.zeros(0, dtype=np.int64),
        features=np.zeros((4, 0, 2)),
        reach=np.zeros((0, len(used)), dtype=bool),
        pinned=np.zeros(0, dtype=bool),
        datastores=tuple(f"berth-{n}" for n in range(len(used))),
        capacity_bytes=np.array(capacity, dtype=np.int64) * GIB,
        other_bytes=np.array(used, dtype=np.int64) * GIB,
        pool_of=np.array(pools, dtype=np.int64),
        pools=tuple(f"pool-{n}" for n in range(len(load))),
        curves=tuple(ServiceCurve(1.0, 100.0) for _ in load),
        array_of=tuple("granite" for _ in load),
        other_load=np.array([[each, each / 2] for each in load]),
        fill_ceiling=ceiling,
        latency_ceiling_ms=5.0,
    )


def disks(sizes: list[int], loads: list[float], may: list[list[bool]]) -> NewDisks:
    """New disks of so many GiB and reads a second at the first hour, half of it at the second."""
    features = np.zeros((4, len(sizes), 2))
    features[0] = [[each, each / 2] for each in loads]
    return NewDisks(np.array(sizes, dtype=np.int64) * GIB, features, np.array(may, dtype=bool).reshape(len(sizes), -1))


def test_the_worked_example() -> None:
    made = group([700, 500], [1000, 1000], [0, 0], [0])
    new = disks([150, 100], [0, 0], [[True, True]] * 2)
    assert advise(made, judge(made, made.place), new).tolist() == [1, 1]


def test_a_pool_near_its_ceiling_takes_no_more_load() -> None:
    made = group([100, 500], [1000, 1000], [0, 1], [75, 20])
    new = disks([50], [10], [[True, True]])
    state = judge(made, made.place)
    assert advise(made, state, new).tolist() == [1]
    first, second = places(made, state, new, np.array([1]), 0)
    assert (first.store, first.against, round(first.peak_ms, 2), round(first.fill, 2)) == (1, None, 1.43, 0.55)
    assert (second.store, second.against) == (0, Refusal.TOO_SLOW)


def test_a_disk_that_asks_nothing_goes_where_the_pool_is_slow() -> None:
    made = group([100], [1000], [0], [90])
    assert advise(made, judge(made, made.place), disks([50], [0], [[True]])).tolist() == [0]


def test_what_stands_against_a_place_is_said_with_what_it_lacks() -> None:
    made = group([700, 800, 100], [1000, 1000, 1000], [0, 0, 0], [0])
    new = disks([100], [0], [[True, True, False]])
    found = places(made, judge(made, made.place), new, np.array([0]), 0)
    assert [(each.store, each.against) for each in found] == [
        (0, None),
        (1, Refusal.NO_ROOM),
        (2, Refusal.UNREACHED),
    ]
    assert found[1].short_bytes == 80 * GIB


def test_what_one_by_one_leaves_over_the_exact_search_places() -> None:
    # One by one the second 50 goes to the smaller one, and then a 35 fits nowhere.
    made = group([0, 0], [100, 70], [0, 0], [0], ceiling=1.0)
    new = disks([50, 50, 35, 35], [0] * 4, [[True, True]] * 4)
    place = advise(made, judge(made, made.place), new)
    assert (place != NOWHERE).all()
    for store, room in ((0, 100), (1, 70)):
        assert sum(int(size) for size in new.size_bytes[place == store]) <= room * GIB


def lawful(made: Group, new: NewDisks, place: list[int]) -> bool:
    """Counted apart from the planner: bytes below the ceiling, and load where a disk adds some."""
    used = [int(each) for each in made.other_bytes]
    load = [[float(x) for x in row] for row in made.other_load]
    touched: set[tuple[int, int]] = set()
    filled: set[int] = set()
    for n, store in enumerate(place):
        if store == NOWHERE:
            continue
        if not new.may[n, store]:
            return False
        used[store] += int(new.size_bytes[n])
        filled.add(store)
        for hour in range(2):
            own = float(new.features[0, n, hour])
            load[int(made.pool_of[store])][hour] += own
            if own > 0:
                touched.add((int(made.pool_of[store]), hour))
    within = all(used[store] <= int(made.room_bytes[store]) for store in filled)
    return within and all(load[p][h] <= float(made.load_limit[p]) * (1 + 1e-6) + 1e-9 for p, h in touched)


@given(st.data())
def test_a_proposal_is_lawful_and_places_all_that_can_be_placed(data: st.DataObject) -> None:
    stores = data.draw(st.integers(1, 3))
    pools = data.draw(st.integers(1, 2))
    count = data.draw(st.integers(1, 4))
    made = group(
        data.draw(st.lists(st.integers(0, 90), min_size=stores, max_size=stores)),
        [100] * stores,
        data.draw(st.lists(st.integers(0, pools - 1), min_size=stores, max_size=stores)),
        data.draw(st.lists(st.integers(0, 95), min_size=pools, max_size=pools)),
    )
    new = disks(
        data.draw(st.lists(st.integers(1, 60), min_size=count, max_size=count)),
        data.draw(st.lists(st.integers(0, 40), min_size=count, max_size=count)),
        data.draw(st.lists(st.lists(st.booleans(), min_size=stores, max_size=stores), min_size=count, max_size=count)),
    )
    state = judge(made, made.place)
    place = advise(made, state, new)
    assert lawful(made, new, place.tolist())
    assert advise(made, state, new).tolist() == place.tolist()
    ways = itertools.product([NOWHERE, *range(stores)], repeat=count)
    most = max(
        sum(int(new.size_bytes[n]) for n, store in enumerate(way) if store != NOWHERE)
        for way in ways
        if lawful(made, new, list(way))
    )
    placed = sum(int(size) for size in new.size_bytes[place != NOWHERE])
    assert placed == pytest.approx(most)
