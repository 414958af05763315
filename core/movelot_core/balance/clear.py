"""*Clear*: the plan that brings a group under its ceilings with the least bytes moved."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from movelot_core.balance import exact
from movelot_core.balance.cover import choose
from movelot_core.balance.estate import Estate, Ints, State, judge
from movelot_core.balance.place import Ledger, place_chosen, replace_homeless


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


def clear(estate: Estate) -> Plan:
    """The plan that clears every breach, or as much as can be, with the bound on the bytes of any such plan.

    Groups of up to 2,500 (disk, datastore) pairs are solved exactly; larger ones pool by pool (see ``cover``),
    then placed largest first. The same estate always gives the same plan.
    """
    before = judge(estate, estate.place)
    if before.clear:
        return plan_for(estate, estate.place, 0.0)
    if exact.fits(estate):
        best = exact.solve(estate)
        if best is not None:
            return plan_for(estate, best.place, best.bound_bytes)
    cover = choose(estate, before)
    ledger, homeless = place_chosen(estate, cover.disks, cover.off_pool)
    if homeless:
        replace_homeless(ledger, homeless)
    return plan_for(estate, _without_idle_moves(estate, ledger), cover.bound_bytes)


def _without_idle_moves(estate: Estate, ledger: Ledger) -> Ints:
    """The booked placement less moves that no ceiling needs, largest first."""
    room, limit = estate.room_bytes, estate.load_limit[:, None]
    moved = np.flatnonzero(ledger.place != estate.place)
    for disk in moved[np.lexsort((moved, -estate.size_bytes[moved]))]:
        home, away = int(estate.place[disk]), int(ledger.place[disk])
        own = estate.loads_anywhere(int(disk))
        pool_home, pool_away = estate.pool_of[home], estate.pool_of[away]
        back = ledger.load[pool_home] + (own[pool_home] if pool_home != pool_away else 0)
        if ledger.used[home] + estate.size_bytes[disk] <= room[home] and (back <= limit[pool_home]).all():
            ledger.move(int(disk), home)
    return ledger.place


def plan_for(estate: Estate, place: Ints, bound_bytes: float) -> Plan:
    """A plan around any placement, as when a person adds a move: moves, prediction, gains, what stays broken."""
    before, after = judge(estate, estate.place), judge(estate, place)
    moved = np.flatnonzero(place != estate.place)
    arrays = np.array(estate.array_of)[estate.pool_of]
    moves = tuple(
        Move(
            disk=int(d),
            source=int(estate.place[d]),
            target=int(place[d]),
            size_bytes=int(estate.size_bytes[d]),
            offloaded=bool(arrays[estate.place[d]] == arrays[place[d]]),
            gains=_gains(estate, before, int(d), int(place[d])),
        )
        for d in moved
    )
    return Plan(
        place=place,
        moves=moves,
        moved_bytes=int(estate.size_bytes[moved].sum()),
        # A bound in fractions of bytes is still a bound when rounded down.
        bound_bytes=int(bound_bytes * (1 - 1e-9)),
        before=before,
        after=after,
        unresolved=_unresolved(estate, place, after),
    )


def _gains(estate: Estate, before: State, disk: int, target: int) -> tuple[Gain, ...]:
    """What this move alone would give, largest need first."""
    source = int(estate.place[disk])
    gains = []
    from_pool, to_pool = int(estate.pool_of[source]), int(estate.pool_of[target])
    if from_pool != to_pool and before.over_latency[from_pool].any():
        hour = int(before.peak_hour[from_pool])
        rest = before.load[from_pool, hour] - estate.load_on(from_pool, np.array([disk]))[0, hour]
        after_ms = float(estate.curves[from_pool].latency_ms(rest))
        gains.append(
            Gain("latency", estate.pools[from_pool], float(before.latency_ms[from_pool, hour]), after_ms, hour)
        )
    fill = (before.used_bytes[source] - estate.size_bytes[disk]) / max(int(estate.capacity_bytes[source]), 1)
    if before.over_fill[source] or not gains:
        gains.append(Gain("fill", estate.datastores[source], float(before.fill[source]), float(fill)))
    return tuple(gains)


def _unresolved(estate: Estate, place: Ints, after: State) -> tuple[Unresolved, ...]:
    """Ceilings broken after the plan, with what refuses the disks that stay."""
    broken = [("fill", estate.datastores[s], place == s) for s in np.flatnonzero(after.over_fill)]
    broken += [
        ("latency", estate.pools[p], estate.pool_of[place] == p) for p in np.flatnonzero(after.over_latency.any(axis=1))
    ]
    ledger = Ledger(estate, place.copy(), after.used_bytes, after.load, estate.room_bytes, estate.load_limit[:, None])
    found = []
    for kind, subject, there in broken:
        counts: dict[str, int] = {}
        for disk in np.flatnonzero(there)[:200]:
            if estate.pinned[disk]:
                counts["pinned"] = counts.get("pinned", 0) + 1
                continue
            elsewhere = (why for s, why in enumerate(ledger.refusals(int(disk))) if s != place[disk])
            for reason in set(elsewhere) - {None}:
                counts[str(reason)] = counts.get(str(reason), 0) + 1
        found.append(Unresolved(kind, subject, tuple(sorted(counts.items()))))
    return tuple(found)
