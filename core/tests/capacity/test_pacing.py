"""The pace of work on blocks: no hour it runs in is too busy for it."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from movelot_core.capacity.pacing import HOUR_SECONDS, pace_from, soonest_done

GIB = 2**30
PER_HOUR = GIB / HOUR_SECONDS
DAY = st.lists(st.integers(0, 500), min_size=24, max_size=24)


def test_the_worked_example() -> None:
    rates = [50 * PER_HOUR, 50 * PER_HOUR, *[200 * PER_HOUR] * 4]
    now, later = pace_from(600 * GIB, rates), soonest_done(600 * GIB, rates)
    assert now is not None
    assert later is not None
    assert (round(now.bytes_per_second / PER_HOUR), round(now.hours)) == (50, 12)
    assert (later.begins_in, round(later.bytes_per_second / PER_HOUR), round(later.hours)) == (2, 200, 3)


def test_what_is_short_need_not_mind_the_busy_hour_that_comes() -> None:
    found = pace_from(100 * GIB, [200 * PER_HOUR, 10 * PER_HOUR, *[100 * PER_HOUR] * 22])
    assert found is not None
    assert round(found.bytes_per_second / PER_HOUR) == 200


def test_nothing_can_begin_in_an_hour_without_room_or_last_through_one() -> None:
    rates = [0.0, *[10 * PER_HOUR] * 5]
    assert pace_from(10 * GIB, rates) is None
    assert pace_from(100 * GIB, rates, begin=1) is None
    assert soonest_done(100 * GIB, rates) is None


@given(rates=DAY, amount=st.integers(1, 20_000), begin=st.integers(0, 23))
def test_no_hour_it_runs_in_has_less_room_than_it_takes(rates: list[int], amount: int, begin: int) -> None:
    found = pace_from(amount * GIB, [rate * PER_HOUR for rate in rates], begin)
    if found is None:
        return
    hours = range(begin, begin + min(24, -int(-(found.hours - 1e-9) // 1)))
    assert all(found.bytes_per_second <= rates[hour % 24] * PER_HOUR + 1e-6 for hour in hours)
    assert found.hours * HOUR_SECONDS * found.bytes_per_second >= amount * GIB * (1 - 1e-9)
