from __future__ import annotations

import django.db.models.deletion
from django.apps.registry import Apps
from django.db import migrations, models
from django.db.backends.base.schema import BaseDatabaseSchemaEditor


def hold_for_those_under_way(apps: Apps, _editor: BaseDatabaseSchemaEditor) -> None:
    """Lots that run while the release is changed have their devices to themselves as well."""
    step, hold = apps.get_model("lots", "Step"), apps.get_model("lots", "Hold")
    under_way = step.objects.filter(lot__state__in=["running", "halting"]).order_by("lot_id")
    pairs = under_way.values_list("device_id", "lot_id").distinct()
    hold.objects.bulk_create((hold(device_id=device, lot_id=lot) for device, lot in pairs), ignore_conflicts=True)


class Migration(migrations.Migration):
    dependencies = [("lots", "0007_step_params"), ("inventory", "0022_extents")]

    operations = [
        migrations.CreateModel(
            name="Hold",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                (
                    "device",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE, related_name="hold", to="inventory.device"
                    ),
                ),
                (
                    "lot",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="holds", to="lots.lot"
                    ),
                ),
            ],
        ),
        migrations.RunPython(hold_for_those_under_way, migrations.RunPython.noop),
    ]
