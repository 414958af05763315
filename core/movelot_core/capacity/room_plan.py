"""The cheapest acts that give every place the room it needs: what comes back, and what is grown.

A place (a pool or a datastore) needs bytes; an act gives bytes to one place or several and costs hours. What is grown
takes of a store that has only so much, as a pool's free bytes or its grant; what comes back may add to it. First as
little as possible is left short, all shares of needs together, then the cheapest acts that do that are chosen, by mixed
integer programming (HiGHS).

Worked example: a pool needs 3 TiB. Dead space gives 3 TiB for 4 hours, deduplication 5 TiB for 6, merging snapshots 1
TiB for 1. Dead space alone is cheapest: 4 hours. Were 3.5 needed, dead space and snapshots take 5, less than the 6 of
deduplication. Two datastores want 2 and 3 TiB more of a pool that has 4: one of them is grown, unless 1 comes back.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from scipy import sparse

from movelot_core import solver
from movelot_core.latency import Floats
from movelot_core.solver import Budget, Programme

# What a solution may be off by: the solver works with floating point, on needs scaled to 1.
SLACK = 1e-6
STEPS = 4000.0


@dataclass(frozen=True)
class Act:
    """What gives room: bytes by place, at a cost in hours; ``takes`` are bytes by store, negative where it adds."""

    gives: Mapping[str, int]
    cost: float
    takes: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class RoomPlan:
    """The places in ``acts`` of those chosen, cheapest order kept; what each place gets, and lacks still."""

    chosen: tuple[int, ...]
    gets: Mapping[str, int]
    short: Mapping[str, int]


@dataclass(frozen=True)
class _Model:
    """``gains`` [places, acts] in shares of needs, 1 at most.

    ``takes`` [stores, acts] and ``has`` [stores] are in shares of what the largest act takes of a store.
    """

    gains: Floats
    takes: Floats
    has: Floats
    costs: Floats

    def lawful(self, chosen: Sequence[int]) -> bool:
        return bool((self.takes[:, list(chosen)].sum(axis=1) <= self.has + SLACK).all())

    def short(self, chosen: Sequence[int]) -> Floats:
        """[places] The share of each need that is left."""
        return np.asarray(np.maximum(0.0, 1.0 - self.gains[:, list(chosen)].sum(axis=1)))


def room_plan(needs: Mapping[str, int], acts: Sequence[Act], stores: Mapping[str, int] | None = None) -> RoomPlan:
    """The cheapest choice. An act that neither gives nor adds anything that is needed is never chosen.

    ``stores`` says how much of each there is to be taken; of one that is not in it there is as much as is wanted.
    """
    places = sorted(place for place, need in needs.items() if need > 0)
    limits = stores or {}
    useful = [n for n, act in enumerate(acts) if _helps(act, places, limits)]
    if not places or not useful:
        return RoomPlan((), dict.fromkeys(places, 0), {place: needs[place] for place in places})
    model = _model(places, needs, [acts[n] for n in useful], limits)
    kept = [useful[n] for n in _without_idle(model, _chosen(model))]
    gets = {place: sum(acts[n].gives.get(place, 0) for n in kept) for place in places}
    return RoomPlan(tuple(kept), gets, {place: max(0, needs[place] - gets[place]) for place in places})


def _helps(act: Act, places: Sequence[str], limits: Mapping[str, int]) -> bool:
    adds = any(size < 0 and store in limits for store, size in act.takes.items())
    return adds or any(act.gives.get(place, 0) > 0 for place in places)


def _model(places: Sequence[str], needs: Mapping[str, int], acts: Sequence[Act], limits: Mapping[str, int]) -> _Model:
    gains = np.array([[act.gives.get(place, 0) / needs[place] for act in acts] for place in places])
    # No act counts for more than all that is needed: figures stay near 1.
    gains = np.clip(gains, 0.0, 1.0)
    stores = sorted(store for store in limits if any(store in act.takes for act in acts))
    whole = {store: max(1, *(abs(act.takes.get(store, 0)) for act in acts)) for store in stores}
    takes = np.array([[act.takes.get(store, 0) / whole[store] for act in acts] for store in stores], dtype=np.float64)
    has = np.array([max(0, limits[store]) / whole[store] for store in stores], dtype=np.float64)
    costs = np.array([act.cost for act in acts], dtype=np.float64)
    return _Model(gains, takes.reshape(len(stores), len(acts)), has, costs)


def _chosen(model: _Model) -> list[int]:
    """First the least that is left short, then the least cost that leaves no more."""
    places, acts = model.gains.shape
    nothing = np.zeros(acts)
    least = _solved(model, np.concatenate([nothing, np.ones(places)]), None)
    if least is None:
        return _greedy(model)
    left = float(model.short(least).sum())
    # Of acts that cost alike fewer are better.
    cheapest = _solved(model, np.concatenate([model.costs + 1e-3, np.zeros(places)]), left)
    return least if cheapest is None else cheapest


def _solved(model: _Model, weights: Floats, most_short: float | None) -> list[int] | None:
    """The acts that weigh least with what they leave short; None where the solver found none in its steps."""
    places, acts = model.gains.shape
    stores = len(model.has)
    rows = [
        np.hstack([model.gains, np.eye(places)]),
        np.hstack([model.takes, np.zeros((stores, places))]),
        np.concatenate([np.zeros(acts), np.ones(places)])[None, :],
    ]
    programme = Programme(
        weights,
        sparse.csr_matrix(np.vstack(rows)),
        np.concatenate([np.full(places, 1.0 - SLACK), np.full(stores + 1, -np.inf)]),
        np.concatenate([np.full(places, np.inf), model.has, [np.inf if most_short is None else most_short + SLACK]]),
        np.ones(acts + places),
        np.concatenate([np.ones(acts, dtype=bool), np.zeros(places, dtype=bool)]),
    )
    found = solver.solved(programme, Budget(STEPS))
    return None if found.x is None else [n for n in range(acts) if found.x[n] > 0.5]


def _greedy(model: _Model) -> list[int]:
    """What the solver had no steps for: acts by cost, as far as stores last."""
    kept: list[int] = []
    for n in np.argsort(model.costs, kind="stable"):
        if model.lawful([*kept, int(n)]):
            kept.append(int(n))
    return kept


def _without_idle(model: _Model, chosen: Sequence[int]) -> list[int]:
    """Leave out, dearest first, what the others do not need."""
    kept, left = list(chosen), float(model.short(chosen).sum())
    for n in sorted(chosen, key=lambda each: (-model.costs[each], each)):
        others = [each for each in kept if each != n]
        if model.lawful(others) and float(model.short(others).sum()) <= left + SLACK:
            kept = others
    return sorted(kept, key=lambda each: (model.costs[each], each))
