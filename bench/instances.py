"""The planner on seven families of generated groups, checked by code that shares nothing with it.

``python -m bench.instances`` prints for each family the worst of all its seeds: plans that break a rule, what is left
over ceilings beside the least that an exact model of all disks finds, bytes moved beside that model's, what a pool
bears between two moves in shares of what it may, and seconds.

Families: *loose*; *tight* (78 % full under a ceiling of 82 %); *shared* (four to eight datastores a pool, latency the
main breach); *rules* (reach, pins, disks kept apart and together, some of them not yet); *huge* (disks a third of a
datastore); *infeasible* (more over than there is room); *tail* (one disk larger than a pool's room).
"""

from __future__ import annotations

import sys
import time
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy import sparse
from scipy.optimize import Bounds, LinearConstraint, milp

from bench.groups import generate
from movelot_core.balance.clear import clear
from movelot_core.balance.copies import CopyRates
from movelot_core.balance.group import Group, Ints
from movelot_core.balance.order import OrderedMove, order_moves
from movelot_core.balance.rules import Bond, Split

GIB = 2**30
SEEDS = 3
SIZES = ((120, 8, 3), (2_000, 40, 10), (20_000, 200, 40))
# Of larger groups no exact model is asked.
EXACT_DISKS = 500
# An exact model gets so long; what it has not proven by then is no reference.
EXACT_SECONDS = 40.0
TOLERANCE = 1e-5


def family(name: str, seed: int, disks: int, stores: int, pools: int) -> Group:
    """A group of a family. Its curves are scaled so that some of its pools are over their ceiling."""
    rng = np.random.default_rng([seed, *name.encode()])
    group = generate(disks, stores, pools, seed)
    fill = rng.uniform(0.5, 0.72, stores)
    over = rng.random(stores) < 0.15
    over[0] = True
    busy = rng.uniform(0.55, 0.8, pools)
    match name:
        case "tight":
            fill = rng.uniform(0.76, 0.80, stores)
        case "shared":
            group = replace(group, pool_of=np.arange(stores) * pools // stores)
            over[:] = False
            busy[rng.random(pools) < 0.4] = rng.uniform(1.03, 1.2)
            busy[0] = 1.1
        case "rules":
            reach = rng.random((disks, stores)) < 0.35
            reach[np.arange(disks), group.place] = True
            group = _ruled(replace(group, reach=reach, pinned=rng.random(disks) < 0.2), seed)
        case "huge":
            size = group.size_bytes.copy()
            large = rng.choice(disks, max(2, disks // 40), replace=False)
            size[large] = int(size.sum() / stores * 0.3)
            group = replace(group, size_bytes=size)
        case "infeasible":
            fill = rng.uniform(0.80, 0.84, stores)
            over[:] = rng.random(stores) < 0.4
            busy = rng.uniform(0.9, 1.15, pools)
        case "tail":
            size = group.size_bytes.copy()
            size[int(np.argmax(group.place == 0))] = int(size.sum() / stores * 0.9)
            group = replace(group, size_bytes=size)
            fill = rng.uniform(0.70, 0.78, stores)
        case _:
            busy[rng.random(pools) < 0.2] = 1.04
    fill[over] = rng.uniform(0.86, 0.95, int(over.sum()))
    held = np.bincount(group.place, group.size_bytes, stores)
    group = replace(group, capacity_bytes=np.maximum((held / fill).astype(np.int64), GIB))
    curves = []
    for pool in range(pools):
        there = group.features[:, group.pool_of[group.place] == pool].sum(axis=1)
        curve = group.curves[pool]
        peak = float((np.array([1.0, curve.beta, curve.gamma, curve.beta * curve.gamma]) @ there).max())
        most = peak / busy[pool]
        curves.append(replace(curve, x_max=max(1.0, most / (1 - curve.l0_ms / group.latency_ceiling_ms))))
    return replace(group, curves=tuple(curves))


def _ruled(group: Group, seed: int) -> Group:
    """With a split for each 20 disks, by datastore or pool, and a bond for each 40, of which a few are not kept yet."""
    rng = np.random.default_rng([seed, 77])
    disks, stores = len(group.disks), len(group.datastores)
    chosen = rng.permutation(disks)
    sites = (tuple(range(stores)), tuple(int(pool) for pool in group.pool_of))
    splits = []
    for n in range(disks // 20):
        members = chosen[3 * n : 3 * n + min(2 + n % 2, len(set(sites[n % 2])))]
        splits.append(Split(f"apart {n}", tuple(map(int, members)), sites[n % 2]))
    reach, place = group.reach.copy(), group.place.copy()
    reach[chosen[: 3 * len(splits)]] |= rng.random((3 * len(splits), stores)) < 0.4
    bonds = []
    for n in range(disks // 40):
        pair = chosen[disks - 2 * n - 2 : disks - 2 * n]
        if n % 4:
            place[pair] = place[pair[0]]
        both = rng.random(stores) < 0.5
        both[place[pair]] = True
        reach[pair] = both
        bonds.append(Bond(f"together {n}", tuple(map(int, pair))))
    ruled = replace(group, reach=reach, place=place, splits=tuple(splits), bonds=tuple(bonds))
    # Who cannot move has no rule to follow.
    members = [disk for each in (*splits, *bonds) for disk in each.disks]
    return replace(ruled, pinned=group.pinned & ~np.isin(np.arange(disks), members))


FAMILIES = ("loose", "tight", "shared", "rules", "huge", "infeasible", "tail")


@dataclass(frozen=True)
class Told:
    """A placement by an account of its own: bytes and loads, what is over in shares, and what is not lawful.

    ``unruly``: disks that lie beside those they are kept apart from, or apart from those they are bonded to.
    """

    excess: float
    moved_bytes: int
    wrong: list[str]
    unruly: int


def told(group: Group, place: Ints) -> Told:
    """Judged anew from the formulas: x = r + beta w + gamma (rs + beta ws), limit X (1 - L0 / ceiling)."""
    used_before, used = _held(group, group.place), _held(group, place)
    wrong = []
    for disk in np.flatnonzero(place != group.place):
        if group.pinned[disk] or not group.reach[disk, place[disk]]:
            wrong.append(f"{group.disks[disk]} may not move to {group.datastores[place[disk]]}")
    excess = 0.0
    for store, capacity in enumerate(group.capacity_bytes):
        room = int(capacity * group.fill_ceiling)
        excess += max(0, used[store] - room) / max(room, 1)
        if used[store] > max(room, used_before[store]) + 1:
            wrong.append(f"{group.datastores[store]} is over by {used[store] - max(room, used_before[store])} bytes")
    for pool, curve in enumerate(group.curves):
        limit = curve.x_max * min(0.98, 1 - curve.l0_ms / group.latency_ceiling_ms)
        before, after = _loads(group, group.place, pool), _loads(group, place, pool)
        if limit > 0:
            excess += max(0.0, float((after / limit - 1 - TOLERANCE).max()))
        allowed = np.maximum(limit, before) * (1 + 1e-4) + 1e-6
        wrong += [f"{group.pools[pool]} is slow at {hour}" for hour in np.flatnonzero(after > allowed)]
    unruly, found = _unruly(group, place), _unruly(group, group.place)
    wrong += [f"{name} is broken by {n} disks" for name, n in unruly.items() if n > found[name]]
    return Told(excess, int(group.size_bytes[place != group.place].sum()), wrong, sum(unruly.values()))


def _unruly(group: Group, place: Ints) -> dict[str, int]:
    told = {}
    for split in group.splits:
        told[split.name] = len(split.disks) - len({split.sites[place[disk]] for disk in split.disks})
    for bond in group.bonds:
        there = [int(place[disk]) for disk in bond.disks]
        told[bond.name] = len(there) - max(there.count(store) for store in there)
    return told


def _held(group: Group, place: Ints) -> list[int]:
    held = [int(size) for size in group.other_bytes]
    for disk, store in enumerate(place):
        held[int(store)] += int(group.size_bytes[disk])
    return held


def _loads(group: Group, place: Ints, pool: int) -> np.ndarray:
    curve = group.curves[pool]
    there = group.features[:, group.pool_of[place] == pool].sum(axis=1)
    reads, writes, scaled_reads, scaled_writes = there
    more = curve.gamma * (scaled_reads + curve.beta * scaled_writes)
    found: np.ndarray = reads + curve.beta * writes + more + group.other_load[pool]
    return found


def on_the_way(group: Group, ordered: Sequence[OrderedMove], runs: int = 5) -> float:
    """The most that a pool bears between two moves, in shares of what it may: 1 where none is slower than it may be.

    What a pool may bear is its limit, or what was found there if that is more. Moves end one after the other in random
    runs, each as soon as those it needs have ended: whatever a copy takes.
    """
    most = 0.0
    found = np.array([_loads(group, group.place, pool) for pool in range(len(group.pools))])
    limit = np.array([c.x_max * min(0.98, 1 - c.l0_ms / group.latency_ceiling_ms) for c in group.curves])
    allowed = np.maximum(np.maximum(limit, 1e-9)[:, None], found)
    for run in range(runs):
        rng, load, done = np.random.default_rng(run), found.copy(), set[int]()
        left = list(range(len(ordered)))
        while left:
            n = rng.choice([each for each in left[:50] if done >= set(ordered[each].needs)])
            left.remove(n)
            done.add(int(n))
            move = ordered[n].move
            source, target = int(group.pool_of[move.source]), int(group.pool_of[move.target])
            if source != target:
                load[source] -= _own_load(group, move.disk, source)
                load[target] += _own_load(group, move.disk, target)
                most = max(most, float((load[target] / allowed[target]).max()))
    return most


def _own_load(group: Group, disk: int, pool: int) -> np.ndarray:
    curve = group.curves[pool]
    reads, writes, scaled_reads, scaled_writes = group.features[:, disk]
    own: np.ndarray = reads + curve.beta * writes + curve.gamma * (scaled_reads + curve.beta * scaled_writes)
    return own


@dataclass(frozen=True)
class Reference:
    """The least excess and, for that, the least bytes of any lawful placement, as far as both are proven."""

    excess: float
    moved_bytes: float


class _Rows:
    """Rows of the model: a variable for each disk and place, and one for what each datastore and pool is over."""

    def __init__(self, group: Group) -> None:
        disks, stores, pools = len(group.disks), len(group.datastores), len(group.pools)
        may = group.reach & ~group.pinned[:, None]
        may[np.arange(disks), group.place] = True
        self.disk, self.store = np.nonzero(may)
        self.count, self.slacks = len(self.disk), stores + pools
        self.left: list[sparse.csr_matrix] = []
        self.right: list[sparse.csr_matrix] = []
        self.low: list[np.ndarray] = []
        self.high: list[np.ndarray] = []

    def add(self, left: sparse.csr_matrix, low: np.ndarray, high: np.ndarray, slack: np.ndarray | None = None) -> None:
        """Rows, each less the slack of its number where it has one."""
        rows = left.shape[0]
        beside = sparse.csr_matrix((rows, self.slacks))
        if slack is not None:
            beside = sparse.csr_matrix((-np.ones(rows), (np.arange(rows), slack)), (rows, self.slacks))
        self.left.append(sparse.csr_matrix(left))
        self.right.append(beside)
        self.low.append(low)
        self.high.append(high)

    def solved(self, cost: np.ndarray, caps: np.ndarray, seconds: float, whole: bool = True) -> np.ndarray | None:
        """The proven best; None where it is not proven in time."""
        matrix = sparse.hstack([sparse.vstack(self.left), sparse.vstack(self.right)]).tocsr()
        found = milp(
            cost,
            constraints=LinearConstraint(matrix, np.concatenate(self.low), np.concatenate(self.high)),
            integrality=np.concatenate([np.full(self.count, int(whole)), np.zeros(self.slacks)]),
            bounds=Bounds(0, np.concatenate([np.ones(self.count), caps])),
            options={"mip_rel_gap": 1e-4, "time_limit": seconds},
        )
        return np.asarray(found.x) if found.status == 0 and found.x is not None else None


def _rows_of(group: Group) -> tuple[_Rows, np.ndarray]:
    """The rows of all disks, datastores and hours, and how far what is over may be over: as far as it was found."""
    rows, caps = _Rows(group), []
    disks, stores = len(group.disks), len(group.datastores)
    count, numbers = rows.count, np.arange(rows.count)
    ones, none = np.ones(disks), np.full(stores, -np.inf)
    rows.add(sparse.csr_matrix((np.ones(count), (rows.disk, numbers)), (disks, count)), ones, ones)
    room = np.floor(group.capacity_bytes * group.fill_ceiling)
    sizes = sparse.csr_matrix((group.size_bytes[rows.disk] / room[rows.store], (rows.store, numbers)), (stores, count))
    rows.add(sizes, none, 1 - group.other_bytes / room, np.arange(stores))
    caps.append(np.maximum(np.array(_held(group, group.place)) / room - 1, 0))
    for pool, curve in enumerate(group.curves):
        limit = curve.x_max * min(0.98, 1 - curve.l0_ms / group.latency_ceiling_ms)
        factors = np.array([1.0, curve.beta, curve.gamma, curve.beta * curve.gamma])
        own = np.tensordot(factors, group.features, axes=1)[rows.disk]
        loads = sparse.csr_matrix((own * (group.pool_of[rows.store] == pool)[:, None]).T / limit)
        before, beside = _loads(group, group.place, pool) / limit, group.other_load[pool] / limit
        free = np.full(len(before), -np.inf)
        rows.add(loads, free, 1 + TOLERANCE - beside, np.full(len(before), stores + pool))
        # Never worse than found at any hour.
        rows.add(loads, free, np.maximum(1 + TOLERANCE, before) - beside)
        caps.append(np.array([max(0.0, float(before.max() - 1))]))
    _add_rules(rows, group)
    return rows, np.concatenate(caps)


def _add_rules(rows: _Rows, group: Group) -> None:
    """Kept, all of them: where that cannot be nothing is proven."""
    for split in group.splits:
        sites = np.array(split.sites)[rows.store]
        mine = np.isin(rows.disk, split.disks)
        left = sparse.csr_matrix([(mine & (sites == site)).astype(float) for site in np.unique(sites[mine])])
        rows.add(left, np.full(left.shape[0], -np.inf), np.ones(left.shape[0]))
    for bond in group.bonds:
        for disk in bond.disks[1:]:
            each = [
                ((rows.store == store) * ((rows.disk == disk) * 1.0 - (rows.disk == bond.disks[0])))
                for store in range(len(group.datastores))
            ]
            left = sparse.csr_matrix(np.array(each))
            rows.add(left, np.zeros(left.shape[0]), np.zeros(left.shape[0]))


def least_by_shares(group: Group, bytes_weight: float) -> float:
    """What is left over at least if disks could be divided, and, weighed so much, the share of all bytes that moves."""
    rows, caps = _rows_of(group)
    moved = (rows.store != group.place[rows.disk]) * group.size_bytes[rows.disk] / group.size_bytes.sum()
    cost = np.concatenate([moved * bytes_weight, np.ones(rows.slacks)])
    found = rows.solved(cost, caps, EXACT_SECONDS, whole=False)
    if found is None:
        raise RuntimeError(f"The relaxation of {group!r} was not solved.")
    return float(cost @ found)


def reference(group: Group) -> Reference | None:
    """By one model of all disks, datastores and hours; None where it is not proven in time."""
    rows, caps = _rows_of(group)
    count = rows.count
    moved = (rows.store != group.place[rows.disk]) * group.size_bytes[rows.disk] / group.size_bytes.sum()
    none_moved, no_slack = np.zeros(count), np.zeros(rows.slacks)
    least = rows.solved(np.concatenate([none_moved, np.ones(rows.slacks)]), caps, EXACT_SECONDS / 2)
    if least is None:
        return None
    allowed = np.where(least[count:] < 1e-7, 0.0, least[count:] * (1 + 1e-6) + 1e-9)
    best = rows.solved(np.concatenate([moved, no_slack]), allowed, EXACT_SECONDS / 2)
    if best is None:
        return None
    bytes_moved = float(moved @ np.round(best[:count])) * float(group.size_bytes.sum())
    return Reference(float(least[count:].sum()), bytes_moved)


@dataclass(frozen=True)
class Row:
    """What came of one group."""

    name: str
    seed: int
    seconds: float
    excess: float
    least_excess: float | None
    bytes_over: float | None
    wrong: list[str]
    dropped: int
    on_the_way: float
    unruly: int


def measure(name: str, seed: int, size: tuple[int, int, int]) -> Row:
    """A plan with its order, beside the reference where the group is small enough, else beside its own bound."""
    group = family(name, seed, *size)
    start = time.perf_counter()
    plan = clear(group)
    ordered = order_moves(group, plan.moves, CopyRates(4e8, 1e8))
    seconds = time.perf_counter() - start
    found = told(group, plan.place)
    least = reference(group) if size[0] <= EXACT_DISKS else None
    # Bytes are compared where as little is left over.
    alike = least is not None and found.excess <= least.excess + 1e-4
    over = plan.over_bound if size[0] > EXACT_DISKS and plan.bound_bytes else None
    if least is not None and alike and least.moved_bytes:
        over = found.moved_bytes / least.moved_bytes
    dropped = len({move.disk for move in plan.moves} - {each.move.disk for each in ordered})
    left = least.excess if least else None
    return Row(
        name, seed, seconds, found.excess, left, over, found.wrong, dropped, on_the_way(group, ordered), found.unruly
    )


def print_table(sizes: Sequence[tuple[int, int, int]] = SIZES, seeds: int = SEEDS) -> None:
    """The worst of all seeds, by family and size (disks, datastores, pools)."""
    print("planner on seven families, the worst of each; least is what is left over in the best proven plan")
    head = f"{'family':<11}{'disks':>6}{'unlawful':>9}{'dropped':>8}{'over':>8}{'least':>8}{'not cleared':>12}"
    print(f"{head}{'bytes':>8}{'way':>7}{'seconds':>9}")
    for size in sizes:
        for name in FAMILIES:
            _print_line(name, size, [measure(name, seed, size) for seed in range(seeds if size[0] < 20_000 else 1)])


def _print_line(name: str, size: tuple[int, int, int], rows: Sequence[Row]) -> None:
    proven = [row for row in rows if row.least_excess is not None]
    missed = sum((row.excess > 1e-4 and (row.least_excess or 0) <= 1e-4) or row.unruly > 0 for row in proven)
    worst = max(rows, key=lambda row: row.excess - (row.least_excess or 0))
    over = max((row.bytes_over for row in rows if row.bytes_over), default=0.0)
    wrong, dropped = sum(bool(row.wrong) for row in rows), max(row.dropped for row in rows)
    least = f"{worst.least_excess:>8.3f}" if worst.least_excess is not None else f"{'–':>8}"
    cleared = f"{missed:>7} of {len(proven):>2}"
    way, seconds = max(row.on_the_way for row in rows), max(row.seconds for row in rows)
    figures = f"{worst.excess:>8.3f}{least}{cleared:>12}{over:>8.3f}{way:>7.3f}{seconds:>9.2f}"
    print(f"{name:<11}{size[0]:>6}{wrong:>9}{dropped:>8}{figures}", flush=True)


if __name__ == "__main__":
    asked = [tuple(map(int, word.split("/"))) for word in sys.argv[1:]]
    print_table([(each[0], each[1], each[2]) for each in asked] or SIZES)
