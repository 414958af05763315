"""All before it in one, for a database that is made anew; one of an older release goes through each of them."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def make_book(apps, schema_editor):
    """Before the first lots: two who make it at once would wait for one another for ever."""
    apps.get_model("lots", "HoldBook").objects.get_or_create(pk=1)


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ('lots', '0001_initial'),
        ('lots', '0002_run_sheets'),
        ('lots', '0003_device_settings'),
        ('lots', '0004_touched_steps'),
        ('lots', '0005_planned_times'),
        ('lots', '0006_lot_versions'),
        ('lots', '0007_step_params'),
        ('lots', '0008_holds'),
        ('lots', '0009_unknown_steps'),
        ('lots', '0010_restored'),
        ('lots', '0011_pulse_at'),
        ('lots', '0012_heartbeat'),
        ('lots', '0013_things_held'),
        ('lots', '0014_things'),
    ]

    dependencies = [
        ('inventory', '0031_from_the_start'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='HoldBook',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
            ],
        ),
        migrations.CreateModel(
            name='Pulse',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('count', models.PositiveBigIntegerField(default=0)),
                ('at', models.DateTimeField(auto_now=True)),
            ],
        ),
        migrations.CreateModel(
            name='Lot',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(max_length=16)),
                ('title', models.CharField(max_length=200)),
                ('state', models.CharField(choices=[('draft', 'Draft'), ('running', 'Running'), ('halting', 'Halting'), ('halted', 'Halted'), ('failed', 'Failed'), ('done', 'Done'), ('sheet', 'Sheet')], default='draft', max_length=8)),
                ('form', models.JSONField(default=dict)),
                ('origin', models.JSONField(default=dict)),
                ('plan', models.JSONField(default=dict)),
                ('documents_version', models.PositiveSmallIntegerField(default=1)),
                ('checks', models.JSONField(default=list)),
                ('checked_at', models.DateTimeField(null=True)),
                ('facts', models.JSONField(default=dict)),
                ('outcome', models.JSONField(default=dict)),
                ('created_at', models.DateTimeField(auto_now_add=True)),
                ('changed_at', models.DateTimeField(auto_now=True)),
                ('started_at', models.DateTimeField(null=True)),
                ('ended_at', models.DateTimeField(null=True)),
                ('driven_at', models.DateTimeField(null=True)),
                ('expected_at', models.DateTimeField(null=True)),
                ('drafted_as', models.CharField(blank=True, max_length=64)),
                ('barriers', models.JSONField(default=list)),
                ('created_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='lots', to=settings.AUTH_USER_MODEL)),
                ('undoes', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='undone_by', to='lots.lot')),
            ],
            options={
                'ordering': ['-id'],
            },
        ),
        migrations.CreateModel(
            name='Hold',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('thing', models.CharField(blank=True, max_length=340)),
                ('name', models.CharField(blank=True, max_length=340)),
                ('alone', models.BooleanField(default=True)),
                ('device', models.OneToOneField(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='hold', to='inventory.device')),
                ('lot', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='holds', to='lots.lot')),
            ],
        ),
        migrations.CreateModel(
            name='LotThing',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('thing', models.CharField(db_index=True, max_length=340)),
                ('lot', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='things', to='lots.lot')),
            ],
        ),
        migrations.CreateModel(
            name='LotVersion',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('digest', models.CharField(max_length=16)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('form', models.JSONField(default=dict)),
                ('steps', models.PositiveIntegerField()),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('lot', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='versions', to='lots.lot')),
            ],
        ),
        migrations.CreateModel(
            name='Step',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('position', models.PositiveIntegerField()),
                ('key', models.CharField(max_length=48, unique=True)),
                ('kind', models.CharField(max_length=32)),
                ('title', models.CharField(max_length=200)),
                ('detail', models.CharField(blank=True, max_length=300)),
                ('params', models.JSONField(default=dict)),
                ('params_version', models.PositiveSmallIntegerField(default=1)),
                ('needs', models.JSONField(default=list)),
                ('undoes', models.PositiveIntegerField(null=True)),
                ('slots', models.JSONField(default=list)),
                ('stated_seconds', models.FloatField(default=1)),
                ('estimate_seconds', models.FloatField(default=1)),
                ('planned_start', models.FloatField(default=0)),
                ('planned_end', models.FloatField(default=0)),
                ('state', models.CharField(choices=[('waiting', 'Waiting'), ('running', 'Running'), ('done', 'Done'), ('failed', 'Failed'), ('abandoned', 'Abandoned'), ('unknown', 'Unknown')], default='waiting', max_length=9)),
                ('task_uri', models.CharField(blank=True, max_length=255)),
                ('done_amount', models.FloatField(default=0)),
                ('total_amount', models.FloatField(default=0)),
                ('per_second', models.FloatField(default=0)),
                ('result', models.JSONField(default=dict)),
                ('believed', models.CharField(blank=True, max_length=9)),
                ('problem', models.JSONField(default=dict)),
                ('touched', models.BooleanField(default=False)),
                ('started_at', models.DateTimeField(null=True)),
                ('ended_at', models.DateTimeField(null=True)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='inventory.device')),
                ('lot', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='steps', to='lots.lot')),
            ],
            options={
                'ordering': ['position'],
            },
        ),
        migrations.CreateModel(
            name='StepPace',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(max_length=32)),
                ('device', models.PositiveBigIntegerField()),
                ('factors', models.JSONField(default=list)),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('kind', 'device'), name='step_pace_once')],
            },
        ),
        migrations.AddIndex(
            model_name='lot',
            index=models.Index(fields=['state'], name='lots_lot_state_012a48_idx'),
        ),
        migrations.AddConstraint(
            model_name='lot',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ['draft', 'running', 'halting', 'halted', 'failed', 'done', 'sheet'])), name='lot_state_known'),
        ),
        migrations.AddConstraint(
            model_name='lotthing',
            constraint=models.UniqueConstraint(fields=('lot', 'thing'), name='lot_thing_once'),
        ),
        migrations.AddConstraint(
            model_name='step',
            constraint=models.UniqueConstraint(fields=('lot', 'position'), name='step_position_once'),
        ),
        migrations.AddConstraint(
            model_name='step',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ['waiting', 'running', 'done', 'failed', 'abandoned', 'unknown'])), name='step_state_known'),
        ),
        migrations.RunPython(make_book, migrations.RunPython.noop),
    ]
