"""What a device can do is a row by its code, no longer a list kept beside the device."""

from typing import Any

import django.db.models.deletion
from django.db import migrations, models

from movelot.inventory.capabilities import code_of


def as_rows(apps: Any, _editor: Any) -> None:
    capability = apps.get_model("inventory", "Capability")
    for device, listed in apps.get_model("inventory", "Device")._base_manager.values_list("pk", "capabilities"):
        rows = {code_of(name): (able, detail) for name, able, detail in listed or []}
        capability.objects.bulk_create(
            capability(device_id=device, code=code, able=able, detail=detail[:255])
            for code, (able, detail) in rows.items()
        )


class Migration(migrations.Migration):
    dependencies = [("inventory", "0018_faulty_devices")]
    operations = [
        migrations.CreateModel(
            name="Capability",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("code", models.CharField(max_length=64)),
                ("able", models.BooleanField()),
                ("detail", models.CharField(blank=True, max_length=255)),
                (
                    "device",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="can", to="inventory.device"
                    ),
                ),
            ],
            options={"ordering": ["pk"]},
        ),
        migrations.AddConstraint(
            model_name="capability",
            constraint=models.UniqueConstraint(fields=("device", "code"), name="capability_once_on_device"),
        ),
        migrations.RunPython(as_rows, migrations.RunPython.noop),
        migrations.RemoveField(model_name="device", name="capabilities"),
        migrations.AlterField(
            model_name="capability",
            name="device",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="capabilities", to="inventory.device"
            ),
        ),
    ]
