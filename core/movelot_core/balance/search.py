"""Betters a placement, by prices and part by part: the exact model for some disks, while all else stays as it lies.

A part is made around something that is over its ceiling, with the disks there that weigh most, the datastores with most
room, and disks on these that could come back in exchange; or around the moves of one pool, with disks that could be
moved instead. It is taken over if less is over afterwards, or as much with fewer bytes moved. It ends once no part
betters anything, or the budget is spent. What prices lead to (see ``prices``) is tried before the parts.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from movelot_core.balance import exact
from movelot_core.balance.group import Bools, Group, Ints
from movelot_core.balance.prices import bettered_by_prices, if_better
from movelot_core.balance.standing import Part, Standing, better, problem_of
from movelot_core.latency import Floats
from movelot_core.solver import Budget

# Disks of a part: of what is over, of what could come back; datastores that they may go to.
LEAVING, RETURNING, TARGETS = 32, 24, 8
# Parts grow to so many times that size.
TIMES_MAX = 8
# What is over gets no more than this share of the budget, so that some is left for bytes; in groups of more (disk,
# datastore) pairs than SMALL less, as what is worth most is found first there. Where something stays over all the same,
# bytes get this share of what such groups have left: they matter less.
OVER_SHARE, SMALL = 0.7, 10_000
OVER_SHARE_LARGE, BYTES_SHARE_LARGE = 0.4, 0.2
# Steps of the budget for one part at most, and for looking a part up, for each 1,000 disks.
PART_STEPS, LOOK_UP_STEPS = 300.0, 1.5
# What prices lead to gets this share of what ceilings get.
PRICES_SHARE = 0.7
# So many times the bytes that no plan can do without are near enough.
ENOUGH = 1.004

# Parts of a placement, of some size, around what is not yet as it should be.
Parts = Callable[[Ints, Standing, int], Iterator[Part]]


def bettered(group: Group, out: Ints, place: Ints, budget: Budget, least_bytes: float = 0.0) -> tuple[Ints, float]:
    """``place``, or a lawful placement that is better; looked for until nothing is found or the budget is spent.

    Beside it the least that any placement costs (see ``Standing.over_and_moved``), as far as that is known.

    First what stays where it may not and what is over, then bytes. Where parts better nothing any more larger ones are
    tried. No longer than until nothing is over and hardly more moves than ``least_bytes``, which no plan can do
    without.
    """
    best, least_cost = Standing.of(group, place), 0.0
    large = int(group.reach.sum()) > SMALL
    ends = budget.spent + (OVER_SHARE_LARGE if large else OVER_SHARE) * budget.left
    if best.over or best.reached(out)[0] < len(out):
        # From what was found, not from what a planner made of it: what that moved is a choice of its own.
        by_prices, least_cost = bettered_by_prices(
            Standing.of(group, group.place), out, budget, budget.spent + PRICES_SHARE * (ends - budget.spent)
        )
        best = if_better(best, by_prices, out)
    if best.over_and_moved > least_cost * ENOUGH or best.reached(out)[0] < len(out):
        best = _by_parts(best, out, budget, ends, _parts_over, least_bytes)
    ends = budget.spent + (BYTES_SHARE_LARGE if large and best.over else 1.0) * budget.left
    if not _enough(best.reached(out), len(out), least_bytes):
        best, _least = bettered_by_prices(best, out, budget, ends, bytes_only=True)
    best = _by_parts(best, out, budget, ends, _parts_moved, least_bytes)
    return best.place, least_cost


def _by_parts(best: Standing, out: Ints, budget: Budget, ends: float, parts: Parts, least_bytes: float) -> Standing:
    """``best``, or what is better part by part; larger parts where those of a size better nothing any more."""
    times, tried = 1, set[bytes]()
    while times <= TIMES_MAX:
        before = best.reached(out)
        for part in parts(out, best, times):
            if not budget.left or budget.spent >= ends or _enough(best.reached(out), len(out), least_bytes):
                return best
            best = _bettered_by(part, best, out, budget, PART_STEPS * times, tried)
        times *= 1 if better(best.reached(out), before) else 2
    return best


def _bettered_by(part: Part, best: Standing, out: Ints, budget: Budget, steps: float, tried: set[bytes]) -> Standing:
    """``best``, or what is better with a part placed anew; a part is tried once as things are."""
    budget.spend(LOOK_UP_STEPS * len(best.group.disks) / 1000)
    problem = problem_of(best, out, part)
    known = b"".join(each.tobytes() for each in (part.disks, part.targets, problem.rest_bytes, problem.rest_load))
    if known in tried:
        return best
    tried.add(known)
    return if_better(best, best.after(part.disks, exact.solved(problem, budget, steps).place), out)


def _enough(goal: tuple[int, float, int], out: int, least_bytes: float) -> bool:
    settled, left, stays = goal
    return settled == out and left == 0 and -stays <= least_bytes * ENOUGH


def _parts_over(out: Ints, best: Standing, times: int) -> Iterator[Part]:
    """Parts around disks that stay where they may not, and what is over, the worst first."""
    group, place = best.group, best.place
    stay = out[(place[out] == group.place[out]) & ~group.pinned[out]]
    for first in range(0, len(stay), LEAVING // 4):
        yield from _around_out(best, stay[first : first + LEAVING // 4], times)
    for crowd in group.apart.crowds(place):
        movable = crowd.disks[~group.pinned[crowd.disks]]
        if movable.size:
            yield from _around_out(best, movable, times)
    over_fill, over_load = best.over_fill, best.over_load
    worst = [(over_fill[s], 0, int(s)) for s in np.flatnonzero(over_fill)]
    worst += [(over_load[p], 1, int(p)) for p in np.flatnonzero(over_load)]
    for _share, kind, number in sorted(worst, key=lambda each: (-each[0], each[1], each[2])):
        yield _around_pool(best, number, times) if kind else _around_store(best, number, times)


def _parts_moved(_out: Ints, best: Standing, times: int) -> Iterator[Part]:
    """Parts around the moves of each pool."""
    moved = np.flatnonzero(best.place != best.group.place)
    for pool in np.unique(best.group.pool_of[best.group.place[moved]]):
        yield _around_moves(best, int(pool), moved, times)


def _roomiest(best: Standing, without: Bools, hour: int | None) -> Ints:
    """The datastores with most room left: of bytes, and of load at an hour or at each pool's worst one."""
    group = best.group
    room = 1 - best.used_bytes / np.maximum(group.room_bytes, 1)
    load = best.load.max(axis=1) if hour is None else best.load[:, hour]
    calm = 1 - load / np.maximum(group.bearable_load, 1e-9)
    score = np.where(without, -np.inf, np.minimum(room, calm[group.pool_of]))
    # A pool at a time, so that not all of them are of one.
    order = np.lexsort((np.arange(len(score)), -score))
    order = order[np.isfinite(score[order])]
    turn = np.zeros(len(order), dtype=np.int64)
    seen: dict[int, int] = {}
    for n, store in enumerate(order):
        pool = int(group.pool_of[store])
        turn[n] = seen[pool] = seen.get(pool, -1) + 1
    return np.asarray(order[np.lexsort((np.arange(len(order)), turn))][:TARGETS], dtype=np.int64)


def _first(disks: Ints, *costs: Floats, count: int) -> Ints:
    """So many of ``disks``, taken in turns by each of several costs, the least first."""
    orders = [disks[np.lexsort((disks, cost))] for cost in costs]
    turns = np.stack(orders, axis=1).ravel() if len(disks) else disks
    _values, first = np.unique(turns, return_index=True)
    return np.asarray(turns[np.sort(first)][:count], dtype=np.int64)


def _around_out(best: Standing, stay: Ints, times: int) -> Iterator[Part]:
    """With what lies where they could be, and could go on from there: small disks, and those that ask for much."""
    group, place = best.group, best.place
    size = group.size_bytes.astype(float)
    served: Bools = np.asarray(group.reach[stay].any(axis=0))
    served[group.place[stay]] = False
    near = _roomiest(best, ~served, None)
    for pool in map(int, np.unique(group.pool_of[near])):
        targets = near[group.pool_of[near] == pool]
        hour = int(best.load[pool].argmax())
        own = group.load_at_hour(pool, hour)
        there = np.flatnonzero((group.pool_of[place] == pool) & ~group.pinned)
        on = _first(there, -own[there] / size[there], -own[there], size[there], count=RETURNING * times)
        beyond = _roomiest(best, np.asarray(group.pool_of == pool), hour)
        disks = np.union1d(stay, on)
        yield Part(disks, np.union1d(np.union1d(targets, beyond), group.place[on]))


def _around_pool(best: Standing, pool: int, times: int) -> Part:
    group, place = best.group, best.place
    hour = int(best.load[pool].argmax())
    own = group.load_at_hour(pool, hour)
    size = group.size_bytes.astype(float)
    movable = ~group.pinned
    here = np.flatnonzero((group.pool_of[place] == pool) & movable)
    leaving = _first(here, -own[here], -own[here] / size[here], size[here], count=LEAVING * times)
    targets = _roomiest(best, np.asarray(group.pool_of == pool), hour)
    return _with_returning(best, leaving, targets, own, times)


def _around_store(best: Standing, store: int, times: int) -> Part:
    group, place = best.group, best.place
    size = group.size_bytes.astype(float)
    over = float(best.used_bytes[store] - group.room_bytes[store])
    here = np.flatnonzero((place == store) & ~group.pinned)
    peak = group.features[:2].sum(axis=0).max(axis=1)
    leaving = _first(here, np.abs(size[here] - over), peak[here] / size[here], size[here], count=LEAVING * times)
    targets = _roomiest(best, np.asarray(np.arange(len(group.datastores)) == store), None)
    return _with_returning(best, leaving, targets, peak, times)


def _with_returning(best: Standing, leaving: Ints, targets: Ints, load: Floats, times: int) -> Part:
    """With disks on the targets that could come back: small ones, and those that ask for little for their size."""
    group, place = best.group, best.place
    size = group.size_bytes.astype(float)
    there = np.flatnonzero(np.isin(place, targets) & ~group.pinned)
    back = _first(there, load[there] / size[there], size[there], load[there], count=RETURNING * times)
    disks = np.union1d(leaving, back)
    return Part(disks, np.union1d(targets, np.union1d(place[leaving], group.place[disks])))


def _around_moves(best: Standing, pool: int, moved: Ints, times: int) -> Part:
    group, place = best.group, best.place
    mine = moved[group.pool_of[group.place[moved]] == pool]
    hour = int(best.load[pool].argmax())
    own = group.load_at_hour(pool, hour)
    size = group.size_bytes.astype(float)
    chosen = _first(mine, -size[mine], own[mine] / size[mine], count=LEAVING * times)
    homes = np.unique(group.place[chosen])
    near = np.flatnonzero(np.isin(place, homes) & ~group.pinned & (place == group.place))
    instead = _first(
        near, -own[near] / size[near], size[near], np.abs(size[near] - size[chosen].min()), count=RETURNING * times
    )
    targets = np.union1d(place[chosen], _roomiest(best, np.asarray(group.pool_of == pool), None)[:4])
    return Part(np.union1d(chosen, instead), np.union1d(homes, targets))
