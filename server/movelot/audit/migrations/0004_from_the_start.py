"""All before it in one, for a database that is made anew; one of an older release goes through each of them."""

from django.db import migrations, models


def make_head(apps, schema_editor):
    """The head of the trail, before the first entries: two who make it at once would wait for one another for ever."""
    apps.get_model("audit", "Head").objects.get_or_create(pk=1)


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ('audit', '0001_initial'),
        ('audit', '0002_head'),
        ('audit', '0003_cut'),
    ]

    dependencies = [
    ]

    operations = [
        migrations.CreateModel(
            name='Entry',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('at', models.DateTimeField(db_index=True)),
                ('who', models.CharField(db_index=True, max_length=150)),
                ('role', models.CharField(max_length=16)),
                ('address', models.CharField(max_length=64)),
                ('what', models.CharField(db_index=True, max_length=64)),
                ('subject', models.CharField(db_index=True, max_length=200)),
                ('before', models.JSONField(null=True)),
                ('after', models.JSONField(null=True)),
                ('previous', models.CharField(max_length=64)),
                ('digest', models.CharField(max_length=64, unique=True)),
            ],
            options={
                'ordering': ['-pk'],
            },
        ),
        migrations.CreateModel(
            name='Head',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('digest', models.CharField(blank=True, max_length=64)),
                ('entries', models.PositiveBigIntegerField(default=0)),
                ('cut', models.PositiveBigIntegerField(default=0)),
                ('cut_digest', models.CharField(blank=True, max_length=64)),
            ],
        ),
        migrations.RunPython(make_head, migrations.RunPython.noop),
    ]
