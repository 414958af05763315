"""A rehearsal: ways of working replayed over the history of a group, night by night, with only what was known then.

At the begin of each window in which a way acts a plan is made from the days that had ended by then, as it would have
been; what of it fits the window is done by the window's end; and the loads that really came tell in which hours a
ceiling was passed, with disks where they are and with disks where they would have been.

What is taken for granted, and has to be said beside the figures: that the disks were there all the time, of the size
and at the place that they have now, that pools answered by their curves, and that others on the pools asked for what
is usual of them.

Worked example: two disks of 600 IOPS each from nine to five make a pool slow that bears 1,000; another pool is idle.
As it was each weekday has eight hours over the ceiling. A way that acts at night moves one of them in the first night
after a week is known; from then on no hour is over, for one move.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta

import numpy as np
from numpy.typing import NDArray

from movelot_core.balance.beginning import PLANNED_SHARE, Window, beginning
from movelot_core.balance.clear import clear
from movelot_core.balance.copies import CopyRates
from movelot_core.balance.group import LOAD_SLACK, Bools, Group, Ints
from movelot_core.balance.week import DAY_HOURS, Week, hour_of_week
from movelot_core.latency import HOURS, Floats, features, load, profile_over_days
from movelot_core.solver import Budget

# Before so many days are known nobody would have planned anything.
LEARN_DAYS = 7
# A move that is taken back within this time was a mistake.
TAKEN_BACK = timedelta(days=7)
# Each night gets less than a plan of today gets: it is asked again the next night.
STEPS = 600.0
# Of the latest days so many tell what is usual.
PROFILE_DAYS = 28
SATURDAY = 5
# Told how many days of how many are done; whether to end with what there is.
Told = Callable[[int, int], bool]


@dataclass(frozen=True)
class Conduct:
    """What a way of working does: whether it acts, what at most in a window, and under which ceilings."""

    acts: bool
    fill_ceiling: float
    latency_ceiling_ms: float
    most_bytes: int | None = None
    at_once: int | None = None


@dataclass(frozen=True)
class LaidOut:
    """Ways by number, the week that they are laid over, and what ``usual`` is where none is."""

    week: Week
    ways: Mapping[int, Conduct]
    usual: Conduct


@dataclass(frozen=True)
class History:
    """What disks asked for: ``loads`` [d, days, 24, 3] read IOPS, write IOPS and KiB at each hour of ``days`` (UTC),
    one after another, NaN where nothing was measured."""

    days: tuple[date, ...]
    loads: NDArray[np.float32]

    def on(self, day: int) -> Floats:
        """[4, d, 24] The features of a day; nothing where nothing was measured."""
        measured = np.nan_to_num(self.loads[:, day].astype(np.float64))
        return features(measured[..., 0], measured[..., 1], measured[..., 2])


@dataclass(frozen=True)
class RehearsedMove:
    """A move that would have been begun in the window from ``at``; ``taken_back``: it undoes one of the last week."""

    at: datetime
    disk: int
    source: int
    target: int
    size_bytes: int
    taken_back: bool


@dataclass(frozen=True)
class HoursOver:
    """In how many hours a ceiling was passed, of fill or of latency; and in how many of them one of latency was."""

    any: int = 0
    slow: int = 0

    def __add__(self, other: HoursOver) -> HoursOver:
        return HoursOver(self.any + other.any, self.slow + other.slow)


@dataclass(frozen=True)
class RehearsedDay:
    """Hours of a day (UTC) in which a ceiling was passed, as disks lie and as they would have lain."""

    day: date
    as_it_was: HoursOver
    rehearsed: HoursOver
    moves: int
    moved_bytes: int


@dataclass(frozen=True)
class Rehearsed:
    """What a rehearsal came to. ``place`` [d] is where disks would be at its end."""

    days: tuple[RehearsedDay, ...]
    moves: tuple[RehearsedMove, ...]
    place: Ints

    @property
    def as_it_was(self) -> HoursOver:
        """Hours over a ceiling with disks where they lie."""
        return sum((day.as_it_was for day in self.days), HoursOver())

    @property
    def rehearsed(self) -> HoursOver:
        """Hours over a ceiling with disks where they would have lain."""
        return sum((day.rehearsed for day in self.days), HoursOver())


def rehearse(group: Group, history: History, laid: LaidOut, rates: CopyRates, told: Told | None = None) -> Rehearsed:
    """Replay ways as ``laid`` over ``history`` from its eighth day on.

    The loads of ``group`` itself are not used. The same input gives the same rehearsal.
    """
    replay = _Replay(group, history, laid, rates)
    days = []
    for day in range(LEARN_DAYS, len(history.days)):
        if told is not None and told(day - LEARN_DAYS, len(history.days) - LEARN_DAYS):
            break
        days.append(replay.through(day))
    place = replay.place if replay.coming is None else replay.coming[1]
    return Rehearsed(tuple(days), tuple(replay.moves), place)


class _Replay:
    """The present of a rehearsal: where disks would be, and what is under way."""

    def __init__(self, group: Group, history: History, laid: LaidOut, rates: CopyRates) -> None:
        self.group, self.history, self.laid, self.rates = group, history, laid, rates
        self.by_hour = laid.week.by_hour()
        self.place, self.moves = group.place.copy(), list[RehearsedMove]()
        # What a window does is there at its end, by the hours from the first day on.
        self.coming: tuple[int, Ints] | None = None
        self.window_ends = 0
        self.bears: dict[float, Floats] = {}

    def through(self, day: int) -> RehearsedDay:
        """Replay one day."""
        begun = len(self.moves)
        asked = self.history.on(day)
        as_it_was = self._pool_loads(asked, self.group.place, day)
        over, rehearsed = HoursOver(), HoursOver()
        loads, of = as_it_was, self.group.place
        for hour in range(HOURS):
            at = day * HOURS + hour
            if self.coming is not None and self.coming[0] <= at:
                self.place, self.coming = self.coming[1], None
            if of is not self.place:
                loads, of = self._pool_loads(asked, self.place, day), self.place
            conduct = self._conduct(at)
            over += self._over(as_it_was[:, hour], self.group.place, conduct)
            rehearsed += self._over(loads[:, hour], self.place, conduct)
            if conduct.acts and at >= self.window_ends:
                self._act(at, day, conduct)
        done = self.moves[begun:]
        moved = sum(move.size_bytes for move in done)
        return RehearsedDay(self.history.days[day], over, rehearsed, len(done), moved)

    def _moment(self, at: int) -> datetime:
        midnight = datetime.combine(self.history.days[at // HOURS], time(), UTC)
        return midnight + timedelta(hours=at % HOURS)

    def _way(self, at: int) -> int | None:
        first = datetime.combine(self.history.days[0], time(), UTC)
        return self.by_hour[hour_of_week(first + timedelta(hours=at), self.laid.week.zone)]

    def _conduct(self, at: int) -> Conduct:
        way = self._way(at)
        return self.laid.usual if way is None else self.laid.ways[way]

    def _lasts(self, at: int) -> int:
        """For how many hours from ``at`` on the way goes on; a window lasts a day at most."""
        way = self._way(at)
        return next((n for n in range(1, DAY_HOURS) if self._way(at + n) != way), DAY_HOURS)

    def _act(self, at: int, day: int, conduct: Conduct) -> None:
        """Plan with what is known at the begin of a window, and begin what fits it."""
        lasts = self._lasts(at)
        self.window_ends = at + lasts
        tonight = self._known(day, conduct)
        made = clear(tonight, budget=Budget(STEPS))
        window = Window(conduct.most_bytes, PLANNED_SHARE * lasts * 3600.0, conduct.at_once)
        kept = beginning(tonight, made.moves, self.rates, window) if made.moves else []
        if not kept:
            return
        place, moment = self.place.copy(), self._moment(at)
        for step in kept:
            place[step.move.disk] = step.move.target
        for disk in np.flatnonzero(place != self.place):
            source, target = int(self.place[disk]), int(place[disk])
            back = any(
                move.disk == disk and move.source == target and moment - move.at <= TAKEN_BACK for move in self.moves
            )
            size = int(self.group.size_bytes[disk])
            self.moves.append(RehearsedMove(moment, int(disk), source, target, size, back))
        self.coming = self.window_ends, place

    def _known(self, day: int, conduct: Conduct) -> Group:
        """The group as it was known before ``day``: loads are percentiles of the days that had ended."""
        known = np.arange(max(0, day - PROFILE_DAYS), day)
        weekend = np.array([self.history.days[n].weekday() >= SATURDAY for n in known], dtype=bool)
        kinds = [self._profile(known[weekend == kind]) for kind in (False, True)]
        asked = np.concatenate(kinds, axis=2)
        share = self._coincidence(known, weekend, asked)
        return replace(
            self.group,
            place=self.place,
            features=asked * share[self.group.pool_of[self.place]],
            fill_ceiling=conduct.fill_ceiling,
            latency_ceiling_ms=conduct.latency_ceiling_ms,
        )

    def _profile(self, days: Ints) -> Floats:
        """[4, d, 24] The features of the 95th percentile of each hour over some days."""
        top = profile_over_days(self.history.loads[:, days].astype(np.float64))
        return features(top[..., 0], top[..., 1], top[..., 2])

    def _coincidence(self, days: Ints, weekend: Bools, asked: Floats) -> Floats:
        """[p, 48] Share of the sum of its disks' peaks that each pool saw at once."""
        group, pools = self.group, len(self.group.pools)
        together = np.array([_sums(group, self.history.on(int(day)), self.place) for day in days])
        seen = np.concatenate(
            [
                profile_over_days(np.moveaxis(together[weekend == kind], 0, 1).reshape(pools, -1, HOURS))
                for kind in (False, True)
            ],
            axis=1,
        )
        apart = _sums(group, asked, self.place)
        return np.where(apart > 0, np.clip(seen / np.maximum(apart, 1e-9), 0.1, 1.0), 1.0)

    def _pool_loads(self, asked: Floats, place: Ints, day: int) -> Floats:
        """[p, 24] Load of each pool at the hours of a day, with that of others as usual on such a day."""
        slots = slice(HOURS, 2 * HOURS) if self.history.days[day].weekday() >= SATURDAY else slice(0, HOURS)
        return _sums(self.group, asked, place) + self.group.other_load[:, slots]

    def _over(self, loads: Floats, place: Ints, conduct: Conduct) -> HoursOver:
        """What of one hour passes a ceiling of ``conduct``, with its loads [p]."""
        ceiling = conduct.latency_ceiling_ms
        if ceiling not in self.bears:
            self.bears[ceiling] = np.array([curve.load_at(ceiling) for curve in self.group.curves])
        slow = bool((loads > self.bears[ceiling] * (1 + LOAD_SLACK)).any())
        room = np.floor(self.group.capacity_bytes * conduct.fill_ceiling)
        return HoursOver(int(slow or (self.group.used(place) > room).any()), int(slow))


def _sums(group: Group, asked: Floats, place: Ints) -> Floats:
    """[p, h] Load on each pool of features [4, d, h] with disks at ``place``."""
    pool = group.pool_of[place]
    rows = [load(asked[:, pool == n].sum(axis=1), curve) for n, curve in enumerate(group.curves)]
    return np.array(rows, dtype=np.float64).reshape(len(group.pools), asked.shape[2])
