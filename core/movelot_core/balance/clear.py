"""*Clear*: the plan that brings a group under its ceilings with the least bytes moved."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from movelot_core.balance import exact
from movelot_core.balance.bonds import fold
from movelot_core.balance.cover import choose
from movelot_core.balance.dump import dumped
from movelot_core.balance.group import Bools, Group, Ints, broken_musts, limits
from movelot_core.balance.model import SPACE_MARGIN
from movelot_core.balance.neighbourhood import planned_again
from movelot_core.balance.order import left_out
from movelot_core.balance.place import Ledger, make_room, place_chosen, replace_homeless, take_apart
from movelot_core.balance.plan import Plan, plan_for
from movelot_core.balance.search import bettered
from movelot_core.balance.standing import BYTES_WEIGHT, better, reached
from movelot_core.balance.worth import worthwhile
from movelot_core.solver import Budget

log = logging.getLogger(__name__)


NO_DISKS = np.array([], dtype=np.int64)
# Steps of a plan: about three seconds of one core at most. Of what is left an exact model of all takes so much, and one
# of the disks that matter; beside it, so often, planning anew without moves that find no place in any order.
STEPS = 3500.0
EXACT_SHARE, AGAIN_SHARE, ORDER_SHARE = 0.4, 0.2, 0.3
ORDER_TRIES = 4
# Rows are kept with margins, so that a sum of shares errs by so much.
OVER_MARGIN = 1e-3


def clear(group: Group, out: Ints = NO_DISKS, budget: Budget | None = None) -> Plan:
    """The plan that clears every breach, or as much as can be, with the bound on the bytes of any such plan.

    First as little as possible is left over the ceilings, in shares of these, then as few bytes as possible move,
    those that hosts have to copy a little dearer.
    With disks ``out``, which may not stay where they lie, it is one plan for them and the ceilings: others move to make
    room for them, and the room they leave serves the ceilings.
    Disks of a bond move as one. Those that lie beside others of their split leave, before any ceiling counts.
    What a planner makes is given only if it passes ``broken_musts``, which shares nothing with it.
    What helps little for its bytes stays, where something is left over (see ``worth``).
    Groups of up to 2,500 (disk, datastore) pairs are solved exactly; larger ones, and those of which no solution is
    proven, pool by pool (see ``cover``), placed largest first, then bettered part by part (see ``search``), until the
    ``budget`` (STEPS, unless told otherwise) is spent or halted: then the best so far is the plan. The same group and
    budget give the same plan. The bound is 0 where more is left over ceilings than what it is for.
    """
    budget = budget or Budget(STEPS)
    if group.bonds:
        return _clear_bonds(group, out, budget)
    if group.found.clear and not out.size and not group.out_of_rule(group.place):
        return plan_for(group, group.place, 0.0)
    best, goal, proven = group.place, reached(group, out, group.place), False
    bounds: list[tuple[str, int, float, float]] = []
    for name, planned in _placements(group, out, budget):
        broken = broken_musts(group, planned.place)
        if broken:
            text = "the %s planner breaks musts of %r, and its plan is left out: %s"
            log.error(text, name, group, "; ".join(broken[:5]), extra={"instance": dumped(group, out)})
            continue
        now = reached(group, out, planned.place)
        bounds.append((name, now[0], planned.bound_for, planned.bound_bytes))
        if better(now, goal):
            best, goal = planned.place, now
        proven = planned.proven
        if proven:
            break
    least_over = -goal[1]
    if not proven:
        enough = max((bytes_ for _name, _many, over, bytes_ in bounds if not over), default=0.0)
        best, least_cost = bettered(group, out, best, budget, enough)
        least_over = least_cost - BYTES_WEIGHT
    best, spared = worthwhile(group, out, _in_order(group, out, best, budget))
    settled, left, _stays = reached(group, out, best)
    # A bound is for plans that settle as many and leave no more over; none is above a plan that there is: what is
    # beyond it is the solver's tolerance.
    # What leaves for a ceiling and what leaves for a split are not the same disks: no plan that does both moves less.
    apart = _bytes_for_splits(group, out) if not group.out_of_rule(best) else 0.0
    held = [
        bytes_ + (apart if kind == "large" else 0.0)
        for kind, many, over, bytes_ in bounds
        if settled >= many and -left <= over + 1e-5
    ]
    plan = plan_for(group, best, min(max(held, default=0.0), float(group.size_bytes[best != group.place].sum())))
    # What leaves for a policy or a rule comes first, so that what is least over is not known beside it.
    least = 0.0 if out.size or group.splits else min(max(0.0, least_over - OVER_MARGIN), plan.over)
    return replace(plan, least_over=least, spared=spared)


def _bytes_for_splits(group: Group, out: Ints) -> float:
    """The least that leaves sites where several disks of a split lie, of disks that no ceiling nor policy moves."""
    slow: Bools = np.asarray(group.found.over_latency.any(axis=1))
    over: Bools = np.asarray(group.found.over_fill | slow[group.pool_of])
    counted, least = set(map(int, out)), 0.0
    for crowd in group.apart.crowds(group.place):
        disks = set(map(int, crowd.disks))
        if counted.isdisjoint(disks) and not over[group.place[crowd.disks]].any():
            # All but one leave: the largest may stay.
            least += float(np.sort(group.size_bytes[crowd.disks])[:-1].sum())
            counted |= disks
    return least


def _clear_bonds(group: Group, out: Ints, budget: Budget) -> Plan:
    """With disks that are bonded as one, and those that are to be brought together among the ones that are out."""
    folded = fold(group, out)
    plan = clear(folded.group, folded.out, budget)
    place = folded.unfolded(plan.place)
    stuck = left_out(group, place)
    if stuck.size:
        place = _without(group, place, folded.whole_bonds(stuck))
    broken = broken_musts(group, place)
    if broken:
        text = "bonds of %r are broken, and its plan is left out: %s"
        log.error(text, group, "; ".join(broken[:5]), extra={"instance": dumped(group, out)})
        place = group.place
    # With another datastore for a bond that was found apart there may be less to move.
    bound = plan.bound_bytes if folded.least and not stuck.size else 0
    made = plan_for(group, place, min(bound, int(group.size_bytes[place != group.place].sum())))
    return replace(made, spared=plan.spared)


def _in_order(group: Group, out: Ints, place: Ints, budget: Budget) -> Ints:
    """``place``, or a placement about as good for whose moves there is an order with room at every instant."""
    held = np.zeros(len(group.disks), dtype=bool)
    for _ in range(ORDER_TRIES):
        stuck = left_out(group, place)
        if not stuck.size:
            return place
        held[stuck] = True
        narrowed = replace(group, pinned=group.pinned | held)
        place, _least = bettered(narrowed, out, _without(group, place, stuck), budget.more(ORDER_SHARE / ORDER_TRIES))
    stuck = left_out(group, place)
    return _without(group, place, stuck) if stuck.size else place


def _without(group: Group, place: Ints, disks: Ints) -> Ints:
    """``place`` with ``disks`` where they were found; where that breaks a Must, nothing moves."""
    kept = place.copy()
    kept[disks] = group.place[disks]
    return group.place if broken_musts(group, kept) else kept


def _placements(group: Group, out: Ints, budget: Budget) -> Iterator[tuple[str, exact.Exact]]:
    """Placements by each planner that can have the group, the best first; computed as they are asked for."""
    if exact.fits(group):
        for margin in (0.0, SPACE_MARGIN):
            best = exact.solve(group, out, budget, EXACT_SHARE * budget.left, margin)
            yield "exact", best
            if not broken_musts(group, best.place):
                break
    if out.size:
        yield "large", _settled(group, out, budget)
    # Without those that are out: what helps the ceilings is not lost where settling them breaks a Must.
    yield "large", _cleared(group, budget)


def _cleared(group: Group, budget: Budget) -> exact.Exact:
    cover = choose(group, budget)
    ledger, homeless = place_chosen(group, cover.disks, cover.off_pool)
    if homeless:
        replace_homeless(ledger, homeless)
    take_apart(ledger)
    return exact.Exact(_without_idle_moves(group, ledger), cover.bound_bytes)


def _settled(group: Group, out: Ints, budget: Budget) -> exact.Exact:
    """The best of three placements: by rules for the whole group, by the exact model around that, and once more."""
    by_rules = _settled_then_cleared(group, out, budget)
    again = planned_again(group, out, by_rules, budget, AGAIN_SHARE * budget.left)
    # Around what is settled by then other disks matter, and all steps go to bytes.
    once_more = planned_again(group, out, again, budget, AGAIN_SHARE * budget.left)
    lawful = [place for place in (by_rules, again, once_more) if not broken_musts(group, place)]
    best = max(lawful or [by_rules], key=lambda place: reached(group, out, place))
    movable = np.sort(group.size_bytes[out[~group.pinned[out]]])
    settled = int((best[out] != group.place[out]).sum())
    # Whichever they are, as many weigh no less than the smallest; and without any of them what is over has to leave.
    return exact.Exact(best, float(movable[:settled].sum()) + _bound_without(group, out, budget))


def _settled_then_cleared(group: Group, out: Ints, budget: Budget) -> Ints:
    """Those that are out first, with room made for them; then the ceilings, with what moved left where it went."""
    movable = out[~group.pinned[out]]
    narrowed = group.leaving(movable)
    ledger, homeless = place_chosen(narrowed, movable, np.zeros(len(movable), dtype=bool))
    for disk in homeless:
        make_room(ledger, disk)
    moved = ledger.place != group.place
    rest = replace(narrowed, place=ledger.place.copy(), pinned=group.pinned | moved)
    return _cleared(rest, budget).place


def _bound_without(group: Group, disks: Ints, budget: Budget) -> float:
    """Bytes that have to leave places which are over even with ``disks`` gone."""
    sizes, loads = group.size_bytes.copy(), group.features.copy()
    sizes[disks], loads[:, disks] = 0, 0.0
    pinned = group.pinned.copy()
    pinned[disks] = True
    without = replace(group, size_bytes=sizes, features=loads, pinned=pinned)
    return choose(without, budget).bound_bytes


def _without_idle_moves(group: Group, ledger: Ledger) -> Ints:
    """The booked placement less moves that no ceiling needs, largest first."""
    room = group.room_bytes
    # A pool of which nothing is known beyond what it bears may bear that again.
    limit = np.minimum(group.load_limit[:, None], limits(group, group.found)[1])
    moved = np.flatnonzero(ledger.place != group.place)
    for disk in moved[np.lexsort((moved, -group.size_bytes[moved]))]:
        home, away = int(group.place[disk]), int(ledger.place[disk])
        own = group.loads_anywhere(int(disk))
        pool_home, pool_away = group.pool_of[home], group.pool_of[away]
        back = ledger.load[pool_home] + (own[pool_home] if pool_home != pool_away else 0)
        if group.apart.taken(int(disk), ledger.place)[home]:
            continue
        if ledger.used[home] + group.size_bytes[disk] <= room[home] and (back <= limit[pool_home]).all():
            ledger.move(int(disk), home)
    return ledger.place
