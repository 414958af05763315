"""A group's week as iCalendar (RFC 5545), out and in: each bar a weekly event, each exception one that comes once.

An event's summary names the way. What comes in is for ways that the group has: what each does is set in Move Lot, when
it does so may well be laid out in a calendar.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from hashlib import blake2b
from zoneinfo import ZoneInfo

from icalendar import Calendar, Event

from movelot.balance.week_answers import BarRow, ExceptionRow, GroupWeek
from movelot.problems import Problem
from movelot_core.balance.week import DAY_HOURS, WEEK_HOURS
from movelot_core.units import count_of

# Written as JSON each of its characters takes six bytes at worst; Django takes 2.5 MB of a request.
CALENDAR_MOST = 200_000
EVENTS_MOST = 500
DAYS = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
# A Monday from which weekly events begin.
FIRST_MONDAY = date(2024, 1, 1)
UNCHANGED = "Nothing was stored."


@dataclass
class CalendarWeek:
    """What a calendar lays over the week of a group, and what of it was left out, with the reason of each."""

    zone: str
    bars: list[BarRow]
    exceptions: list[ExceptionRow]
    left_out: list[str]


def written_calendar(group: str, week: GroupWeek) -> bytes:
    """The week as a calendar in the time zone of the site."""
    calendar = Calendar()
    calendar.add("prodid", "-//Move Lot//ways of working//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", f"{group}, ways of working")
    zone = ZoneInfo(week.zone)
    for bar in week.bars:
        begins = datetime.combine(FIRST_MONDAY, datetime.min.time(), zone) + timedelta(hours=bar.begins)
        event = _event(bar.way, f"{group} {bar.way} {bar.begins}")
        event.add("dtstart", begins)
        # By the wall clock, as the week is: also in the weeks in which clocks are changed.
        event.add("dtend", begins + timedelta(hours=bar.hours))
        event.add("rrule", {"freq": "weekly", "byday": DAYS[bar.begins // DAY_HOURS]})
        calendar.add_component(event)
    for each in week.exceptions:
        event = _event(each.way, f"{group} {each.way} {each.begins.isoformat()}")
        event.add("dtstart", each.begins.astimezone(UTC))
        event.add("dtend", each.ends.astimezone(UTC))
        if each.reason:
            event.add("description", each.reason)
        calendar.add_component(event)
    calendar.add_missing_timezones()
    written: bytes = calendar.to_ical()
    return written


def _event(way: str, identity: str) -> Event:
    event = Event()
    event.add("summary", way)
    event.add("uid", f"{blake2b(identity.encode(), digest_size=12).hexdigest()}@movelot")
    event.add("dtstamp", datetime.combine(FIRST_MONDAY, datetime.min.time(), UTC))
    return event


def read_calendar(text: str, ways: Sequence[str], zone: str) -> CalendarWeek:
    """The week that a calendar lays out. Problem 422 for text that is no calendar, or says too much."""
    try:
        calendar = Calendar.from_ical(text)
        events = [each for each in calendar.walk("VEVENT") if isinstance(each, Event)]
    except (ValueError, KeyError, IndexError, TypeError, AttributeError) as error:
        hint = "Save it from the calendar as .ics, and try again."
        raise Problem(422, "calendar_unreadable", "The text is no calendar.", UNCHANGED, hint) from error
    if len(events) > EVENTS_MOST:
        title = f"The calendar has {count_of(len(events), 'event')}; {EVENTS_MOST} are taken at most."
        raise Problem(422, "calendar_too_long", title, UNCHANGED)
    found = CalendarWeek(zone, [], [], [])
    known = {way.casefold(): way for way in ways}
    for event in events:
        summary = str(event.get("summary", "")).strip()
        try:
            way = known.get(summary.casefold())
            if way is None:
                raise _LeftOut("the group has no way of that name")
            _lay(event, way, found)
        except _LeftOut as why:
            found.left_out.append(f"“{summary[:40]}”: {why}.")
    found.bars.sort(key=lambda bar: bar.begins)
    _without_overlaps(found)
    return found


class _LeftOut(Exception):
    """Why an event is not taken."""


def _lay(event: Event, way: str, week: CalendarWeek) -> None:
    """Add what an event lays out. Raises _LeftOut for what a week of hours cannot have."""
    begins, ends = _times(event, ZoneInfo(week.zone))
    rule = event.get("rrule")
    if rule is None:
        week.exceptions.append(ExceptionRow(way, begins, ends, str(event.get("description", ""))[:100]))
        return
    if any(event.get(name) is not None for name in ("exdate", "rdate", "recurrence-id")):
        raise _LeftOut("it has dates of its own beside the week; give these an event each")
    # By the wall clock of the site.
    local, until = begins.replace(tzinfo=None), ends.replace(tzinfo=None)
    hours = (until - local) / timedelta(hours=1)
    if local.minute or local.second or hours != int(hours):
        raise _LeftOut("the week is of whole hours")
    if not 0 < hours <= WEEK_HOURS:
        raise _LeftOut("it takes longer than a week")
    for day in _days(rule, local):
        week.bars.append(BarRow(way, day * DAY_HOURS + local.hour, int(hours)))


def _times(event: Event, zone: ZoneInfo) -> tuple[datetime, datetime]:
    begins = event.get("dtstart")
    if begins is None:
        raise _LeftOut("it does not say when it begins")
    try:
        first, last = _moment(event.start, zone), _moment(event.end, zone)
    except (ValueError, TypeError) as error:
        raise _LeftOut("its times cannot be read") from error
    if last <= first:
        raise _LeftOut("it ends before it begins")
    return first, last


def _moment(value: date, zone: ZoneInfo) -> datetime:
    """At the site's clock; a time without a zone is one of the site's, a day begins at midnight there."""
    if not isinstance(value, datetime):
        return datetime.combine(value, datetime.min.time(), zone)
    return value.astimezone(zone) if value.tzinfo else value.replace(tzinfo=zone)


def _days(rule: dict[str, list[object]], first: datetime) -> list[int]:
    """The days of the week on which an event comes. Raises _LeftOut for what does not come every week for good."""
    known = {"FREQ", "BYDAY", "INTERVAL", "WKST"}
    told = {str(key).upper(): values for key, values in rule.items()}
    freq = [str(value).upper() for value in told.get("FREQ", [])]
    if freq not in (["WEEKLY"], ["DAILY"]) or told.keys() - known or told.get("INTERVAL", [1]) not in ([1], ["1"]):
        raise _LeftOut("it does not come every week for good")
    named = [str(value).upper() for value in told.get("BYDAY", [])]
    if any(name not in DAYS for name in named):
        raise _LeftOut("it does not come every week for good")
    usual = range(7) if freq == ["DAILY"] else [first.weekday()]
    return sorted({DAYS.index(name) for name in named}) or list(usual)


def _without_overlaps(week: CalendarWeek) -> None:
    """Take out bars that have an hour which an earlier one has."""
    taken: set[int] = set()
    kept = []
    for bar in week.bars:
        hours = {(bar.begins + n) % WEEK_HOURS for n in range(bar.hours)}
        if hours & taken:
            week.left_out.append(f"“{bar.way}” on {_when(bar)}: another way has one of these hours.")
        else:
            taken |= hours
            kept.append(bar)
    week.bars[:] = kept


def _when(bar: BarRow) -> str:
    names: Iterable[str] = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
    return f"{list(names)[bar.begins // DAY_HOURS]} from {bar.begins % DAY_HOURS:02}:00"
