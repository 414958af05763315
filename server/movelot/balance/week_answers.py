"""A group's week as it is told and typed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Literal, cast

from movelot.balance.ways import Ways, digest_of, may_act, ways_of
from movelot.balance.week_load import latency_by_hour
from movelot.inventory.models import ActsHalted, BalanceGroup, Rehearsal, WayException, WayOfWorking
from movelot_core.balance.week import InForce

Does = Literal["advise", "act", "still"]


@dataclass
class WayRow:
    """A way of working; what is null has no limit, or is the group's own."""

    name: str
    does: Does
    most_bytes: int | None
    most_copies: int | None
    fill_ceiling: float | None
    latency_ceiling_ms: float | None


@dataclass
class BarRow:
    """Hours of the week in which a way is in force; hour 0 is the first of Monday at the site."""

    way: str
    begins: int
    hours: int


@dataclass
class ExceptionRow:
    """A way that is in force once."""

    way: str
    begins: datetime
    ends: datetime
    reason: str


@dataclass
class WayNow:
    """What is in force: no way for an empty name, as the group then advises; without end for ever."""

    way: str
    does: str
    until: datetime | None
    once: bool
    next_way: str


@dataclass
class Acting:
    """Whether a group acts by itself where a way says so: who let it, and what is in the way."""

    wanted: bool
    let_by: str
    why_not: str
    rehearsal: int | None
    seen_by: str


@dataclass
class GroupWeek:
    """The ways of working of a group over the hours of a week, and exceptions.

    ``latency_ms`` [168] is how slow its slowest pool was at each hour, beside ``ceilings_ms`` [168].
    """

    group: str
    number: int
    zone: str
    ways: list[WayRow]
    bars: list[BarRow]
    exceptions: list[ExceptionRow]
    now: WayNow
    acting: Acting
    latency_ms: list[float | None]
    ceilings_ms: list[float]
    own_fill_ceiling: float
    own_latency_ceiling_ms: float
    by: str
    at: datetime | None


def week_answer(group: BalanceGroup, moment: datetime) -> GroupWeek:
    """A group's week as it is at ``moment``."""
    ways = ways_of(group)
    by_hour = ways.week.by_hour()
    return GroupWeek(
        group.name,
        group.number,
        group.zone,
        [_way_row(way) for way in ways.by_key.values()],
        [BarRow(ways.by_key[bar.way].name, bar.begins, bar.hours) for bar in ways.week.bars],
        [
            ExceptionRow(each.way.name, each.begins, each.ends, each.reason)
            for each in WayException.objects.filter(way__group=group).select_related("way")
        ],
        _now(ways, moment),
        acting_of(group, ways),
        latency_by_hour(group, moment),
        [_ceiling(ways.by_key.get(key or 0), group) for key in by_hour],
        group.own_fill_ceiling,
        group.own_latency_ceiling_ms,
        group.by,
        group.at,
    )


def acting_of(group: BalanceGroup, ways: Ways) -> Acting:
    """Whether a group acts, and what is in the way of it."""
    of = digest_of(group, ways)
    last = Rehearsal.objects.filter(group=group, of=of).first()
    halted = ActsHalted.objects.first()
    let = group.acts_by if may_act(group, ways) else ""
    why = ""
    if ways.act and halted:
        why = f"Acting is halted for all groups, by {halted.by}."
    elif ways.act and not let:
        why = "Nobody let it act as it is now: rehearse it, look at that, then let it act."
    return Acting(ways.act, let, why, last.pk if last else None, last.seen_by if last else "")


def _way_row(way: WayOfWorking) -> WayRow:
    return WayRow(
        way.name, cast(Does, way.does), way.most_bytes, way.most_copies, way.fill_ceiling, way.latency_ceiling_ms
    )


def _now(ways: Ways, moment: datetime) -> WayNow:
    found = ways.week.in_force(moment)
    following = ways.week.in_force(found.until) if found.until else InForce(None, None)
    way = ways.by_key.get(found.way or 0)
    after = ways.by_key.get(following.way or 0)
    does = way.does if way else WayOfWorking.Does.ADVISE
    return WayNow(way.name if way else "", does, found.until, found.once, after.name if after else "")


def _ceiling(way: WayOfWorking | None, group: BalanceGroup) -> float:
    return (way and way.latency_ceiling_ms) or group.own_latency_ceiling_ms
