"""How long steps take: learned from what earlier ones took on the same device, else on any.

A kind of step states beforehand how long it should take, from sizes and rates as devices tell them. What is learned is
by which factor its kind is slower or faster than that: the median of the last ones. It holds for scans of fixed length
and for copies of any size alike.
"""

from __future__ import annotations

from collections.abc import Iterable
from statistics import median

from django.db.models import F

from movelot.inventory.bulk import insert
from movelot.lots.models import Lot, Step, StepPace

REMEMBERED = 20
# Fewer say too little.
ENOUGH = 3
LEAST_SECONDS = 0.05
ANY_DEVICE = 0


class Paces:
    """The factors by kind of step and device (primary key), as learned so far."""

    def __init__(self, kinds: Iterable[str]) -> None:
        rows = StepPace.objects.filter(kind__in=set(kinds))
        self._factors = {(row.kind, row.device): row.factors for row in rows}

    def seconds(self, kind: str, device: int, stated: float) -> float:
        """How long a step is expected to take that states so many seconds."""
        for key in ((kind, device), (kind, ANY_DEVICE)):
            known = self._factors.get(key, [])
            if len(known) >= ENOUGH:
                return max(LEAST_SECONDS, stated * float(median(known)))
        return stated


def learn_from(lot: Lot) -> None:
    """Remember how long the steps of a lot took that has ended."""
    done = lot.steps.filter(state=Step.State.DONE, started_at__isnull=False, ended_at__isnull=False)
    took: dict[tuple[str, int], list[float]] = {}
    rows = done.order_by("ended_at").values_list("kind", "device_id", "stated_seconds", F("ended_at") - F("started_at"))
    for kind, owner, stated, duration in rows:
        factor = max(LEAST_SECONDS, duration.total_seconds()) / max(stated, LEAST_SECONDS)
        for device in (owner, ANY_DEVICE):
            took.setdefault((kind, device), []).append(round(factor, 4))
    kinds = {kind for kind, _ in took}
    known = {(row.kind, row.device): row.factors for row in StepPace.objects.filter(kind__in=kinds)}
    paces = [
        {"kind": kind, "device": device, "factors": [*known.get((kind, device), []), *news][-REMEMBERED:]}
        for (kind, device), news in took.items()
    ]
    insert(StepPace, paces, ("factors",))
