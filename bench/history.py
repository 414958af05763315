"""What history takes on disk: real rows in the tables, scaled to 20,000 disks and three years."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

import numpy as np

DISKS, STORES, POOLS, VOLUMES = 20_000, 200, 50, 300
YEARS_DAYS, LOAD_DAYS = 3 * 365, 45
SAMPLED_DISKS, SAMPLED_DAYS = 2_000, 20


def report() -> None:
    """Fills the tables of the large estate with days, and says what a row takes."""
    from django.db import connection

    from movelot.inventory.bulk import insert
    from movelot.inventory.models import (
        Datastore,
        DatastoreDay,
        Disk,
        DiskDay,
        Pool,
        PoolDay,
        PoolHour,
        Volume,
        VolumeDay,
    )

    today = date.today()
    days = [today - timedelta(days=n) for n in range(SAMPLED_DAYS)]
    years = [today - timedelta(days=1000 + n) for n in range(YEARS_DAYS)]
    loads = np.random.default_rng(1).random((24, 3)).astype(np.float32).tobytes()
    disks = list(Disk.objects.values_list("pk", flat=True)[:SAMPLED_DISKS])
    figures = {"used_bytes": 10**12, "capacity_bytes": 10**13}
    for day in days:
        insert(DiskDay, ({"day": day, "disk_id": disk, "pool_id": None, "loads": loads} for disk in disks), keep=True)
    for day in years:
        insert(DatastoreDay, ({"day": day, "datastore_id": key, **figures} for key in _keys(Datastore)), keep=True)
        of_volume = {"promised_bytes": 10**12, "allocated_bytes": 10**11, "reduced_bytes": 0}
        insert(VolumeDay, ({"day": day, "volume_id": key, **of_volume} for key in _keys(Volume)), keep=True)
        of_pool = {"capacity_bytes": 1, "allocated_bytes": 1, "subscribed_bytes": 1, "reduced_bytes": 0}
        insert(PoolDay, ({"day": day, "pool_id": key, **of_pool} for key in _keys(Pool)), keep=True)
    wanted = {
        DiskDay: DISKS * LOAD_DAYS,
        PoolHour: POOLS * LOAD_DAYS * 24,
        DatastoreDay: STORES * YEARS_DAYS,
        VolumeDay: VOLUMES * YEARS_DAYS,
        PoolDay: POOLS * YEARS_DAYS,
    }
    print(f"{'table':14} {'rows':>10} {'bytes a row':>12} {'MiB':>8}")
    with connection.cursor() as cursor:
        for model, rows in wanted.items():
            table = model._meta.db_table
            cursor.execute(f"ANALYZE TABLE {table}")
            cursor.fetchall()
            cursor.execute(
                "SELECT data_length + index_length, table_rows FROM information_schema.tables "
                "WHERE table_schema = DATABASE() AND table_name = %s",
                [table],
            )
            size, there = cursor.fetchone()
            each = size / there if there > 1000 else 120
            print(f"{table.removeprefix('inventory_'):14} {rows:>10,} {each:>12.0f} {rows * each / 2**20:>8.0f}")


_KNOWN: dict[Any, list[int]] = {}


def _keys(model: Any) -> list[int]:
    return _KNOWN.setdefault(model, list(model.objects.values_list("pk", flat=True)))
