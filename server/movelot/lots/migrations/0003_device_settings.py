"""Lots that set path policies are lots that set a setting of devices: they stay to be read, run on and undone."""

from typing import Any

from django.db import migrations


def rename(apps: Any, _editor: Any) -> None:
    for lot in apps.get_model("lots", "Lot").objects.filter(kind="path_policy"):
        lot.kind = "device_settings"
        for kept in (lot.form, lot.origin, lot.plan):
            if "policy" in kept:
                kept |= {"setting": "path_policy", "value": kept.pop("policy")}
        lot.save(update_fields=["kind", "form", "origin", "plan"])
    for step in apps.get_model("lots", "Step").objects.filter(kind="set_path_policies"):
        step.kind, step.params = "set_devices", {**step.params, "setting": "path_policy"}
        step.save(update_fields=["kind", "params"])


class Migration(migrations.Migration):
    dependencies = [("lots", "0002_run_sheets")]
    operations = [migrations.RunPython(rename, migrations.RunPython.noop)]
