"""Rehearsals: a worked example, and that none uses what was not known, goes past its window, or breaks a Must."""

from __future__ import annotations

import dataclasses
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from core.tests.builders import small
from movelot_core.balance.copies import CopyRates
from movelot_core.balance.group import Group, broken_musts
from movelot_core.balance.rehearse import LEARN_DAYS, Conduct, History, HoursOver, LaidOut, Rehearsed, rehearse
from movelot_core.balance.rules import Split
from movelot_core.balance.week import Bar, Week
from movelot_core.units import GIB

NIGHT = 1
UTC_ZONE = ZoneInfo("UTC")
NIGHTS = Week(UTC_ZONE, tuple(Bar(NIGHT, 24 * day + 20, 9) for day in range(7)))
ADVISE = Conduct(acts=False, fill_ceiling=0.8, latency_ceiling_ms=5.0)
ACT = dataclasses.replace(ADVISE, acts=True)
RATES = CopyRates(float(GIB), float(GIB), offloaded_iops=1.0, over_hosts_iops=1.0)
# A Monday.
FIRST = date(2026, 11, 2)


def nothing_asked(group: Group) -> Group:
    """The group as rehearsals take it: hours of weekdays and weekends, loads are those of the history."""
    disks, pools = len(group.disks), len(group.pools)
    return dataclasses.replace(group, features=np.zeros((4, disks, 48)), other_load=np.zeros((pools, 48)))


def days(count: int) -> tuple[date, ...]:
    return tuple(FIRST + timedelta(days=n) for n in range(count))


def history(group: Group, count: int) -> History:
    """Nothing asked for."""
    loads = np.zeros((len(group.disks), count, 24, 3), dtype=np.float32)
    loads[..., 2] = 8
    return History(days(count), loads)


def two_at_work(count: int = 21) -> tuple[Group, History]:
    """Two disks of 600 IOPS from nine to five on weekdays on a pool that bears 800; another pool is idle."""
    group = nothing_asked(small([100, 100], [0, 0], [1000, 1000], None, [0, 1]))
    found = history(group, count)
    for n, day in enumerate(found.days):
        if day.weekday() < 5:
            found.loads[:, n, 9:17, 0] = 600
    return group, found


def played(group: Group, found: History, act: Conduct = ACT, week: Week = NIGHTS) -> Rehearsed:
    return rehearse(group, found, LaidOut(week, {NIGHT: act}, ADVISE), RATES)


def test_a_pool_slow_at_work_is_clear_from_the_first_night_on() -> None:
    group, found = two_at_work()
    made = played(group, found)
    # Two weeks from the eighth day on, a Monday: ten days of eight hours.
    assert [day.as_it_was.any for day in made.days] == [8, 8, 8, 8, 8, 0, 0] * 2
    assert (made.as_it_was, made.rehearsed) == (HoursOver(80, 80), HoursOver())
    # On Monday the 9th a week is known, within the night that began on Sunday.
    assert [(move.at, move.taken_back) for move in made.moves] == [(datetime(2026, 11, 9, tzinfo=UTC), False)]
    assert played(group, found, ADVISE).rehearsed == HoursOver(80, 80)


def test_what_does_not_fit_the_window_does_not_move() -> None:
    group, found = two_at_work()
    assert played(group, found, dataclasses.replace(ACT, most_bytes=99 * GIB)).moves == ()
    # A window of an hour has room for 54 minutes of copies, 100 GiB take 100 minutes.
    slow = dataclasses.replace(RATES, offloaded=GIB / 60, over_hosts=GIB / 60)
    hour = Week(UTC_ZONE, (Bar(NIGHT, 20, 1),))
    assert rehearse(group, found, LaidOut(hour, {NIGHT: ACT}, ADVISE), slow).moves == ()
    assert len(played(group, found, week=hour).moves) == 1


def test_a_ceiling_counts_in_its_hours_only() -> None:
    group, found = two_at_work()
    lower = dataclasses.replace(ADVISE, fill_ceiling=0.15)
    made = played(group, found, lower)
    # Nights of nine hours over the lower ceiling of fill, beside eight of each working day.
    assert [day.as_it_was.any for day in made.days[1:6]] == [17, 17, 17, 17, 9]


def test_what_goes_to_and_fro_is_counted_as_taken_back() -> None:
    """One way wants the first datastore emptier, the other the second one's pool faster: the disk goes to and fro."""
    group = nothing_asked(small([300], [0], [1000, 1000], None, [0, 1], other_bytes=np.array([100, 0]) * GIB))
    group = dataclasses.replace(group, other_load=np.array([[0.0], [300.0]]).repeat(48, axis=1))
    found = history(group, 9)
    found.loads[..., 0] = 200
    week = Week(UTC_ZONE, tuple(Bar(1 + half, 24 * day + 12 * half, 4) for day in range(7) for half in (0, 1)))
    emptier = dataclasses.replace(ACT, fill_ceiling=0.35)
    # 300 of others and 200 of the disk are 2 ms.
    faster = dataclasses.replace(ACT, latency_ceiling_ms=1.8)
    made = rehearse(group, found, LaidOut(week, {1: emptier, 2: faster}, ADVISE), RATES)
    told = [(move.at.hour, move.source, move.target, move.taken_back) for move in made.moves]
    assert told == [(0, 0, 1, False), (12, 1, 0, True), (0, 0, 1, True), (12, 1, 0, True)]


def test_asked_to_end_it_has_the_days_until_then() -> None:
    group, found = two_at_work()
    seen: list[int] = []
    laid = LaidOut(NIGHTS, {NIGHT: ACT}, ADVISE)
    made = rehearse(group, found, laid, RATES, lambda n, _of: bool(seen.append(n)) or n >= 3)
    assert (len(made.days), seen) == (3, [0, 1, 2, 3])


@st.composite
def worlds(draw: st.DrawFn) -> tuple[Group, History]:
    """Eight disks on four datastores of two pools with loads that come and go at random."""
    rng = np.random.default_rng(draw(st.integers(0, 2**31)))
    count = 12
    place = rng.integers(0, 4, 8).tolist()
    group = small(rng.integers(20, 200, 8).tolist(), place, [600, 600, 500, 900], None, [0, 0, 1, 1])
    group = dataclasses.replace(
        nothing_asked(group),
        pinned=rng.random(8) < 0.1,
        splits=(Split("apart", (0, 1), (0, 1, 2, 3)),),
    )
    found = history(group, count)
    found.loads[..., 0] = rng.exponential(120, (8, count, 24)) * (rng.random((8, 1, 24)) < 0.4)
    found.loads[rng.random((8, count, 24)) < 0.05] = np.nan
    return group, found


@settings(max_examples=6, deadline=None)
@given(worlds(), st.integers(LEARN_DAYS, 11), st.sampled_from([None, 150 * GIB, 400 * GIB]))
def test_no_rehearsal_uses_what_was_not_known(world: tuple[Group, History], day: int, most: int | None) -> None:
    group, found = world
    act = dataclasses.replace(ACT, most_bytes=most, at_once=2)
    made = played(group, found, act)
    later = found.loads.copy()
    later[:, day:] = np.float32(700) - np.nan_to_num(later[:, day:])
    other = played(group, dataclasses.replace(found, loads=later), act)
    until = datetime.combine(found.days[day], datetime.min.time(), UTC) + timedelta(days=1)
    before = [move for move in made.moves if move.at < until]
    assert before == [move for move in other.moves if move.at < until]
    # By itself: no night moves more than it may, none moves a pinned disk or brings two that are kept apart together.
    by_night: dict[datetime, int] = {}
    place = group.place.copy()
    for move in made.moves:
        assert place[move.disk] == move.source
        place[move.disk] = move.target
        by_night[move.at] = by_night.get(move.at, 0) + move.size_bytes
        assert NIGHTS.way_at(move.at) == (NIGHT, False)
    assert (place == made.place).all()
    assert all(most is None or moved <= most for moved in by_night.values())
    assert not any("pinned" in text or "apart" in text for text in broken_musts(group, made.place))
