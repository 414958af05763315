"""*Clear*: the plan that brings a group under its ceilings with the least bytes moved."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from movelot_core.balance import exact
from movelot_core.balance.cover import choose
from movelot_core.balance.group import Group, Ints, State, broken_musts, judge
from movelot_core.balance.neighbourhood import planned_again
from movelot_core.balance.place import Ledger, make_room, place_chosen, replace_homeless

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Gain:
    """What one move is for: a datastore brought nearer its ceiling (``kind`` fill) or a pool (latency)."""

    kind: str
    subject: str
    before: float
    after: float
    hour: int | None = None


@dataclass(frozen=True, slots=True)
class Move:
    """A disk's move, by index. ``offloaded``: the array copies, as both ends are its own."""

    disk: int
    source: int
    target: int
    size_bytes: int
    offloaded: bool
    gains: tuple[Gain, ...] = ()


@dataclass(frozen=True, slots=True)
class Unresolved:
    """A ceiling that stays broken, and why: how often each reason refused a disk that could have helped."""

    kind: str
    subject: str
    refusals: tuple[tuple[str, int], ...]


@dataclass(frozen=True)
class Plan:
    """Moves with what they give. ``bound_bytes``: no plan reaches as much with less."""

    place: Ints
    moves: tuple[Move, ...]
    moved_bytes: int
    bound_bytes: int
    before: State
    after: State
    unresolved: tuple[Unresolved, ...]

    @property
    def over_bound(self) -> float:
        """Moved bytes ÷ bound; 1 when nothing has to move."""
        return self.moved_bytes / self.bound_bytes if self.bound_bytes > 0 else 1.0


_NO_DISKS = np.array([], dtype=np.int64)


def clear(group: Group, out: Ints = _NO_DISKS) -> Plan:
    """The plan that clears every breach, or as much as can be, with the bound on the bytes of any such plan.

    With disks ``out``, which may not stay where they lie, it is one plan for them and the ceilings: others move to make
    room for them, and the room they leave serves the ceilings.
    What a planner makes is given only if it passes ``broken_musts``, which shares nothing with it.
    Groups of up to 2,500 (disk, datastore) pairs are solved exactly; larger ones pool by pool (see ``cover``),
    then placed largest first. The same group gives the same plan, unless the exact
    search runs out of seconds.
    """
    before = judge(group, group.place)
    if before.clear and not out.size:
        return plan_for(group, group.place, 0.0)
    bound = 0.0
    for name, planned in _placements(group, before, out):
        bound = planned.bound_bytes
        broken = broken_musts(group, planned.place)
        if not broken:
            return plan_for(group, planned.place, planned.bound_bytes)
        log.error("the %s planner breaks musts of %r, and its plan is left out: %s", name, group, "; ".join(broken[:5]))
    # Nothing moves: lawful, if no help.
    return plan_for(group, group.place, bound)


def _placements(group: Group, before: State, out: Ints) -> Iterator[tuple[str, exact.Exact]]:
    """Placements by each planner that can have the group, the best first; computed as they are asked for."""
    if exact.fits(group):
        for margin in (0.0, exact.SPACE_MARGIN):
            best = exact.solve(group, out, margin)
            if best is not None:
                yield "exact", best
    if out.size:
        yield "large", _settled(group, out)
    # Without those that are out: what helps the ceilings is not lost where settling them breaks a Must.
    yield "large", _cleared(group, before)


def _cleared(group: Group, before: State) -> exact.Exact:
    cover = choose(group, before)
    ledger, homeless = place_chosen(group, cover.disks, cover.off_pool)
    if homeless:
        replace_homeless(ledger, homeless)
    return exact.Exact(_without_idle_moves(group, ledger), cover.bound_bytes)


def _settled(group: Group, out: Ints) -> exact.Exact:
    """The better of two placements: by rules for the whole group, and by the exact model around that."""
    by_rules = _settled_then_cleared(group, out)
    again = planned_again(group, out, by_rules)
    lawful = [place for place in (by_rules, again) if place is not None and not broken_musts(group, place)]
    best = max(lawful or [by_rules], key=lambda place: _reached(group, out, place))
    movable = np.sort(group.size_bytes[out[~group.pinned[out]]])
    settled = int((best[out] != group.place[out]).sum())
    # Whichever they are, as many weigh no less than the smallest; and without any of them what is over has to leave.
    return exact.Exact(best, float(movable[:settled].sum()) + _bound_without(group, out))


def _reached(group: Group, out: Ints, place: Ints) -> tuple[int, int, int]:
    """How good a placement is: disks settled, ceilings that hold, bytes that stay."""
    after, moved = judge(group, place), place != group.place
    over = int(after.over_fill.sum() + after.over_latency.sum())
    return int(moved[out].sum()), -over, -int(group.size_bytes[moved].sum())


def _settled_then_cleared(group: Group, out: Ints) -> Ints:
    """Those that are out first, with room made for them; then the ceilings, with what moved left where it went."""
    movable = out[~group.pinned[out]]
    narrowed = group.leaving(movable)
    ledger, homeless = place_chosen(narrowed, movable, np.zeros(len(movable), dtype=bool))
    for disk in homeless:
        make_room(ledger, disk)
    moved = ledger.place != group.place
    rest = replace(narrowed, place=ledger.place.copy(), pinned=group.pinned | moved)
    return _cleared(rest, judge(rest, rest.place)).place


def _bound_without(group: Group, disks: Ints) -> float:
    """Bytes that have to leave places which are over even with ``disks`` gone."""
    sizes, loads = group.size_bytes.copy(), group.features.copy()
    sizes[disks], loads[:, disks] = 0, 0.0
    pinned = group.pinned.copy()
    pinned[disks] = True
    without = replace(group, size_bytes=sizes, features=loads, pinned=pinned)
    return choose(without, judge(without, without.place)).bound_bytes


def _without_idle_moves(group: Group, ledger: Ledger) -> Ints:
    """The booked placement less moves that no ceiling needs, largest first."""
    room, limit = group.room_bytes, group.load_limit[:, None]
    moved = np.flatnonzero(ledger.place != group.place)
    for disk in moved[np.lexsort((moved, -group.size_bytes[moved]))]:
        home, away = int(group.place[disk]), int(ledger.place[disk])
        own = group.loads_anywhere(int(disk))
        pool_home, pool_away = group.pool_of[home], group.pool_of[away]
        back = ledger.load[pool_home] + (own[pool_home] if pool_home != pool_away else 0)
        if ledger.used[home] + group.size_bytes[disk] <= room[home] and (back <= limit[pool_home]).all():
            ledger.move(int(disk), home)
    return ledger.place


def plan_for(group: Group, place: Ints, bound_bytes: float) -> Plan:
    """A plan around any placement, as when a person adds a move: moves, prediction, gains, what stays broken."""
    before, after = judge(group, group.place), judge(group, place)
    moved = np.flatnonzero(place != group.place)
    arrays = np.array(group.array_of)[group.pool_of]
    moves = tuple(
        Move(
            disk=int(d),
            source=int(group.place[d]),
            target=int(place[d]),
            size_bytes=int(group.size_bytes[d]),
            offloaded=bool(arrays[group.place[d]] == arrays[place[d]]),
            gains=_gains(group, before, int(d), int(place[d])),
        )
        for d in moved
    )
    return Plan(
        place=place,
        moves=moves,
        moved_bytes=int(group.size_bytes[moved].sum()),
        # A bound in fractions of bytes is still a bound when rounded down.
        bound_bytes=int(bound_bytes * (1 - 1e-9)),
        before=before,
        after=after,
        unresolved=_unresolved(group, place, after),
    )


def _gains(group: Group, before: State, disk: int, target: int) -> tuple[Gain, ...]:
    """What this move alone would give, largest need first."""
    source = int(group.place[disk])
    gains = []
    from_pool, to_pool = int(group.pool_of[source]), int(group.pool_of[target])
    if from_pool != to_pool and before.over_latency[from_pool].any():
        hour = int(before.peak_hour[from_pool])
        rest = before.load[from_pool, hour] - group.load_on(from_pool, np.array([disk]))[0, hour]
        after_ms = float(group.curves[from_pool].latency_ms(rest))
        gains.append(Gain("latency", group.pools[from_pool], float(before.latency_ms[from_pool, hour]), after_ms, hour))
    fill = (before.used_bytes[source] - group.size_bytes[disk]) / max(int(group.capacity_bytes[source]), 1)
    if before.over_fill[source] or not gains:
        gains.append(Gain("fill", group.datastores[source], float(before.fill[source]), float(fill)))
    return tuple(gains)


def _unresolved(group: Group, place: Ints, after: State) -> tuple[Unresolved, ...]:
    """Ceilings broken after the plan, with what refuses the disks that stay."""
    broken = [("fill", group.datastores[s], place == s) for s in np.flatnonzero(after.over_fill)]
    broken += [
        ("latency", group.pools[p], group.pool_of[place] == p) for p in np.flatnonzero(after.over_latency.any(axis=1))
    ]
    ledger = Ledger(group, place.copy(), after.used_bytes, after.load, group.room_bytes, group.load_limit[:, None])
    found = []
    for kind, subject, there in broken:
        counts: dict[str, int] = {}
        for disk in np.flatnonzero(there)[:200]:
            if group.pinned[disk]:
                counts["pinned"] = counts.get("pinned", 0) + 1
                continue
            elsewhere = (why for s, why in enumerate(ledger.refusals(int(disk))) if s != place[disk])
            for reason in set(elsewhere) - {None}:
                counts[str(reason)] = counts.get(str(reason), 0) + 1
        found.append(Unresolved(kind, subject, tuple(sorted(counts.items()))))
    return tuple(found)
