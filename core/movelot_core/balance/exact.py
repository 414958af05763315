"""The exact model: disks that may move, every datastore each may go to, one mixed-integer programme (HiGHS).

It is asked for a whole group where that is small enough, and for parts of larger ones (see ``search``), in which all
else stays as it lies. First what is left over the ceilings is made as small as possible, in shares of the ceiling: of a
datastore its bytes, of a pool its load at the worst hour. With that held, the bytes moved are. A disk that stays where
it may not is a breach as well, and weighs more than all ceilings together.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy import sparse

from movelot_core import solver
from movelot_core.balance.group import Group, Ints
from movelot_core.balance.model import SPACE_MARGIN, Hours, Model, Problem, whole
from movelot_core.latency import Floats
from movelot_core.solver import Budget, Programme

VARIABLES_MAX = 2500
# So often hours are added, each time with such a share of the steps that are left.
ROUNDS_MAX, ROUND_SHARE = 6, 0.6
# Steps for the best of two placements.
BETWEEN_STEPS = 300.0


@dataclass(frozen=True)
class Exact:
    """A placement, ``proven`` where there is none better, and a bound on the bytes of any plan.

    The bound holds for plans that leave no more over ceilings than ``bound_for``, in shares of these.
    """

    place: Ints
    bound_bytes: float
    bound_for: float = 0.0
    proven: bool = False


@dataclass(frozen=True)
class Solution:
    """Where the free disks go, and what is over then, in shares."""

    place: Ints
    excess: float
    proven: bool


def fits(group: Group) -> bool:
    """Whether the group is small enough to be solved whole."""
    return int(group.reach.sum()) + len(group.disks) <= VARIABLES_MAX


def solve(group: Group, out: Ints, budget: Budget, steps: float, space_margin: float = 0.0) -> Exact:
    """The placement with least bytes moved that is found in ``steps``; as things are where there is no better one.

    Of the disks ``out`` as many as can leave where they lie do so, unless they are pinned.
    Without a ``space_margin`` (a share of a datastore's room) it may be over a fill ceiling by up to SPACE_MARGIN.
    """
    problem = whole(group, out)
    model = Model(problem, space_margin)
    found, allowed = _solved(model, budget, steps)
    bound = _bound(model, allowed, budget) * model.all_bytes
    return Exact(found.place, bound, found.excess, found.proven)


def solved(problem: Problem, budget: Budget, steps: float, hours: Hours | None = None) -> Solution:
    """The best placement of a problem's free disks that is found in ``steps``; ``now`` where none is better.

    ``hours``: those of pools that are known to matter.
    """
    if not len(problem.free):
        return Solution(problem.now, 0.0, proven=True)
    return _solved(Model(problem, SPACE_MARGIN, hours), budget, steps)[0]


def _solved(model: Model, budget: Budget, steps: float) -> tuple[Solution, Floats]:
    """What is found, and the slacks that were allowed for it: half of the steps go to these, the rest to bytes.

    Where nothing is over as things are now, all go to bytes.
    """
    place, allowed, proven, ends = model.problem.now, np.zeros(model.slacks), True, budget.spent + steps
    if model.start(place)[model.count :].any():
        cost = np.ones(model.slacks)
        # One disk more that leaves, or lies by its rules, outweighs all that ceilings may be passed by together.
        cost[model.ceilings :] += float(model.caps[: model.ceilings].sum())
        least = _Aim(np.concatenate([np.zeros(model.count), cost]), None)
        place, proven = _kept(model, least, place, budget, budget.spent + steps / 2)
        allowed = model.start(place)[model.count :]
        allowed = np.where(allowed < 1e-7, 0.0, allowed * (1 + 1e-6))
    fewest = _Aim(np.concatenate([model.move_cost + model.tie_cost, np.zeros(model.slacks)]), allowed)
    place, best = _kept(model, fewest, place, budget, ends)
    return Solution(place, float(allowed[: model.ceilings].sum()), proven and best), allowed


@dataclass(frozen=True)
class _Aim:
    """What is to be least, and how far the slacks may go; None for as far as they can."""

    cost: Floats
    caps: Floats | None


def _kept(model: Model, aim: _Aim, place: Ints, budget: Budget, ends: float) -> tuple[Ints, bool]:
    """A placement no worse than ``place`` that breaks none of the hours, those included that are no rows at first."""
    caps = model.caps if aim.caps is None else aim.caps
    for _ in range(ROUNDS_MAX):
        # What a round finds may break an hour that was no row: some of the steps are left for the next.
        steps = max(0.0, ends - budget.spent) * ROUND_SHARE
        found = solver.solved(model.programme(aim.cost, caps), budget, steps, model.start(place))
        if found.x is None:
            break
        tried = model.placed(found.x)
        if not model.broken_by(model.start(tried)):
            return tried, found.proven
        place = _between(model, aim.cost, caps, (place, tried), budget)
    return place, False


def _between(model: Model, cost: Floats, caps: Floats, places: tuple[Ints, Ints], budget: Budget) -> Ints:
    """The best of two placements, of which the second breaks hours: each disk is where one of them has it.

    With two places for a disk the programme is small, so that the hours it breaks in turn can be added a few times.
    """
    kept, tried = places
    either = (model.store == kept[model.disk]) | (model.store == tried[model.disk])
    for _ in range(ROUNDS_MAX):
        programme = model.programme(cost, caps)
        few = replace(programme, most=programme.most * np.concatenate([either, np.ones(model.slacks)]))
        found = solver.solved(few, budget, BETWEEN_STEPS, model.start(kept))
        if found.x is None:
            break
        place = model.placed(found.x)
        if not model.broken_by(model.start(place)):
            return place
    return kept


def _bound(model: Model, allowed: Floats, budget: Budget) -> float:
    """Least share of all bytes that may move, that leaves its place in the linear relaxation, as a share of 1.

    Of any plan that leaves no more over ceilings altogether than is ``allowed``, wherever that is.
    """
    # Of disks that stay where they may not there are no more than that.
    caps = np.concatenate([model.caps[: model.ceilings], allowed[model.ceilings :]])
    programme = model.programme(np.concatenate([model.move_cost, np.zeros(model.slacks)]), caps)
    over = np.arange(model.count + model.slacks)
    together = np.asarray((over >= model.count) & (over < model.count + model.ceilings), dtype=float)
    relaxed = Programme(
        programme.cost,
        sparse.csr_matrix(sparse.vstack([programme.matrix, sparse.csr_matrix(together[None])])),
        np.append(programme.low, -np.inf),
        np.append(programme.high, float(allowed[: model.ceilings].sum())),
        programme.most,
        np.zeros_like(programme.whole),
    )
    found = solver.solved(relaxed, budget)
    return 0.0 if found.x is None else float(programme.cost @ found.x)
