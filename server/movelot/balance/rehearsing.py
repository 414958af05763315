"""Rehearsals of a group's ways: asked for, computed by a job over the stored history, kept, and looked at.

Journey: before *Night* may move anything by itself, somebody wants to know what it would have done: in which nights it
would have moved what, how many hours over a ceiling that would have spared, and which moves it would have taken back.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import partial

import numpy as np
from django.utils.timezone import now
from pydantic import TypeAdapter

from movelot.balance.ways import Ways, digest_of, ways_of
from movelot.inventory.known_groups import KnownGroup, known_group
from movelot.inventory.models import BalanceGroup, DiskDay, DiskPlacement, Rehearsal, WayOfWorking
from movelot.jobs.work import JobKind, Running
from movelot.placement.copies import rates_of
from movelot.problems import Problem
from movelot_core.balance.rehearse import LEARN_DAYS, Conduct, History, LaidOut, Rehearsed, RehearsedDay, rehearse
from movelot_core.latency import HOURS
from movelot_core.units import count_of

# Days of history that are replayed at most, those that only teach included.
DAYS = 37
MOVES_TOLD = 200
# Rehearsals of a group that are kept: enough to compare, and no history of its own.
KEPT = 10


@dataclass
class DayAnswer:
    """Hours of a day in UTC in which a ceiling was passed, as disks lie now and as rehearsed, and what moved.

    Of the hours over a ceiling those are ``slow`` in which it was one of latency.
    """

    day: date
    over: int
    slow: int
    over_rehearsed: int
    slow_rehearsed: int
    moves: int
    moved_bytes: int


@dataclass
class RehearsedMoveAnswer:
    """A move of a rehearsal, in the window that begins ``at``."""

    at: datetime
    disk: str
    source: str
    target: str
    size_bytes: int
    taken_back: bool


@dataclass
class RehearsalDocument:
    """What a rehearsal came to; of its moves the first ``MOVES_TOLD``."""

    days: list[DayAnswer]
    moves: list[RehearsedMoveAnswer]
    moves_count: int
    moved_bytes: int
    taken_back: int
    hours_over: int
    hours_slow: int
    hours_over_rehearsed: int
    hours_slow_rehearsed: int
    assumptions: list[str]
    halted: bool


@dataclass
class RehearsalReached:
    """The rehearsal that was made."""

    rehearsal: int


DOCUMENT = TypeAdapter(RehearsalDocument)


class RehearseJob(JobKind[RehearsalReached]):
    """Replays a group's ways over its history. Asked to end early, it has the days until then."""

    name, result = "rehearse", RehearsalReached

    def do(self, running: Running) -> RehearsalReached:
        group = BalanceGroup.objects.filter(pk=running.params["group"]).first()
        if group is None:
            raise Problem(404, "not_found", "The group was retired meanwhile.", "Nothing was rehearsed.")
        running.progress("reading the history")
        found, ways = known_group(group).by_itself, ways_of(group)
        history = history_of(found)
        if len(history.days) <= LEARN_DAYS:
            title = f"{count_of(len(history.days), 'day')} of history are too few: {LEARN_DAYS} days only teach."
            raise Problem(409, "too_little_history", title, "Nothing was rehearsed.", "Wait until more is known.")
        halted: list[bool] = []
        told = partial(_told, running, halted)
        made = rehearse(found.trading, history, laid_out(group, ways), rates_of(found), told)
        document = document_of(found, made, halted=any(halted))
        row = Rehearsal.objects.create(
            group=group,
            of=digest_of(group, ways),
            by=running.person.username,
            document=DOCUMENT.dump_python(document, mode="json"),
        )
        old = Rehearsal.objects.filter(group=group).values_list("pk", flat=True)[KEPT:]
        Rehearsal.objects.filter(pk__in=list(old)).delete()
        return RehearsalReached(row.pk)


def _told(running: Running, halted: list[bool], done: int, total: int) -> bool:
    asked = running.asked_to_end(f"day {done + 1} of {total}", done, total)
    halted.append(asked)
    return asked


def laid_out(group: BalanceGroup, ways: Ways) -> LaidOut:
    """A group's ways as core replays them."""
    own = Conduct(acts=False, fill_ceiling=group.own_fill_ceiling, latency_ceiling_ms=group.own_latency_ceiling_ms)
    return LaidOut(ways.week, {key: _conduct(way, own) for key, way in ways.by_key.items()}, own)


def _conduct(way: WayOfWorking, own: Conduct) -> Conduct:
    return Conduct(
        acts=way.does == WayOfWorking.Does.ACT,
        fill_ceiling=way.fill_ceiling or own.fill_ceiling,
        latency_ceiling_ms=way.latency_ceiling_ms or own.latency_ceiling_ms,
        most_bytes=way.most_bytes,
        at_once=way.most_copies,
    )


def history_of(found: KnownGroup) -> History:
    """What the disks of a group asked for on the last whole days, from the first that is known."""
    last = now().date() - timedelta(days=1)
    rows = DiskDay.objects.filter(
        disk__placement__datastore__in=found.store_keys, day__gt=last - timedelta(days=DAYS), day__lte=last
    )
    first = rows.order_by("day").values_list("day", flat=True).first()
    count = (last - first).days + 1 if first else 0
    days = tuple(last - timedelta(days=n) for n in range(count - 1, -1, -1))
    loads = np.full((len(found.disk_keys), count, HOURS, 3), np.nan, dtype=np.float32)
    disks, number = found.disk_index(), {day: n for n, day in enumerate(days)}
    for disk, day, told in rows.values_list("disk_id", "day", "loads").iterator(chunk_size=5000):
        if disk in disks:
            loads[disks[disk], number[day]] = np.frombuffer(told, dtype=np.float32).reshape(HOURS, 3)
    return History(days, loads)


def document_of(found: KnownGroup, made: Rehearsed, *, halted: bool) -> RehearsalDocument:
    """A rehearsal as it is kept and shown."""
    group = found.group
    return RehearsalDocument(
        days=[_day_answer(day) for day in made.days],
        moves=[
            RehearsedMoveAnswer(
                move.at,
                group.disks[move.disk],
                group.datastores[move.source],
                group.datastores[move.target],
                move.size_bytes,
                move.taken_back,
            )
            for move in made.moves[:MOVES_TOLD]
        ],
        moves_count=len(made.moves),
        moved_bytes=sum(move.size_bytes for move in made.moves),
        taken_back=sum(move.taken_back for move in made.moves),
        hours_over=made.as_it_was.any,
        hours_slow=made.as_it_was.slow,
        hours_over_rehearsed=made.rehearsed.any,
        hours_slow_rehearsed=made.rehearsed.slow,
        assumptions=_assumptions(found, made),
        halted=halted,
    )


def _day_answer(day: RehearsedDay) -> DayAnswer:
    was, rehearsed = day.as_it_was, day.rehearsed
    return DayAnswer(day.day, was.any, was.slow, rehearsed.any, rehearsed.slow, day.moves, day.moved_bytes)


def _assumptions(found: KnownGroup, made: Rehearsed) -> list[str]:
    """What a rehearsal takes for granted."""
    said = [
        f"The first {count_of(LEARN_DAYS, 'day')} of history only teach.",
        "Disks were there all the time, of the size and at the place that they have now.",
        "Pools answered by their curves, and others on them asked for what is usual of them.",
    ]
    begun = made.days[0].day if made.days else now().date()
    came = DiskPlacement.objects.filter(datastore__in=found.store_keys, since__date__gte=begun).count()
    if came:
        told = count_of(came, "disk came to its datastore", "disks came to their datastores")
        said[1] = f"{said[1].rstrip('.')}; {told} since."
    return said
