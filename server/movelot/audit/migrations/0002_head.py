"""The head of the trail, before the first entries: two who make it at once would wait for one another for ever."""

from django.db import migrations


def make_head(apps, schema_editor):
    apps.get_model("audit", "Head").objects.get_or_create(pk=1)


class Migration(migrations.Migration):
    dependencies = [("audit", "0001_initial")]

    operations = [migrations.RunPython(make_head, migrations.RunPython.noop)]
