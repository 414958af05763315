"""Daily figures of datastores, volumes and pools, kept for years: what capacity is told from."""

from __future__ import annotations

from datetime import UTC, datetime

from django.db.models import F, Sum

from movelot.inventory.bulk import insert
from movelot.inventory.models import Datastore, DatastoreDay, Pool, PoolDay, Volume, VolumeDay


def keep_figures(moment: datetime) -> None:
    """Write today's figures from the rows as they are; what today has already stays, as a day is what it began with."""
    day = moment.astimezone(UTC).date()
    stores = Datastore.objects.annotate(used=F("capacity_bytes") - F("free_bytes"))
    insert(
        DatastoreDay,
        (
            {"day": day, "datastore_id": key, "used_bytes": used, "capacity_bytes": capacity}
            for key, used, capacity in stores.values_list("pk", "used", "capacity_bytes")
        ),
        keep=True,
    )
    volumes = Volume.objects.values_list("pk", "size_bytes", "allocated_bytes", "reduced_bytes")
    insert(
        VolumeDay,
        (
            {"day": day, "volume_id": key, "promised_bytes": size, "allocated_bytes": held, "reduced_bytes": saved}
            for key, size, held, saved in volumes
        ),
        keep=True,
    )
    saved = dict(Volume.objects.values_list("pool").annotate(saved=Sum("reduced_bytes")).order_by())
    sizes = ("capacity_bytes", "allocated_bytes", "subscribed_bytes")
    insert(
        PoolDay,
        (
            {"day": day, "pool_id": key, **dict(zip(sizes, figures, strict=True)), "reduced_bytes": saved.get(key)}
            for key, *figures in Pool.objects.values_list("pk", *sizes)
        ),
        keep=True,
    )
