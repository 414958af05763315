"""A balance group as arrays, and the judgement of a placement against its ceilings.

Indices: disks d, datastores s, pools p, hours h. All arrays are NumPy; sizes int64 bytes, loads float.
"""

from __future__ import annotations

import hashlib
from collections import Counter
from dataclasses import dataclass, fields, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from movelot_core.balance.rules import Bond, Split, Splits, beside
from movelot_core.errors import GroupError
from movelot_core.latency import Floats, ServiceCurve, weights

Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]

LOAD_SLACK = 1e-6
# A byte that hosts copy weighs so much more than one that the array does: of plans nearly alike in bytes the one that
# leaves most to arrays wins.
HOST_COPY_WEIGHT = 2e-3


@dataclass(frozen=True)
class Group:
    """Everything the planner may know of a group.

    ``features`` [4, d, h] as from ``latency.features``; ``reach`` [d, s] says where a disk may live (every host of
    its VM mounts it, and its policy is served); ``pinned`` [d] disks do not move; ``other_bytes`` [s] is space
    that no disk of the group holds; ``other_load`` [p, h] is load on the pool from outside the group. ``array_of`` [p]
    names the array that copies between its pools by itself; pools of one that cannot have a name each. ``splits`` and
    ``bonds`` are the rules on where disks lie to one another. ``load_share`` is what share of the load that pools bear
    within the ceiling is wanted at most.
    """

    disks: tuple[str, ...]
    size_bytes: Ints
    place: Ints
    features: Floats
    reach: Bools
    pinned: Bools
    datastores: tuple[str, ...]
    capacity_bytes: Ints
    other_bytes: Ints
    pool_of: Ints
    pools: tuple[str, ...]
    curves: tuple[ServiceCurve, ...]
    array_of: tuple[str, ...]
    other_load: Floats
    fill_ceiling: float
    latency_ceiling_ms: float
    splits: tuple[Split, ...] = ()
    bonds: tuple[Bond, ...] = ()
    load_share: float = 1.0

    def __post_init__(self) -> None:
        disks, stores, pools, hours = len(self.disks), len(self.datastores), len(self.pools), self.features.shape[2]
        shapes = {
            "features": (self.features.shape, (4, disks, hours)),
            "reach": (self.reach.shape, (disks, stores)),
            "other_load": (self.other_load.shape, (pools, hours)),
            "pool_of": (self.pool_of.shape, (stores,)),
            "size_bytes": (self.size_bytes.shape, (disks,)),
        }
        wrong = [name for name, (found, due) in shapes.items() if found != due]
        if wrong:
            raise GroupError("estate_shape", f"Arrays of the wrong shape: {', '.join(wrong)}.")
        # A load that is no number is over no limit: it would pass for none.
        unknown = [name for name in ("features", "other_load") if not np.isfinite(getattr(self, name)).all()]
        if unknown:
            raise GroupError("estate_unknown", f"Values that are no numbers: {', '.join(unknown)}.")

    def __repr__(self) -> str:
        return f"<Group {len(self.disks)} disks, {len(self.datastores)} datastores, {len(self.pools)} pools>"

    @cached_property
    def digest(self) -> str:
        """Equal for groups that are equal in all their values, so that a plan for one is a plan for the other."""
        told = hashlib.blake2b()
        for each in fields(self):
            value = getattr(self, each.name)
            whole = isinstance(value, np.ndarray)
            told.update(f"{each.name} {value.shape if whole else value!r}".encode())
            told.update(value.tobytes() if whole else b"")
        return told.hexdigest()

    @cached_property
    def apart(self) -> Splits:
        """The splits as arrays."""
        return Splits(self.splits, len(self.disks), len(self.datastores))

    def out_of_rule(self, place: Ints) -> int:
        """How many disks would have to lie elsewhere for every rule to be kept."""
        return self.apart.too_many(place) + sum(beside(bond, place) for bond in self.bonds)

    @cached_property
    def room_bytes(self) -> Ints:
        """[s] Bytes a datastore may hold under the fill ceiling, all uses together."""
        return np.asarray(np.floor(self.capacity_bytes * self.fill_ceiling), dtype=np.int64)

    @cached_property
    def load_limit(self) -> Floats:
        """[p] Highest load at which the pool still answers within the latency ceiling."""
        return self.load_share * np.array([curve.load_at(self.latency_ceiling_ms) for curve in self.curves])

    @cached_property
    def bearable_load(self) -> Floats:
        """[p] Highest load that may be brought to the pool: its limit, or what is known of its curve if that is less.

        A pool that bears more as found is not over for that; it only gets no more.
        """
        return self.load_share * np.array([curve.bearable(self.latency_ceiling_ms) for curve in self.curves])

    @cached_property
    def movable_bytes(self) -> float:
        """Bytes of all disks that may move, at least one."""
        return max(float(self.size_bytes[~self.pinned].sum()), 1.0)

    @cached_property
    def found(self) -> State:
        """The state as it was found."""
        return judge(self, self.place)

    @cached_property
    def weights(self) -> Floats:
        """[p, 4] Factors that turn features into load on each pool."""
        return np.array([weights(curve) for curve in self.curves], dtype=np.float64).reshape(len(self.pools), 4)

    def leaving(self, disks: Ints) -> Group:
        """The group in which ``disks`` may not stay where they lie."""
        reach = self.reach.copy()
        reach[disks, self.place[disks]] = False
        return replace(self, reach=reach)

    def load_on(self, pool: int, disks: Ints | slice = slice(None)) -> Floats:
        """[d, h] Load that each of ``disks`` would put on ``pool``."""
        return np.asarray(np.tensordot(self.weights[pool], self.features[:, disks], axes=1), dtype=np.float64)

    def load_at_hour(self, pool: int, hour: int) -> Floats:
        """[d] Load that each disk would put on ``pool`` at an hour."""
        return np.asarray(self.weights[pool] @ self._by_hour[hour], dtype=np.float64)

    @cached_property
    def _by_hour(self) -> Floats:
        """[h, 4, d] The features, so that those of an hour lie together."""
        return np.ascontiguousarray(self.features.transpose(2, 0, 1))

    def loads_anywhere(self, disk: int) -> Floats:
        """[p, h] Load of one disk on each pool."""
        return np.asarray(self.weights @ self.features[:, disk])

    @cached_property
    def array_number(self) -> Ints:
        """[p] Equal for pools between which an array copies by itself."""
        return np.asarray(np.unique(np.array(self.array_of), return_inverse=True)[1], dtype=np.int64)

    def copied_bytes(self, place: Ints) -> float:
        """Bytes that move to ``place``, those that hosts copy weighed by HOST_COPY_WEIGHT more."""
        moved = np.flatnonzero(place != self.place)
        source, target = (self.array_number[self.pool_of[at[moved]]] for at in (self.place, place))
        size = self.size_bytes[moved]
        return float(size.sum()) + HOST_COPY_WEIGHT * float(size[source != target].sum())

    def used(self, place: Ints) -> Ints:
        """[s] Bytes used with disks at ``place``."""
        held = np.zeros(len(self.datastores), dtype=np.int64)
        np.add.at(held, place, self.size_bytes)
        return held + self.other_bytes

    def pool_load(self, place: Ints) -> Floats:
        """[p, h] Load on each pool with disks at ``place``."""
        pools = len(self.pools)
        sums = np.zeros((4, pools, self.features.shape[2]))
        pool = self.pool_of[place]
        for number in range(pools):
            sums[:, number] = self.features[:, pool == number].sum(axis=1)
        return np.asarray(np.einsum("pf,fph->ph", self.weights, sums) + self.other_load, dtype=np.float64)


@dataclass(frozen=True)
class State:
    """What a placement gives: use and fill of datastores, load and latency of pools by hour, and what is over."""

    used_bytes: Ints
    fill: Floats
    load: Floats
    latency_ms: Floats
    over_fill: Bools
    over_latency: Bools

    @property
    def clear(self) -> bool:
        """Whether no datastore is over its fill ceiling, and no pool over its latency ceiling at any hour."""
        return not (self.over_fill.any() or self.over_latency.any())

    @property
    def peak_hour(self) -> Ints:
        """[p] Hour of each pool's highest latency."""
        return np.asarray(self.latency_ms.argmax(axis=1))

    @property
    def peak_ms(self) -> Floats:
        """[p] Highest latency of the day."""
        return np.asarray(self.latency_ms.max(axis=1))


def judge(group: Group, place: Ints) -> State:
    """The state of ``group`` with disks at ``place``."""
    used = group.used(place)
    pool_load = group.pool_load(place)
    by_pool = [curve.latency_ms(row) for curve, row in zip(group.curves, pool_load, strict=True)]
    latency = np.array(by_pool, dtype=np.float64).reshape(pool_load.shape)
    return State(
        used_bytes=used,
        fill=used / np.maximum(group.capacity_bytes, 1),
        load=pool_load,
        latency_ms=latency,
        over_fill=used > group.room_bytes,
        over_latency=pool_load > group.load_limit[:, None] * (1 + LOAD_SLACK),
    )


def limits(group: Group, before: State) -> tuple[Ints, Floats]:
    """[s] bytes and [p, h] load that a plan must stay under: what may be brought there, or what was found if more."""
    return (
        np.maximum(group.room_bytes, before.used_bytes),
        np.maximum(group.bearable_load[:, None], before.load),
    )


def broken_musts(group: Group, place: Ints) -> list[str]:
    """Musts that ``place`` breaks and the group, as found, did not: empty for a lawful plan.

    Written apart from every planner, so that each can be checked by it.
    """
    before, after = group.found, judge(group, place)
    most_bytes, most_load = limits(group, before)
    moved = np.flatnonzero(place != group.place)
    broken = [f"{group.disks[d]} is pinned" for d in moved if group.pinned[d]]
    broken += [
        f"{group.disks[d]} may not live on {group.datastores[place[d]]}" for d in moved if not group.reach[d, place[d]]
    ]
    over = np.flatnonzero(after.used_bytes > most_bytes)
    broken += [f"{group.datastores[s]} would be over its fill ceiling" for s in over]
    broken += _broken_rules(group, place)
    slow = np.argwhere(after.load > most_load * (1 + 1e-4) + LOAD_SLACK)
    broken += [f"{group.pools[p]} would be too slow at hour {h}" for p, h in slow]
    return broken


def _broken_rules(group: Group, place: Ints) -> list[str]:
    """Rules that ``place`` breaks, or breaks more than they were as found."""
    found = []
    for split in group.splits:
        before = Counter(split.sites[group.place[disk]] for disk in split.disks)
        after = Counter(split.sites[place[disk]] for disk in split.disks)
        found += [
            f"{split.name} would be broken: {count} of its disks would lie side by side"
            for site, count in after.items()
            if count > max(1, before[site])
        ]
    for bond in group.bonds:
        apart = len(bond.disks) - max(Counter(int(place[disk]) for disk in bond.disks).values())
        was = len(bond.disks) - max(Counter(int(group.place[disk]) for disk in bond.disks).values())
        if apart > was:
            found.append(f"{bond.name} would be broken: {apart} of its disks would lie apart from the others")
    return found
