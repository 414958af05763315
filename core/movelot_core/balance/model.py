"""The programme of a problem: disks that may move, every datastore each may go to, rows for what these bear.

A datastore has a row for its bytes, a pool one for each hour that matters: others are added once a placement would
break them. What was found over its ceiling has a slack, in shares of the ceiling. A disk that stays where it may not is
a breach as well, and so is one that lies beside another of its split.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import sparse

from movelot_core.balance.group import HOST_COPY_WEIGHT, LOAD_SLACK, Bools, Group, Ints, limits
from movelot_core.latency import Floats
from movelot_core.solver import Programme

SPREAD_WEIGHT = 1e-4
# A move weighs as much as this share of all bytes that may move: of plans alike in bytes that with fewer moves wins.
MOVE_WEIGHT = 1e-6
LOAD_MARGIN = 1e-4
# The solver takes a row for kept that is broken by a millionth, which may be megabytes of a datastore.
SPACE_MARGIN = 4e-6
# Of each pool so many of its busiest hours are rows from the beginning.
HOURS_FIRST = 6


# What a row is about: ("store", number, 0), ("pool", number, hour), ("split", number, site) or ("stay", 0, 0).
About = tuple[str, int, int]
# Hours of pools that are rows.
Hours = dict[int, set[int]]


@dataclass(frozen=True)
class Problem:
    """Disks ``free`` to move, each between where it was found, where it lies ``now`` and where it ``may`` go [n, s].

    ``rest_bytes`` [s] and ``rest_load`` [p, h] are of all else; no datastore and no pool passes ``most_bytes`` and
    ``most_load``: its ceiling, or what was found if that is more. Those that are ``out`` [n] are to leave. ``lies`` [d]
    is where every disk of the group lies now.
    """

    group: Group
    free: Ints
    now: Ints
    may: Bools
    rest_bytes: Ints
    rest_load: Floats
    most_bytes: Ints
    most_load: Floats
    out: Bools
    lies: Ints


def whole(group: Group, out: Ints) -> Problem:
    """The group as one problem."""
    everything = np.arange(len(group.disks))
    most_bytes, most_load = limits(group, group.found)
    return Problem(
        group,
        everything,
        group.place,
        group.reach & ~group.pinned[:, None],
        group.other_bytes,
        group.other_load,
        most_bytes,
        most_load,
        np.isin(everything, out),
        group.place,
    )


@dataclass(frozen=True)
class _SplitRow:
    """A site that more disks of a split may go to than may lie there: its variables, what lies there and stays, and how
    many were found there."""

    split: int
    site: int
    key: int
    row: Floats
    rest: int
    found: int


def _split_rows(problem: Problem, disk: Ints, store: Ints) -> list[_SplitRow]:
    """Rows of the splits of free disks, of variables for a ``disk`` of these at a ``store``."""
    group, apart = problem.group, problem.group.apart
    concerned = sorted({split for each in problem.free.tolist() for split in apart.of.get(each, ())})
    if not concerned:
        return []
    lies = problem.lies.copy()
    lies[problem.free] = problem.now
    found, now = apart.counts(group.place), apart.counts(lies)
    rows = []
    for split in concerned:
        member = np.isin(problem.free, apart.members[split])
        mine = np.flatnonzero(member[disk])
        sites = apart.sites[split]
        here = [int(sites[place]) for place in problem.now[member]]
        for site in map(int, np.unique(sites[store[mine]])):
            at = mine[sites[store[mine]] == site]
            rest = now.get((split, site), 0) - here.count(site)
            if len(np.unique(disk[at])) + rest > 1:
                row = np.zeros(len(disk))
                row[at] = 1.0
                key = split * len(group.datastores) + site
                rows.append(_SplitRow(split, site, key, row, rest, found.get((split, site), 0)))
    return rows


class Model:
    """The rows of a problem; hours are added to it as they turn out to matter.

    As things are ``now`` no row is broken: what is nearer to a limit than the margins may stay so. With ``hours`` that
    are rows from the beginning, all datastores and pools have rows, those included that no disk may go to.
    """

    def __init__(self, problem: Problem, space_margin: float, hours: Hours | None = None) -> None:
        self.problem, self.margin = problem, space_margin
        group, free = problem.group, problem.free
        may = problem.may.copy()
        numbers = np.arange(len(free))
        may[numbers, group.place[free]] = True
        may[numbers, problem.now] = True
        self.disk, self.store = np.nonzero(may)
        self.count = len(self.disk)
        self.pool = group.pool_of[self.store]
        self.size = group.size_bytes[free][self.disk]
        self.all_bytes = max(float(group.size_bytes[free].sum()), 1.0)
        self.moved = self.store != group.place[free][self.disk]
        self.now: Floats = np.asarray(self.store == problem.now[self.disk], dtype=np.float64)
        self.stores = np.unique(self.store) if hours is None else np.arange(len(group.datastores))
        self.pools = np.unique(self.pool) if hours is None else np.arange(len(group.pools))
        # Only what was found over may stay over: each such thing has one slack.
        limit = group.load_limit
        over: Bools = np.asarray((problem.most_load > limit[:, None] * (1 + LOAD_SLACK)).any(axis=1))
        broken = [("store", int(s)) for s in self.stores if problem.most_bytes[s] > group.room_bytes[s]]
        # A pool that is too slow without any load is helped by nothing: it is only kept from getting slower.
        broken += [("pool", int(p)) for p in self.pools if over[p] and limit[p] > 0]
        self.ceilings = len(broken)
        self.split_rows = _split_rows(problem, self.disk, self.store)
        broken += [("split", row.key) for row in self.split_rows if row.found > 1]
        self.stay = bool((problem.out[self.disk] & ~self.moved).any())
        self.slack_of = {each: n for n, each in enumerate([*broken, *([("stay", 0)] if self.stay else [])])}
        self.slacks = len(self.slack_of)
        # How far each slack goes: to what was found, or there is now.
        self.caps: Floats = np.zeros(self.slacks)
        for (kind, number), n in self.slack_of.items():
            if kind == "store":
                self.caps[n] = problem.most_bytes[number] / max(int(group.room_bytes[number]), 1) - 1 + space_margin
            elif kind == "split":
                self.caps[n] = next(row.found for row in self.split_rows if row.key == number) - 1
            elif kind == "pool":
                self.caps[n] = float(problem.most_load[number].max() / limit[number]) - 1 + LOAD_MARGIN
        self.left: list[Floats] = []
        self.about: list[About] = []
        self.of: list[int | None] = []
        self.high: list[float] = []
        self.hours: Hours = {int(p): set() for p in self.pools}
        self.own: dict[int, Floats] = {}
        self._add_rows(hours or {})

    def _add_rows(self, hours: Hours) -> None:
        group, problem = self.problem.group, self.problem
        for s in map(int, self.stores):
            room = max(int(group.room_bytes[s]), 1)
            row = np.asarray((self.store == s) * self.size / room, dtype=float)
            high = float((group.room_bytes[s] - problem.rest_bytes[s]) / room - self.margin)
            self._add(row, self.slack_of.get(("store", s)), high, ("store", s, 0))
        for each in self.split_rows:
            self._add(
                each.row, self.slack_of.get(("split", each.key)), 1.0 - each.rest, ("split", each.split, each.site)
            )
        if self.stay:
            self._add(
                np.asarray(problem.out[self.disk] & ~self.moved, dtype=float), self.slacks - 1, 0.0, ("stay", 0, 0)
            )
        for p in map(int, self.pools):
            self.own[p] = group.load_on(p, problem.free)
            told = problem.most_load[p] / max(float(group.load_limit[p]), 1e-9)
            first = [*np.argsort(-told, kind="stable")[:HOURS_FIRST], *np.flatnonzero(told > 1)]
            self.add_hours(p, [*first, *hours.get(p, ())])

    def _add(self, row: Floats, slack: int | None, high: float, about: About) -> None:
        over = max(0.0, float(row @ self.now) - high)
        if slack is None:
            high += over
        else:
            self.caps[slack] = max(self.caps[slack], over)
        self.left.append(row)
        self.about.append(about)
        self.of.append(slack)
        self.high.append(high)

    def add_hours(self, pool: int, hours: list[int]) -> bool:
        """Have these hours of a pool kept; returns whether any of them was not yet."""
        group, problem = self.problem.group, self.problem
        fresh = sorted({int(hour) for hour in hours} - self.hours[pool])
        self.hours[pool] |= set(fresh)
        limit, here = float(group.load_limit[pool]), self.pool == pool
        slack = self.slack_of.get(("pool", pool))
        for hour in fresh:
            most, rest = float(problem.most_load[pool, hour]), float(problem.rest_load[pool, hour])
            scale = self.scale(pool, hour)
            row = np.asarray(here * self.own[pool][self.disk, hour] / scale, dtype=float)
            if slack is not None and most > limit:
                self._add(row, slack, 1 - LOAD_MARGIN - rest / scale, ("pool", pool, hour))
                self._add(row, None, (most - rest) / scale, ("pool", pool, hour))
            else:
                high = (most * (1 - LOAD_MARGIN * (most <= limit)) - rest) / scale
                self._add(row, None, high, ("pool", pool, hour))
        return bool(fresh)

    def scale(self, pool: int, hour: int) -> float:
        """The load that is 1 in rows: what a pool bears, or what was found where it bears none."""
        limit = float(self.problem.group.load_limit[pool])
        return limit if limit > 0 else max(float(self.problem.most_load[pool, hour]), 1e-9)

    def broken_by(self, x: Floats) -> bool:
        """Whether a solution, of whole disks or of shares, breaks hours that are no rows yet; they are added.

        Hours at which a pool was found over are rows from the beginning: what is none has no slack.
        """
        added = False
        for p in map(int, self.pools):
            here = np.flatnonzero((self.pool == p) & (x[: self.count] > 0))
            load = self.problem.rest_load[p] + x[here] @ self.own[p][self.disk[here]]
            over = np.flatnonzero(load > self.problem.most_load[p] * (1 + LOAD_MARGIN / 2) + LOAD_SLACK)
            added |= self.add_hours(p, [int(hour) for hour in over])
        return added

    def programme(self, cost: Floats, caps: Floats) -> Programme:
        """The rows as they are, with a cost [variables and slacks] and caps of slacks; each disk is in one place."""
        disks, rows = len(self.problem.free), len(self.left)
        one = sparse.csr_matrix((np.ones(self.count), (self.disk, np.arange(self.count))), shape=(disks, self.count))
        none = sparse.csr_matrix((disks, self.slacks))
        kept = sparse.csr_matrix(np.array(self.left).reshape(rows, self.count))
        slack = [(n, of) for n, of in enumerate(self.of) if of is not None]
        at = ([n for n, _of in slack], [of for _n, of in slack])
        beside = sparse.csr_matrix((-np.ones(len(slack)), at), shape=(rows, self.slacks))
        return Programme(
            cost,
            sparse.csr_matrix(sparse.vstack([sparse.hstack([one, none]), sparse.hstack([kept, beside])])),
            np.concatenate([np.ones(disks), np.full(rows, -np.inf)]),
            np.concatenate([np.ones(disks), self.high]),
            np.concatenate([np.ones(self.count), caps]),
            np.concatenate([np.ones(self.count, dtype=bool), np.zeros(self.slacks, dtype=bool)]),
        )

    def start(self, place: Ints) -> Floats:
        """A placement as a solution: with the least slack that it takes."""
        x = np.asarray(self.store == place[self.disk], dtype=np.float64)
        slack = np.zeros(self.slacks)
        for row, of, high in zip(self.left, self.of, self.high, strict=True):
            if of is not None:
                slack[of] = max(slack[of], float(row @ x) - high)
        return np.concatenate([x, slack])

    @property
    def move_cost(self) -> Floats:
        """Each variable's bytes, as a share of all that may move."""
        return np.asarray(self.size * self.moved / self.all_bytes, dtype=float)

    @property
    def tie_cost(self) -> Floats:
        """Copies over hosts cost more, so do places that are full already, and each move."""
        group = self.problem.group
        arrays = group.array_number
        home = group.pool_of[group.place[self.problem.free]][self.disk]
        over_hosts = arrays[self.pool] != arrays[home]
        fill = (self.problem.most_bytes / np.maximum(group.capacity_bytes, 1))[self.store]
        order = np.arange(self.count) / max(self.count, 1) * 1e-9
        weighed = self.move_cost * (over_hosts * HOST_COPY_WEIGHT + fill * SPREAD_WEIGHT)
        return np.asarray(weighed + self.moved * (MOVE_WEIGHT + order), dtype=float)

    def placed(self, x: Floats) -> Ints:
        """The placement of the free disks."""
        place = self.problem.now.copy()
        chosen = x[: self.count] > 0.5
        place[self.disk[chosen]] = self.store[chosen]
        return place
