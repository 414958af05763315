"""Params of steps, forms and plans have a version, and lots have barriers between their steps."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("lots", "0006_lot_versions")]
    operations = [
        migrations.AddField(
            model_name="step", name="params_version", field=models.PositiveSmallIntegerField(default=1)
        ),
        migrations.AddField(model_name="step", name="undoes", field=models.PositiveIntegerField(null=True)),
        migrations.AddField(
            model_name="lot", name="documents_version", field=models.PositiveSmallIntegerField(default=1)
        ),
        migrations.AddField(model_name="lot", name="barriers", field=models.JSONField(default=list)),
    ]
