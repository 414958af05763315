"""Which way of working holds when, at worked examples and for weeks made at random."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.balance.week import WEEK_HOURS, Bar, InForce, Once, Week, bars_of, hour_of_week
from movelot_core.errors import GroupError

NIGHT, DAY, FERRIES = 1, 2, 3
BERLIN = ZoneInfo("Europe/Berlin")
MONDAY = datetime(2026, 11, 30, tzinfo=UTC)


def test_a_week_of_nights_and_days() -> None:
    week = Week(BERLIN, (Bar(NIGHT, 20, 9), Bar(DAY, 29, 15)))
    # 18:30 in UTC is half past seven in the evening there.
    assert week.in_force(MONDAY.replace(hour=18, minute=30)) == InForce(None, MONDAY.replace(hour=19))
    assert week.in_force(MONDAY.replace(hour=19)) == InForce(NIGHT, datetime(2026, 12, 1, 4, tzinfo=UTC))
    assert week.in_force(datetime(2026, 12, 1, 4, tzinfo=UTC)).way == DAY


def test_an_exception_holds_between_its_ends_and_goes_back_by_itself() -> None:
    close = Once(FERRIES, MONDAY.replace(hour=17), MONDAY.replace(hour=21, minute=40))
    week = Week(ZoneInfo("UTC"), (Bar(NIGHT, 20, 9),), (close,))
    assert week.in_force(MONDAY.replace(hour=16)) == InForce(None, close.begins)
    assert week.in_force(close.begins) == InForce(FERRIES, close.ends, once=True)
    assert week.in_force(close.ends) == InForce(NIGHT, datetime(2026, 12, 1, 5, tzinfo=UTC))


def test_of_exceptions_at_once_the_one_that_begins_last_holds() -> None:
    long = Once(DAY, MONDAY, MONDAY + timedelta(days=3))
    short = Once(FERRIES, MONDAY + timedelta(hours=5), MONDAY + timedelta(hours=6))
    week = Week(ZoneInfo("UTC"), (), (long, short))
    assert week.in_force(MONDAY) == InForce(DAY, short.begins, once=True)
    assert week.in_force(short.begins) == InForce(FERRIES, short.ends, once=True)
    assert week.in_force(short.ends) == InForce(DAY, long.ends, once=True)


def test_clocks_are_put_back_and_forward() -> None:
    # On 25 October 2026 the hour from two to three comes twice; on 28 March 2027 it does not come.
    sunday = 6 * 24
    week = Week(BERLIN, (Bar(NIGHT, sunday + 2, 1),))
    assert week.in_force(datetime(2026, 10, 25, 0, tzinfo=UTC)).until == datetime(2026, 10, 25, 2, tzinfo=UTC)
    assert week.in_force(datetime(2027, 3, 28, 0, 30, tzinfo=UTC)) == InForce(None, datetime(2027, 4, 4, 0, tzinfo=UTC))


def test_a_night_is_an_hour_shorter_or_longer_as_clocks_are_changed() -> None:
    saturday = 5 * 24
    week = Week(BERLIN, (Bar(NIGHT, saturday + 20, 9),))
    for begins, lasts in ((datetime(2026, 3, 28, 19, tzinfo=UTC), 8), (datetime(2026, 10, 24, 18, tzinfo=UTC), 10)):
        assert week.in_force(begins - timedelta(seconds=1)) == InForce(None, begins)
        assert week.in_force(begins) == InForce(NIGHT, begins + timedelta(hours=lasts))


def test_a_way_for_all_hours_ends_never() -> None:
    assert Week(BERLIN, (Bar(NIGHT, 0, WEEK_HOURS),)).in_force(MONDAY) == InForce(NIGHT, None)


def test_two_ways_at_one_hour_are_refused() -> None:
    with pytest.raises(GroupError, match="Monday 00:00"):
        Week(BERLIN, (Bar(NIGHT, 6 * 24, 25), Bar(DAY, 0, 3)))
    with pytest.raises(GroupError, match="ends after it begins"):
        Week(BERLIN, (), (Once(NIGHT, MONDAY, MONDAY),))


weeks = st.lists(st.sampled_from([None, NIGHT, DAY, FERRIES]), min_size=WEEK_HOURS, max_size=WEEK_HOURS)


@given(weeks)
def test_bars_give_back_the_hours_they_were_made_of(by_hour: list[int | None]) -> None:
    bars = bars_of(by_hour)
    assert Week(BERLIN, bars).by_hour() == by_hour
    # No bar goes on as the same way: two that touch would be one.
    touching = {(bar.way, (bar.begins + bar.hours) % WEEK_HOURS) for bar in bars}
    assert len(bars) == 1 or not touching & {(bar.way, bar.begins) for bar in bars}


@given(
    weeks,
    st.sampled_from(["Europe/Berlin", "Asia/Kathmandu", "Australia/Lord_Howe", "America/St_Johns", "UTC"]),
    st.datetimes(datetime(2025, 1, 1), datetime(2028, 1, 1)),
    st.lists(st.tuples(st.sampled_from([NIGHT, DAY]), st.integers(-3000, 3000), st.integers(1, 3000)), max_size=3),
)
def test_what_is_in_force_holds_until_it_is_said_to(
    by_hour: list[int | None], zone: str, naive: datetime, once: list[tuple[int, int, int]]
) -> None:
    moment = naive.replace(tzinfo=UTC)
    exceptions = tuple(
        Once(way, moment + timedelta(minutes=begins), moment + timedelta(minutes=begins + lasts))
        for way, begins, lasts in once
    )
    week = Week(ZoneInfo(zone), bars_of(by_hour), exceptions)
    found = week.in_force(moment)
    # Step by step, by nothing but the clock and what was laid out.
    until = found.until or moment + timedelta(days=8)
    at = moment
    while at < min(until, moment + timedelta(hours=30)):
        assert _plain(week, by_hour, at) == (found.way, found.once)
        at += timedelta(minutes=15)
    if found.until is not None:
        assert _plain(week, by_hour, found.until) != (found.way, found.once)


def _plain(week: Week, by_hour: list[int | None], at: datetime) -> tuple[int | None, bool]:
    now = [each for each in week.exceptions if each.begins <= at < each.ends]
    if now:
        return sorted(now, key=lambda each: each.begins)[-1].way, True
    return by_hour[hour_of_week(at, week.zone)], False
