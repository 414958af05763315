"""All before it in one, for a database that is made anew; one of an older release goes through each of them."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ('jobs', '0001_initial'),
        ('jobs', '0002_files_of_jobs'),
    ]

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Job',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(max_length=24)),
                ('params', models.JSONField(default=dict)),
                ('state', models.CharField(choices=[('waiting', 'Waiting'), ('running', 'Running'), ('done', 'Done'), ('failed', 'Failed'), ('cancelled', 'Cancelled')], default='waiting', max_length=9)),
                ('text', models.CharField(blank=True, max_length=200)),
                ('done', models.PositiveIntegerField(default=0)),
                ('total', models.PositiveIntegerField(default=0)),
                ('result', models.JSONField(default=dict)),
                ('problem', models.JSONField(null=True)),
                ('cancel_asked', models.BooleanField(default=False)),
                ('asked_at', models.DateTimeField(auto_now_add=True)),
                ('started_at', models.DateTimeField(null=True)),
                ('ended_at', models.DateTimeField(null=True)),
                ('asked_by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='jobs', to=settings.AUTH_USER_MODEL)),
            ],
        ),
        migrations.CreateModel(
            name='FilePart',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('out', models.BooleanField(default=False)),
                ('number', models.PositiveIntegerField()),
                ('content', models.BinaryField()),
                ('job', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='parts', to='jobs.job')),
            ],
        ),
        migrations.AddIndex(
            model_name='job',
            index=models.Index(fields=['state'], name='jobs_job_state_7f24c5_idx'),
        ),
        migrations.AddConstraint(
            model_name='job',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ['waiting', 'running', 'done', 'failed', 'cancelled'])), name='job_state_known'),
        ),
        migrations.AddConstraint(
            model_name='filepart',
            constraint=models.UniqueConstraint(fields=('job', 'out', 'number'), name='file_part_once'),
        ),
    ]
