"""What a datastore lies on is a row for each extent, no longer one serial beside it."""

from typing import Any

import django.db.models.deletion
from django.db import migrations, models
from django.utils.timezone import now

AT_ONCE = 5000


def from_serials(apps: Any, _editor: Any) -> None:
    extent, moment = apps.get_model("inventory", "Extent"), now()
    stores = apps.get_model("inventory", "Datastore")._base_manager.exclude(serial="")
    extent.objects.bulk_create(
        [
            extent(datastore_id=key, number=0, serial=serial, size_bytes=None, since=moment)
            for key, serial in stores.values_list("pk", "serial")
        ],
        batch_size=AT_ONCE,
    )


class Migration(migrations.Migration):
    dependencies = [("inventory", "0021_machine_listings")]
    operations = [
        migrations.CreateModel(
            name="Extent",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.PositiveIntegerField()),
                ("serial", models.CharField(db_index=True, max_length=64)),
                ("size_bytes", models.BigIntegerField(null=True)),
                ("since", models.DateTimeField()),
                (
                    "datastore",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="extents", to="inventory.datastore"
                    ),
                ),
            ],
            options={
                "ordering": ["datastore", "number"],
                "constraints": [models.UniqueConstraint(fields=("datastore", "number"), name="extent_once")],
            },
        ),
        migrations.RunPython(from_serials, migrations.RunPython.noop),
        migrations.RemoveField(model_name="datastore", name="serial"),
    ]
