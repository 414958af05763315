"""Fair caps: who asks for most gives way first and equally, floors are kept, and no hour stays over without need."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from movelot_core.balance.caps import fair_caps

INF = float("inf")


def hours(*disks: list[float]) -> np.ndarray:
    return np.array(disks, dtype=float)


def test_the_worked_example() -> None:
    asked = hours([6000], [4000], [1000])
    found = fair_caps(asked, asked, np.array([8000.0]))
    assert found.cap_iops.tolist() == [3500, 3500, INF]
    assert found.level[0] == pytest.approx(3500)
    assert found.load[:, 0].tolist() == [3500, 3500, 1000]


def test_a_disk_of_twice_the_weight_gets_twice_as_much() -> None:
    asked = hours([6000], [6000])
    found = fair_caps(asked, asked, np.array([6000.0]), weight=np.array([2.0, 1.0]))
    assert found.cap_iops.tolist() == pytest.approx([4000, 2000], abs=1)


def test_a_floor_is_kept_and_others_give_way_for_it() -> None:
    asked = hours([6000], [4000], [1000])
    found = fair_caps(asked, asked, np.array([8000.0]), floor_iops=np.array([0.0, 3900.0, 0.0]))
    assert found.cap_iops.tolist() == pytest.approx([3100, 3900, INF], abs=1)
    short = fair_caps(asked, asked, np.array([3000.0]), floor_iops=np.array([0.0, 3900.0, 0.0]))
    assert short.left_over[0] == pytest.approx(901, abs=1)


def test_an_hour_that_is_cleared_by_the_caps_of_another_takes_from_nobody() -> None:
    # At the second hour 1,000 too much are asked for; the first disk's cap of the first hour gives back 4,000.
    found = fair_caps(hours([9000, 6000], [1000, 3000]), hours([9000, 6000], [1000, 3000]), np.array([3000.0, 8000.0]))
    assert found.cap_iops.tolist() == [2000, INF]
    assert found.level[1] == INF


def test_a_cap_is_in_ios_whatever_load_these_are() -> None:
    # Large pieces: each I/O is a load of two.
    found = fair_caps(hours([8000], [2000]), hours([4000], [2000]), np.array([6000.0]))
    assert found.cap_iops.tolist() == [2000, INF]


def test_who_asks_for_nothing_and_a_pool_within_its_ceiling_are_left() -> None:
    found = fair_caps(hours([0, 100], [0, 0]), hours([0, 100], [0, 0]), np.array([0.0, 100.0]))
    assert found.cap_iops.tolist() == [INF, INF]
    assert fair_caps(np.zeros((0, 2)), np.zeros((0, 2)), np.zeros(2)).cap_iops.size == 0
    with pytest.raises(ValueError, match="weight"):
        fair_caps(hours([1]), hours([1]), np.ones(1), weight=np.zeros(1))


DEMANDS = st.integers(1, 6).flatmap(
    lambda disks: st.integers(1, 4).flatmap(
        lambda count: arrays(float, (disks, count), elements=st.floats(0, 9000).map(lambda value: float(round(value))))
    )
)


@given(DEMANDS, st.floats(0.05, 1.2), st.integers(0, 2**32 - 1))
def test_caps_are_max_min_fair_and_leave_no_more_over_than_floors_do(
    asked: np.ndarray, share: float, seed: int
) -> None:
    dice = np.random.default_rng(seed)
    cost = dice.uniform(0.5, 3.0, size=asked.shape)
    floors = np.round(dice.uniform(0, 2000, size=len(asked)) * dice.integers(0, 2, size=len(asked)))
    load, bearable = asked * cost, share * (asked * cost).sum(axis=0)
    found = fair_caps(load, asked, bearable, floor_iops=floors)
    after = np.minimum(asked, found.cap_iops[:, None])
    # Nobody falls below a floor, nor below one I/O.
    assert (found.cap_iops >= np.maximum(floors, 1)).all()
    # What stays over is what floors take, and of each disk one I/O at most, as none is halved.
    least = (np.minimum(asked, floors[:, None]) * cost).sum(axis=0)
    assert ((after * cost).sum(axis=0) <= np.maximum(bearable, least) * (1 + 1e-6) + cost.sum(axis=0)).all()
    assert np.allclose(found.left_over, np.maximum((after * cost).sum(axis=0) - bearable, 0))


@given(arrays(float, st.tuples(st.integers(1, 8), st.just(1)), elements=st.integers(0, 9000)), st.floats(0.05, 1.0))
def test_in_one_hour_nobody_gives_way_for_one_who_gets_more(asked: np.ndarray, share: float) -> None:
    found = fair_caps(asked, asked, share * asked.sum(axis=0))
    gets = np.minimum(asked[:, 0], found.cap_iops)
    gives_way = gets < asked[:, 0]
    if gives_way.any():
        # But for whole I/Os: all who give way get as much, and nobody gets more than they do.
        assert np.ptp(gets[gives_way]) <= 1
        assert gets.max() <= gets[gives_way].min() + 1
        assert gets.sum() >= share * asked.sum() - len(asked)
