"""One row a disk and day instead of one an hour, features as columns, and daily figures of volumes and pools."""

from datetime import UTC
from itertools import groupby

import django.db.models.deletion
import numpy as np
from django.db import migrations, models

HOURS, AT_ONCE = 24, 2000


def _join_hours(apps, _schema):
    """Put the hours of each disk and day into one row, the newest pool with them."""
    DiskHour, DiskDay = apps.get_model("inventory", "DiskHour"), apps.get_model("inventory", "DiskDay")
    rows = DiskHour.objects.order_by("disk_id", "hour").values_list(
        "disk_id", "hour", "pool_id", "read_iops", "write_iops", "kib"
    )
    waiting = []
    for (disk, day), hours in groupby(
        rows.iterator(chunk_size=20000), key=lambda row: (row[0], row[1].astimezone(UTC).date())
    ):
        loads, pool = np.full((HOURS, 3), np.nan, dtype=np.float32), None
        for _, hour, pool, *values in hours:
            loads[hour.astimezone(UTC).hour] = values
        waiting.append(DiskDay(day=day, disk_id=disk, pool_id=pool, loads=loads.tobytes()))
        if len(waiting) == AT_ONCE:
            DiskDay.objects.bulk_create(waiting)
            waiting = []
    DiskDay.objects.bulk_create(waiting)


def _part_features(apps, _schema):
    PoolHour = apps.get_model("inventory", "PoolHour")
    names = ("reads", "writes", "read_sizes", "write_sizes")
    rows = list(PoolHour.objects.filter(features__isnull=False))
    for row in rows:
        for name, value in zip(names, row.features, strict=True):
            setattr(row, name, value)
    PoolHour.objects.bulk_update(rows, names, batch_size=AT_ONCE)


def _key():
    return ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID"))


def _of(model):
    return models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="days", to=f"inventory.{model}")


def _once(model, fields, name):
    return migrations.AddConstraint(model, models.UniqueConstraint(fields=fields, name=name))


class Migration(migrations.Migration):
    dependencies = [("inventory", "0015_durable_things")]

    operations = [
        migrations.CreateModel(
            "DiskDay",
            [
                _key(),
                ("day", models.DateField()),
                ("disk", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="load_days", to="inventory.disk")),
                ("pool", models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="inventory.pool")),
                ("loads", models.BinaryField(max_length=288)),
            ],
        ),
        migrations.RunPython(_join_hours),
        _once("diskday", ["day", "disk"], "disk_day_once"),
        migrations.DeleteModel("DiskHour"),
        *(migrations.AddField("poolhour", name, models.FloatField(null=True)) for name in ("reads", "writes", "read_sizes", "write_sizes")),
        migrations.RunPython(_part_features),
        migrations.RemoveField("poolhour", "features"),
        migrations.AlterField("poolhour", "latency_ms", models.FloatField(null=True)),
        # The foreign key needs an index of its own before the one that led with it goes.
        migrations.RunSQL("CREATE INDEX pool_hour_pool ON inventory_poolhour (pool_id)"),
        migrations.RemoveConstraint("poolhour", "pool_hour_once"),
        _once("poolhour", ["hour", "pool"], "pool_hour_once"),
        migrations.RunSQL("CREATE INDEX datastore_day_store ON inventory_datastoreday (datastore_id)"),
        migrations.RemoveConstraint("datastoreday", "datastore_day_once"),
        _once("datastoreday", ["day", "datastore"], "datastore_day_once"),
        migrations.AddField("datastoreday", "capacity_bytes", models.BigIntegerField(null=True)),
        migrations.AddField("pool", "coincidence_at", models.DateTimeField(null=True)),
        migrations.AddField("volume", "reduced_bytes", models.BigIntegerField(null=True)),
        migrations.CreateModel(
            "VolumeDay",
            [
                _key(),
                ("day", models.DateField()),
                ("promised_bytes", models.BigIntegerField()),
                ("allocated_bytes", models.BigIntegerField()),
                ("reduced_bytes", models.BigIntegerField(null=True)),
                ("volume", _of("volume")),
            ],
        ),
        _once("volumeday", ["day", "volume"], "volume_day_once"),
        migrations.CreateModel(
            "PoolDay",
            [
                _key(),
                ("day", models.DateField()),
                ("capacity_bytes", models.BigIntegerField()),
                ("allocated_bytes", models.BigIntegerField()),
                ("subscribed_bytes", models.BigIntegerField()),
                ("reduced_bytes", models.BigIntegerField(null=True)),
                ("pool", _of("pool")),
            ],
        ),
        _once("poolday", ["day", "pool"], "pool_day_once"),
    ]
