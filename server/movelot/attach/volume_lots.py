"""What kinds of lots have in common that make volumes, whatever these are: the room they take in pools."""

from __future__ import annotations

from abc import ABC
from typing import Any, TypeVar

from movelot.attach.pools.fits import Fits, PlannedVolume, pools_named
from movelot.inventory.models import Pool
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.kinds import LotKind
from movelot.lots.models import Lot
from movelot.placement.grants import reserve
from movelot_core.attach import Verdict


class VolumePlan(LotPlan):
    """Base of the plans that name the volumes their lot makes."""

    volumes: list[PlannedVolume]


F = TypeVar("F", bound=LotForm)
P = TypeVar("P", bound=VolumePlan)


class VolumeLotKind(LotKind[F, P], ABC):
    """Makes volumes, and holds the room that was granted for them."""

    always_plans = True

    def claims(self, plan: P) -> list[PlannedVolume]:
        """The volumes that it makes."""
        return plan.volumes

    def reserve(self, lot: Lot, plan: P) -> None:
        """Hold the quota of the pools it uses; each has to be granted still."""
        reserve(lot, plan.volumes)


class OnePoolKind(VolumeLotKind[F, P], ABC):
    """Makes all of it in the one pool that its form names."""

    documents_version = 2

    def upgraded(self, form: dict[str, Any], plan: dict[str, Any], version: int) -> tuple[dict[str, Any], ...]:
        """The first version named the pool by its name."""
        chosen = {**plan, "pool_id": next(iter(pools_named([plan["pool"]])), None)} if plan else plan
        return {**form, "pool": next(iter(pools_named([form.get("pool", "")])), None)}, chosen


def pool_chosen(wanted: int | None, fits: Fits) -> Pool | None:
    """The pool asked for, else the best that is not refused, else the first; None where there is no pool at all."""
    named = next((pool for pool, _ in fits if pool.pk == wanted), None)
    best = next((pool for pool, fit in fits if fit.verdict != Verdict.REFUSED), fits[0][0] if fits else None)
    return named or best
