"""Which hosts list a machine is a row each, so that a second host that lists one for a while takes it from nobody."""

from typing import Any

import django.db.models.deletion
from django.db import migrations, models

AT_ONCE = 5000


def from_placements(apps: Any, _editor: Any) -> None:
    listing = apps.get_model("inventory", "MachineListing")
    rows = apps.get_model("inventory", "MachinePlacement").objects.values("machine_id", "host_id", "uri", "etag")
    listing.objects.bulk_create([listing(**row) for row in rows], batch_size=AT_ONCE)


class Migration(migrations.Migration):
    dependencies = [("inventory", "0020_paths_and_sessions_as_rows")]
    operations = [
        migrations.CreateModel(
            name="MachineListing",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("uri", models.CharField(max_length=255)),
                ("etag", models.CharField(blank=True, max_length=64)),
                (
                    "host",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="machine_listings",
                        to="inventory.device",
                    ),
                ),
                (
                    "machine",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="listings", to="inventory.machine"
                    ),
                ),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=("machine", "host"), name="machine_listed_once_on_host")]
            },
        ),
        migrations.RunPython(from_placements, migrations.RunPython.noop),
    ]
