"""How use goes on, and when room runs out: worked examples, steps apart from growth, how often intervals are right."""

from __future__ import annotations

import numpy as np
import pytest

from core.tests.capacity.histories import KINDS, told
from movelot_core.capacity.forecast import DAYS_MIN, Forecast, Runway, changed, forecast, runway

GIB = 2**30


def straight(days: int, growth: float = 10.0, begin: float = 400.0) -> Forecast:
    found = forecast(list(range(days)), [begin + growth * day for day in range(days)])
    assert found is not None
    return found


def test_the_worked_example() -> None:
    found = straight(60, begin=400.0 - 590)
    assert (found.used_bytes, round(found.growth_bytes, 6)) == (400, 10)
    for curve in (found.low, found.likely, found.high):
        assert curve[29] == pytest.approx(700)
    assert runway(found, 550) == Runway(15, 15, 15)


def test_little_history_tells_no_interval() -> None:
    days = list(range(DAYS_MIN - 1))
    assert forecast(days, [float(day) for day in days]) is None
    assert runway(None, 1000) == Runway(None, None, None, told=False)
    # That the ceiling is passed needs no history.
    assert runway(None, 1000, 1200) == Runway(0, 0, 0, told=False)


def test_a_full_one_is_full_now_and_one_that_does_not_grow_never() -> None:
    assert runway(straight(60), 100) == Runway(0, 0, 0)
    assert runway(straight(60, growth=0), 1000) == Runway(None, None, None)


def test_one_large_arrival_is_no_growth() -> None:
    """2 GiB a day, and on day 40 an archive of 500 GiB moved in."""
    rng = np.random.default_rng(3)
    used = [(1000 + 2 * day + rng.normal(0, 0.5) + (500 if day >= 40 else 0)) * GIB for day in range(80)]
    found = forecast(list(range(80)), used)
    assert found is not None
    (step,) = found.steps
    assert (step.day, round(step.size_bytes / GIB / 10)) == (40, 50)
    assert found.growth_bytes / GIB == pytest.approx(2, abs=0.2)
    # As if they had been there from the begin, not as if they came again.
    assert found.likely[29] / GIB == pytest.approx(used[-1] / GIB + 60, abs=5)


def test_arrivals_that_keep_coming_are_how_use_goes_on() -> None:
    used = [1000.0 + 100 * (day // 12) for day in range(240)]
    found = forecast(list(range(240)), used)
    assert found is not None
    assert found.steps == ()
    assert found.high[59] - found.used_bytes >= 400


def test_days_that_are_missing_do_not_change_a_straight_line() -> None:
    days = [day for day in range(90) if day % 5 not in (1, 2)]
    found = forecast(days, [10.0 * day for day in days])
    assert found is not None
    assert found.growth_bytes == pytest.approx(10)


def test_what_if_more_comes_in_or_growth_doubles() -> None:
    found = straight(60, begin=400.0 - 590)
    assert runway(changed(found, growth_times=2), 550) == Runway(8, 8, 8)
    assert runway(changed(found, arrivals=[(5, 100.0)]), 550) == Runway(5, 5, 5)
    assert runway(changed(found, arrivals=[(0, 200.0)]), 550) == Runway(0, 0, 0)


def test_the_interval_says_how_often_it_was_right_in_the_past() -> None:
    rng = np.random.default_rng(1)
    found = forecast(list(range(200)), list(1000 + np.cumsum(rng.normal(10, 5, 200))))
    assert found is not None
    assert found.tried >= 12
    assert 0.5 <= found.right / found.tried <= 1.0


def test_of_a_hundred_intervals_some_eighty_hold_what_came() -> None:
    """Ten kinds of history, each held back from 10 to 60 days; the same figures as the bench's, from fewer of them."""
    rng = np.random.default_rng(7)
    right: dict[str, list[bool]] = {}
    for name, kind in KINDS.items():
        for _ in range(25):
            ahead = int(rng.integers(10, 60))
            days, used, truth = told(kind, rng, ahead)
            found = forecast(days, used, ahead)
            assert found is not None
            right.setdefault(name, []).append(bool(found.low[-1] - 1e-6 <= truth <= found.high[-1] + 1e-6))
    shares = {name: float(np.mean(each)) for name, each in right.items()}
    assert min(shares.values()) >= 0.55, shares
    assert 0.7 <= float(np.mean(list(shares.values()))) <= 0.9, shares
