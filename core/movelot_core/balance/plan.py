"""A plan: its moves with what each gives, what is predicted, and what stays over its ceiling and why."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from movelot_core.balance.group import Group, Ints, State, judge
from movelot_core.balance.moves import Gain, Move
from movelot_core.balance.place import Ledger
from movelot_core.balance.rules import Split, beside, side_by_side
from movelot_core.balance.standing import Standing


@dataclass(frozen=True, slots=True)
class Unresolved:
    """A ceiling that stays broken, and why: how often each reason refused a disk that could have helped.

    ``over``: what is too much there: bytes of a datastore, of a pool a share of its load at the worst hour; all of it
    where the pool is too slow without any.
    """

    kind: str
    subject: str
    refusals: tuple[tuple[str, int], ...]
    over: float


@dataclass(frozen=True, slots=True)
class Spared:
    """Disks that stay though what is over would be less without them, by ``over`` in shares of ceilings: too little for
    what they weigh."""

    disks: int
    size_bytes: int
    over: float


@dataclass(frozen=True)
class Plan:
    """Moves with what they give. ``bound_bytes``: no plan reaches as much with less.

    ``over``: what is left over the ceilings altogether, in shares of these; no plan leaves less than ``least_over``.
    """

    place: Ints
    moves: tuple[Move, ...]
    moved_bytes: int
    bound_bytes: int
    before: State
    after: State
    unresolved: tuple[Unresolved, ...]
    over: float = 0.0
    least_over: float = 0.0
    spared: Spared | None = None

    @property
    def over_bound(self) -> float:
        """Moved bytes ÷ bound; 1 when nothing has to move."""
        return self.moved_bytes / self.bound_bytes if self.bound_bytes > 0 else 1.0


def plan_for(group: Group, place: Ints, bound_bytes: float) -> Plan:
    """A plan around any placement, as when a person adds a move: moves, prediction, gains, what stays broken."""
    before, after = group.found, judge(group, place)
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
        over=0.0 if after.clear else Standing.of(group, place).over,
    )


def _gains(group: Group, before: State, disk: int, target: int) -> tuple[Gain, ...]:
    """What this move alone would give, largest need first."""
    source = int(group.place[disk])
    gains = list(_rules_gained(group, disk, target))
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


def _rules_gained(group: Group, disk: int, target: int) -> Iterator[Gain]:
    place = group.place.copy()
    place[disk] = target
    by_name: dict[str, list[Split]] = {}
    for number in group.apart.of.get(disk, ()):
        by_name.setdefault(group.splits[number].name, []).append(group.splits[number])
    for name, splits in by_name.items():
        before, after = side_by_side(splits, group.place), side_by_side(splits, place)
        if after < before:
            yield Gain("rule", name, before, after)
    for bond in group.bonds:
        if disk in bond.disks and beside(bond, place) < beside(bond, group.place):
            yield Gain("rule", bond.name, beside(bond, group.place), beside(bond, place))


def _unresolved(group: Group, place: Ints, after: State) -> tuple[Unresolved, ...]:
    """Ceilings broken after the plan, with what refuses the disks that stay."""
    too_much = 1 - np.maximum(group.load_limit, 0) / np.maximum(after.load.max(axis=1, initial=0), 1e-9)
    broken = [
        ("fill", group.datastores[s], place == s, float(after.used_bytes[s] - group.room_bytes[s]))
        for s in np.flatnonzero(after.over_fill)
    ]
    broken += [
        ("latency", group.pools[p], group.pool_of[place] == p, float(too_much[p]))
        for p in np.flatnonzero(after.over_latency.any(axis=1))
    ]
    ledger = Ledger(group, place.copy(), after.used_bytes, after.load, group.room_bytes, group.bearable_load[:, None])
    found = []
    for kind, subject, there, over in broken:
        disks = np.flatnonzero(there)[:200]
        pinned = group.pinned[disks]
        counts = {str(reason): count for reason, count in ledger.reasons(disks[~pinned]).items()}
        if pinned.any():
            counts["pinned"] = int(pinned.sum())
        found.append(Unresolved(kind, subject, tuple(sorted(counts.items())), over))
    return tuple(found)
