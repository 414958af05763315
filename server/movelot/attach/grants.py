"""What the storage team granted, and how much of it is promised already."""

from __future__ import annotations

from django.db.models import Q

from movelot.inventory.models import Grant, Pool, Volume
from movelot.lots.models import Lot
from movelot.problems import Problem
from movelot_core.units import format_size, parse_size

# Kinds of lots whose plan names volumes that they make.
ATTACHING = ("attach", "attach_file", "attach_set")
# A lot in one of these states holds what it was started with.
HOLDING = (Lot.State.RUNNING, Lot.State.HALTING, Lot.State.HALTED)


def promised_bytes(besides: Lot | None = None) -> dict[int, int]:
    """By pool: sizes of volumes that are offered, exported or in a set, and of those that started lots will make."""
    in_use = Q(offers__isnull=False) | Q(exports__isnull=False) | Q(kind=Volume.Kind.MEMBER)
    used = Volume.objects.filter(in_use).distinct()
    offered = used.values_list("pool_id", "name", "size_bytes")
    found = {(pool, name): size for pool, name, size in offered}
    lots = Lot.objects.filter(kind__in=ATTACHING, state__in=HOLDING)
    if besides is not None:
        lots = lots.exclude(pk=besides.pk)
    for plan in lots.values_list("plan", flat=True):
        for volume in plan.get("volumes", []):
            found.setdefault((volume["pool_id"], volume["name"]), volume["size_bytes"])
    sums: dict[int, int] = {}
    for (pool, _name), size in found.items():
        sums[pool] = sums.get(pool, 0) + size
    return sums


def quota_left(pool: Pool, promised: dict[int, int]) -> int | None:
    """Bytes of the pool's grant that are not promised: None when the whole pool is granted, 0 without a grant."""
    if not hasattr(pool, "grant"):
        return 0
    quota: int | None = pool.grant.quota_bytes
    return None if quota is None else quota - promised.get(pool.pk, 0)


def reserve(lot: Lot) -> None:
    """Hold the grants that ``lot`` needs, in the transaction that starts it, so that two lots cannot both have them.

    The rows of the grants are locked until that transaction ends. Raises Problem when a grant is gone or too small.
    """
    wanted: dict[int, int] = {}
    for volume in lot.plan.get("volumes", []):
        wanted[volume["pool_id"]] = wanted.get(volume["pool_id"], 0) + volume["size_bytes"]
    made = set(
        Volume.objects.filter(pool__in=wanted, name__in=[v["name"] for v in lot.plan.get("volumes", [])]).values_list(
            "name", flat=True
        )
    )
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
        size -= sum(v["size_bytes"] for v in lot.plan["volumes"] if v["pool_id"] == pool and v["name"] in made)
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
