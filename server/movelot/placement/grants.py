"""What the storage team granted, and how much of it is promised already."""

from __future__ import annotations

import logging
from collections.abc import Collection, Sequence

from django.db.models import Q

from movelot.inventory.models import Grant, Pool, Volume
from movelot.lots.kinds import REGISTRY, Claim, kind_of
from movelot.lots.models import Lot
from movelot.problems import Problem
from movelot_core.units import format_size, parse_size

log = logging.getLogger(__name__)

# A lot in one of these states holds what it was started with.
HOLDING = (Lot.State.RUNNING, Lot.State.HALTING, Lot.State.HALTED)


def promised_bytes(besides: Lot | None = None) -> dict[int, int]:
    """By pool: sizes of volumes that are offered, exported or in a set, and of those that started lots will make."""
    in_use = Q(offers__isnull=False) | Q(exports__isnull=False) | Q(kind=Volume.Kind.MEMBER)
    used = Volume.objects.filter(in_use).distinct()
    offered = used.values_list("pool_id", "name", "size_bytes")
    found = {(pool, name): size for pool, name, size in offered}
    for _, claims in claims_of(HOLDING, besides):
        for claim in claims:
            found.setdefault((claim.pool_id, claim.name), claim.size_bytes)
    sums: dict[int, int] = {}
    for (pool, _name), size in found.items():
        sums[pool] = sums.get(pool, 0) + size
    return sums


def claims_of(states: Collection[str], besides: Lot | None = None) -> list[tuple[Lot, Sequence[Claim]]]:
    """The room in pools that each lot in one of the ``states`` takes, but for one lot."""
    claiming = [name for name, kind in REGISTRY.items() if kind.claims_room()]
    lots = Lot.objects.filter(kind__in=claiming, state__in=states).select_related("created_by")
    found: list[tuple[Lot, Sequence[Claim]]] = []
    for lot in lots.exclude(pk=besides.pk) if besides is not None and besides.pk else lots:
        kind = kind_of(lot.kind)
        try:
            plan = kind.plan_of(lot)
        except Problem as problem:
            # One lot of an older release must not keep all others from being drafted.
            log.warning("lot %s is not counted in any quota: %s", lot.pk, problem.title)
            continue
        found += [(lot, kind.claims(plan))] if plan else []
    return found


def quota_left(pool: Pool, promised: dict[int, int]) -> int | None:
    """Bytes of the pool's grant that are not promised: None when the whole pool is granted, 0 without a grant."""
    if not hasattr(pool, "grant"):
        return 0
    quota: int | None = pool.grant.quota_bytes
    return None if quota is None else quota - promised.get(pool.pk, 0)


def reserve(lot: Lot, claims: Sequence[Claim]) -> None:
    """Hold the grants that the ``claims`` of ``lot`` need, in the transaction that starts it: no two lots have both.

    The rows of the grants are locked until that transaction ends. Raises Problem when a grant is gone or too small.
    """
    wanted: dict[int, int] = {}
    for claim in claims:
        wanted[claim.pool_id] = wanted.get(claim.pool_id, 0) + claim.size_bytes
    names = [claim.name for claim in claims]
    made = set(Volume.objects.filter(pool__in=wanted, name__in=names).values_list("pool_id", "name"))
    grants = {
        grant.pool_id: grant
        for grant in Grant.objects.select_for_update().filter(pool__in=wanted).select_related("pool")
    }
    promised = promised_bytes(lot)
    for pool, size in wanted.items():
        grant = grants.get(pool)
        if grant is None:
            raise Problem(
                409,
                "not_granted",
                "The storage team has withdrawn a pool that this lot uses.",
                "Nothing was changed.",
                "Choose another pool, or ask for the grant.",
            )
        left = quota_left(grant.pool, promised)
        # What the lot itself has made and offered already counts as promised, not as still wanted.
        size -= sum(claim.size_bytes for claim in claims if claim.pool_id == pool and (pool, claim.name) in made)
        if left is not None and size > left:
            raise Problem(
                409,
                "quota",
                f"The quota of {grant.pool.name} no longer suffices.",
                f"{format_size(max(0, left))} left, {format_size(size)} needed. Nothing was changed.",
                "Make it smaller, choose another pool, or ask for a larger grant.",
            )


def quota_of(pool: Pool, text: str) -> int | None:
    """The quota that ``text`` means for ``pool``, None for the whole pool when it is empty.

    Raises SizeError for a text that is no size, Problem for more than the pool has or less than is promised.
    """
    quota = parse_size(text) if text.strip() else None
    if quota is not None and quota > pool.capacity_bytes:
        raise Problem(
            422,
            "quota_beyond_pool",
            f"{pool.name} has {format_size(pool.capacity_bytes)}; {format_size(quota)} cannot be granted of it.",
            "The grant stays as it was.",
            "Type less, or nothing for the whole pool.",
        )
    promised = promised_bytes().get(pool.pk, 0)
    if quota is not None and quota < promised:
        raise Problem(
            409,
            "quota_below_promised",
            f"{format_size(promised)} of {pool.name} are promised already; {format_size(quota)} is less.",
            "The grant stays as it was.",
            "Type more, or have volumes taken away first.",
        )
    return quota


def grant(pool: Pool, text: str, by: str) -> Grant:
    """Grant ``pool``, or the part of it that ``text`` means; raises as ``quota_of``."""
    made, _ = Grant.objects.update_or_create(
        pool=pool, defaults={"quota_bytes": quota_of(pool, text), "granted_by": by}
    )
    return made
