"""How long steps take: learned from what earlier ones took along the same route, else on the same device, else on any.

A kind of step states beforehand how long it should take, from sizes and rates as devices tell them. What is learned is
by which factor its kind is slower or faster than that: the median of the last ones. It holds for scans of fixed length
and for copies of any size alike. A copy is as fast as its two pools and the way between them: that is its route.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from statistics import median
from typing import Any

from movelot.inventory.bulk import insert
from movelot.lots.models import Lot, Step, StepPace
from movelot.lots.steps import KINDS
from movelot.lots.steps.base import StepKind

REMEMBERED = 20
# Fewer say too little.
ENOUGH = 3
LEAST_SECONDS = 0.05
ANY_DEVICE = 0

# Kind, device and route.
Key = tuple[str, int, str]


class Paces:
    """The factors by kind of step and device (primary key) or route, as learned so far."""

    def __init__(self, kinds: Iterable[str]) -> None:
        rows = StepPace.objects.filter(kind__in=set(kinds))
        self._factors = {(row.kind, row.device, row.route): row.factors for row in rows}

    def seconds(self, kind: str, device: int, stated: float, route: str = "") -> float:
        """How long a step is expected to take that states so many seconds."""
        factor = self._learned((kind, ANY_DEVICE, route), (kind, device, ""), (kind, ANY_DEVICE, ""))
        return stated if factor is None else max(LEAST_SECONDS, stated * factor)

    def by_route(self, kind: str) -> dict[str, float]:
        """The factor of each route of which enough is known; of "" that of any."""
        found = {route: self._learned((kind, ANY_DEVICE, route)) for at, _device, route in self._factors if at == kind}
        return {route: factor for route, factor in found.items() if factor is not None}

    def _learned(self, *keys: Key) -> float | None:
        for key in keys:
            known = self._factors.get(key, [])
            if len(known) >= ENOUGH:
                return float(median(known))
        return None


def routes_of(steps: Sequence[StepKind[Any]]) -> list[str]:
    """The route of each step; each kind is asked once for all of its own."""
    by_kind: dict[type[StepKind[Any]], list[int]] = {}
    for n, step in enumerate(steps):
        by_kind.setdefault(type(step), []).append(n)
    found = [""] * len(steps)
    for kind, numbers in by_kind.items():
        for n, route in zip(numbers, kind.routes([steps[n] for n in numbers]), strict=True):
            found[n] = route
    return found


def learn_from(lot: Lot) -> None:
    """Remember how long the steps of a lot took that has ended."""
    done = lot.steps.filter(state=Step.State.DONE, started_at__isnull=False, ended_at__isnull=False)
    rows = list(done.order_by("ended_at").values(*READ))
    took: dict[Key, list[float]] = {}
    for row, route in zip(rows, _routes(rows), strict=True):
        duration = (row["ended_at"] - row["started_at"]).total_seconds()
        factor = max(LEAST_SECONDS, duration) / max(row["stated_seconds"], LEAST_SECONDS)
        keys = {(row["kind"], row["device_id"], ""), (row["kind"], ANY_DEVICE, ""), (row["kind"], ANY_DEVICE, route)}
        for key in keys:
            took.setdefault(key, []).append(round(factor, 4))
    known = {
        (row.kind, row.device, row.route): row.factors
        for row in StepPace.objects.filter(kind__in={kind for kind, _device, _route in took})
    }
    paces = [
        {
            "kind": kind,
            "device": device,
            "route": route,
            "factors": [*known.get((kind, device, route), []), *news][-REMEMBERED:],
        }
        for (kind, device, route), news in took.items()
    ]
    insert(StepPace, paces, ("factors",))


READ = ("kind", "device_id", "stated_seconds", "started_at", "ended_at", "params", "params_version")


def _routes(rows: Sequence[dict[str, Any]]) -> list[str]:
    """The routes of stored steps."""
    return routes_of([KINDS[row["kind"]].read(row["params"], row["params_version"]) for row in rows])
