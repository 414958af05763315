"""Which way of working holds when: hours of a week at a site, and exceptions to them that go back by themselves.

A week has 168 hours, from 0, the first of Monday, to 167, the last of Sunday, by the clock of the site. Where that
clock is put forward an hour of the week is left out; where it is put back one comes twice, and its way holds twice.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from itertools import groupby
from zoneinfo import ZoneInfo

from movelot_core.errors import GroupError

DAY_HOURS = 24
WEEK_HOURS = 7 * DAY_HOURS
# A way that holds for longer than this without end holds for ever: nothing else does in the week.
LOOK_AHEAD = timedelta(days=8)
HOUR = timedelta(hours=1)


@dataclass(frozen=True)
class Bar:
    """Hours of the week from ``begins`` (0..167) on in which ``way`` holds; past Sunday's last hour it goes on with
    Monday's first."""

    way: int
    begins: int
    hours: int

    def __post_init__(self) -> None:
        if not (0 <= self.begins < WEEK_HOURS and 0 < self.hours <= WEEK_HOURS):
            raise GroupError("bar_outside_week", f"A bar from hour {self.begins} for {self.hours} is not of a week.")

    def covers(self) -> list[int]:
        """The hours of the week in which it holds."""
        return [(self.begins + n) % WEEK_HOURS for n in range(self.hours)]


@dataclass(frozen=True)
class Once:
    """An exception: ``way`` holds from ``begins`` until before ``ends``, whatever the week says."""

    way: int
    begins: datetime
    ends: datetime


@dataclass(frozen=True)
class InForce:
    """The way that holds, None for what the group does without any; and until when, None for ever."""

    way: int | None
    until: datetime | None
    once: bool = False


@dataclass(frozen=True)
class Week:
    """The bars of a week at a site, and exceptions. Of exceptions that overlap the one that begins last holds.

    Raises GroupError where two bars have an hour of the week both.
    """

    zone: ZoneInfo
    bars: tuple[Bar, ...]
    exceptions: tuple[Once, ...] = ()

    def __post_init__(self) -> None:
        of_hour: dict[int, Bar] = {}
        for bar in self.bars:
            for hour in bar.covers():
                if hour in of_hour:
                    raise GroupError("bars_overlap", f"Two ways of working have {hour_text(hour)} both.")
                of_hour[hour] = bar
        for once in self.exceptions:
            if once.ends <= once.begins:
                raise GroupError("exception_ends_first", "An exception ends after it begins.")

    def by_hour(self) -> list[int | None]:
        """[168] The way of each hour of the week."""
        ways: list[int | None] = [None] * WEEK_HOURS
        for bar in self.bars:
            for hour in bar.covers():
                ways[hour] = bar.way
        return ways

    def way_at(self, moment: datetime) -> tuple[int | None, bool]:
        """The way that holds at ``moment``, and whether it is an exception."""
        return self._way(moment, self.by_hour())

    def in_force(self, moment: datetime) -> InForce:
        """What holds at ``moment`` and until when."""
        by_hour = self.by_hour()
        way, once = self._way(moment, by_hour)
        at = moment
        while at - moment < LOOK_AHEAD:
            at = self._next_change(at)
            if self._way(at, by_hour) != (way, once):
                return InForce(way, at, once)
        return InForce(way, None, once)

    def _way(self, moment: datetime, by_hour: Sequence[int | None]) -> tuple[int | None, bool]:
        now = [once for once in self.exceptions if once.begins <= moment < once.ends]
        if now:
            return max(now, key=lambda once: once.begins).way, True
        return by_hour[hour_of_week(moment, self.zone)], False

    def _next_change(self, moment: datetime) -> datetime:
        """The next instant at which another way may hold: a full hour of the site, or an end of an exception."""
        local = moment.astimezone(self.zone)
        into = timedelta(minutes=local.minute, seconds=local.second, microseconds=local.microsecond)
        ends = [edge for once in self.exceptions for edge in (once.begins, once.ends) if edge > moment]
        return min([(moment + HOUR - into).astimezone(UTC), *ends])


def hour_of_week(moment: datetime, zone: ZoneInfo) -> int:
    """The hour of the week at the site, 0..167."""
    local = moment.astimezone(zone)
    return local.weekday() * DAY_HOURS + local.hour


def hour_text(hour: int) -> str:
    """An hour of the week in words: "Friday 18:00"."""
    days = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
    return f"{days[hour // DAY_HOURS % 7]} {hour % DAY_HOURS:02}:00"


def bars_of(by_hour: Sequence[int | None]) -> tuple[Bar, ...]:
    """The fewest bars that give each of 168 hours its way; one that goes on past Sunday is one bar."""
    found, at = [], 0
    for way, same in groupby(by_hour):
        hours = len(list(same))
        if way is not None:
            found.append(Bar(way, at, hours))
        at += hours
    if len(found) > 1 and by_hour[0] is not None and by_hour[0] == by_hour[-1]:
        first, last = found[0], found[-1]
        found = [*found[1:-1], Bar(last.way, last.begins, last.hours + first.hours)]
    return tuple(found)
