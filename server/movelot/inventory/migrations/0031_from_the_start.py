"""All before it in one, for a database that is made anew; one of an older release goes through each of them."""

import django.core.validators
import django.db.models.deletion
import django.db.models.functions.text
import movelot.inventory.models.kept
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ('inventory', '0001_initial'),
        ('inventory', '0002_paths_clock_contents'),
        ('inventory', '0003_grants'),
        ('inventory', '0004_file_storage'),
        ('inventory', '0005_imported_estates'),
        ('inventory', '0006_nvme'),
        ('inventory', '0007_volume_sets'),
        ('inventory', '0008_fibre_channel'),
        ('inventory', '0009_iscsi_sessions'),
        ('inventory', '0010_raw_volumes'),
        ('inventory', '0011_default_datastore'),
        ('inventory', '0012_drive_groups'),
        ('inventory', '0013_tiers'),
        ('inventory', '0014_device_settings'),
        ('inventory', '0015_durable_things'),
        ('inventory', '0016_years_of_history'),
        ('inventory', '0017_digests_by_aspect'),
        ('inventory', '0018_faulty_devices'),
        ('inventory', '0019_capabilities'),
        ('inventory', '0020_paths_and_sessions_as_rows'),
        ('inventory', '0021_machine_listings'),
        ('inventory', '0022_extents'),
        ('inventory', '0023_retention'),
        ('inventory', '0024_made_by'),
        ('inventory', '0025_trail_days'),
        ('inventory', '0026_searched'),
        ('inventory', '0027_policies'),
        ('inventory', '0028_machines'),
        ('inventory', '0029_wishes'),
        ('inventory', '0030_limits'),
    ]

    dependencies = [
        ('contenttypes', '0002_remove_content_type_name'),
    ]

    operations = [
        migrations.CreateModel(
            name='Cluster',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=64, unique=True)),
            ],
        ),
        migrations.CreateModel(
            name='Disk',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('gone_at', models.DateTimeField(db_index=True, null=True)),
                ('identity', models.CharField(max_length=128, unique=True)),
                ('name', models.CharField(max_length=128)),
                ('size_bytes', models.BigIntegerField()),
                ('written_bytes', models.BigIntegerField(null=True)),
                ('cap_iops', models.PositiveIntegerField(null=True)),
                ('floor_iops', models.PositiveIntegerField(null=True)),
                ('limited_by', models.CharField(blank=True, max_length=8)),
                ('pinned', models.BooleanField(default=False)),
                ('raw_serial', models.CharField(blank=True, db_index=True, max_length=64)),
                ('shared', models.BooleanField(default=False)),
                ('weekday_profile', models.BinaryField(default=b'', max_length=288)),
                ('weekend_profile', models.BinaryField(default=b'', max_length=288)),
                ('searched', models.GeneratedField(db_persist=True, expression=django.db.models.functions.text.Replace(django.db.models.functions.text.Lower(django.db.models.functions.text.Concat(models.F('name'), models.Value('\n'), models.F('identity'))), models.Value(':'), models.Value('')), output_field=models.CharField(db_collation='utf8mb4_bin', max_length=700))),
            ],
        ),
        migrations.CreateModel(
            name='Policy',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=64, unique=True)),
                ('number', models.PositiveIntegerField(default=1)),
                ('retired_at', models.DateTimeField(null=True)),
            ],
            options={
                'ordering': ['name'],
            },
        ),
        migrations.CreateModel(
            name='Retention',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('gone_days', models.PositiveIntegerField(validators=[django.core.validators.MinValueValidator(1), django.core.validators.MaxValueValidator(3660)])),
                ('figures_days', models.PositiveIntegerField(validators=[django.core.validators.MinValueValidator(90), django.core.validators.MaxValueValidator(3660)])),
                ('trail_days', models.PositiveIntegerField(default=0, validators=[movelot.inventory.models.kept._for_ever_or_long, django.core.validators.MaxValueValidator(3660)])),
            ],
        ),
        migrations.CreateModel(
            name='BalanceGroup',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=64, unique=True)),
                ('fill_ceiling', models.FloatField(default=0.82)),
                ('latency_ceiling_ms', models.FloatField(default=9.0)),
                ('cluster', models.OneToOneField(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='group', to='inventory.cluster')),
            ],
        ),
        migrations.CreateModel(
            name='Datastore',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('gone_at', models.DateTimeField(db_index=True, null=True)),
                ('identity', models.CharField(max_length=64, unique=True)),
                ('name', models.CharField(max_length=128)),
                ('capacity_bytes', models.BigIntegerField()),
                ('free_bytes', models.BigIntegerField()),
                ('other_bytes', models.BigIntegerField()),
                ('contents', models.JSONField(default=list)),
            ],
            options={
                'constraints': [models.CheckConstraint(condition=models.Q(('free_bytes__lte', models.F('capacity_bytes'))), name='datastore_free_in_capacity')],
            },
        ),
        migrations.CreateModel(
            name='Device',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('gone_at', models.DateTimeField(db_index=True, null=True)),
                ('name', models.CharField(db_index=True, max_length=64)),
                ('identity', models.CharField(blank=True, db_index=True, max_length=64)),
                ('unlinked', models.PositiveBigIntegerField(default=0)),
                ('kind', models.CharField(choices=[('array', 'Array'), ('host', 'Host')], max_length=8)),
                ('url', models.URLField(null=True, unique=True)),
                ('user', models.CharField(blank=True, max_length=64)),
                ('sealed_password', models.BinaryField(default=b'', max_length=512)),
                ('certificate_pem', models.TextField(blank=True)),
                ('fingerprint', models.CharField(blank=True, max_length=95)),
                ('state', models.CharField(choices=[('linked', 'Linked'), ('away', 'Away'), ('refused', 'Refused'), ('certificate', 'Certificate'), ('faulty', 'Faulty'), ('imported', 'Imported')], default='linked', max_length=12)),
                ('detail', models.CharField(blank=True, max_length=300)),
                ('initiator', models.CharField(blank=True, max_length=223)),
                ('nqn', models.CharField(blank=True, max_length=223)),
                ('queue_depth', models.PositiveIntegerField(default=0)),
                ('target', models.CharField(blank=True, max_length=223)),
                ('default_datastore', models.CharField(blank=True, max_length=64)),
                ('copy_bytes_per_second', models.FloatField(default=0)),
                ('burst_factor', models.FloatField(default=1)),
                ('scan_seconds', models.FloatField(default=5)),
                ('clock_offset_seconds', models.FloatField(null=True)),
                ('file_client', models.JSONField(default=dict)),
                ('set_limits', models.JSONField(default=dict)),
                ('read_at', models.DateTimeField(null=True)),
                ('digest', models.CharField(blank=True, max_length=64)),
                ('digests', models.JSONField(default=dict)),
                ('telemetry_until', models.DateTimeField(null=True)),
                ('cluster', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='devices', to='inventory.cluster')),
            ],
        ),
        migrations.CreateModel(
            name='Capability',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('code', models.CharField(max_length=64)),
                ('able', models.BooleanField()),
                ('detail', models.CharField(blank=True, max_length=255)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='capabilities', to='inventory.device')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='DiskPlacement',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('since', models.DateTimeField()),
                ('datastore', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='disk_placements', to='inventory.datastore')),
                ('disk', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='placement', to='inventory.disk')),
            ],
        ),
        migrations.CreateModel(
            name='Extent',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('serial', models.CharField(db_index=True, max_length=64)),
                ('size_bytes', models.BigIntegerField(null=True)),
                ('since', models.DateTimeField()),
                ('datastore', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='extents', to='inventory.datastore')),
            ],
            options={
                'ordering': ['datastore', 'number'],
            },
        ),
        migrations.CreateModel(
            name='GroupMember',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('datastore', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='membership', to='inventory.datastore')),
                ('group', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='members', to='inventory.balancegroup')),
            ],
        ),
        migrations.AddField(
            model_name='balancegroup',
            name='datastores',
            field=models.ManyToManyField(related_name='groups', through='inventory.GroupMember', to='inventory.datastore'),
        ),
        migrations.CreateModel(
            name='HostInitiator',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('identifier', models.CharField(db_index=True, max_length=223)),
                ('known_by', models.CharField(max_length=8)),
                ('host', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='host_initiators', to='inventory.device')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='HostPort',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=128)),
                ('uri', models.CharField(max_length=255)),
                ('etag', models.CharField(blank=True, max_length=64)),
                ('protocol', models.CharField(default='iSCSI', max_length=16)),
                ('network', models.CharField(max_length=64)),
                ('vlan', models.PositiveIntegerField()),
                ('up', models.BooleanField()),
                ('frame_bytes', models.PositiveIntegerField(default=9000)),
                ('switch', models.CharField(blank=True, max_length=64)),
                ('active_uplinks', models.JSONField(default=list)),
                ('standby_uplinks', models.JSONField(default=list)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='%(class)ss', to='inventory.device')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Initiator',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=128)),
                ('uri', models.CharField(max_length=255)),
                ('etag', models.CharField(blank=True, max_length=64)),
                ('identifier', models.CharField(max_length=223)),
                ('chap', models.CharField(blank=True, max_length=16)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='%(class)ss', to='inventory.device')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='InitiatorSet',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('digest', models.CharField(max_length=32)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='initiator_sets', to='inventory.device')),
            ],
        ),
        migrations.CreateModel(
            name='AdmittedInitiator',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('identifier', models.CharField(db_index=True, max_length=223)),
                ('initiator_set', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='admitted', to='inventory.initiatorset')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='KnownTarget',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(db_index=True, max_length=223)),
                ('protocol', models.CharField(max_length=16)),
                ('chap', models.CharField(blank=True, max_length=16)),
                ('host', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='known_targets', to='inventory.device')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='Label',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('object_id', models.PositiveBigIntegerField()),
                ('key', models.CharField(max_length=32)),
                ('value', models.CharField(max_length=64)),
                ('content_type', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='contenttypes.contenttype')),
            ],
        ),
        migrations.CreateModel(
            name='Machine',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('gone_at', models.DateTimeField(db_index=True, null=True)),
                ('identity', models.CharField(max_length=128, unique=True)),
                ('name', models.CharField(db_index=True, max_length=128)),
                ('os', models.CharField(max_length=64)),
                ('address', models.CharField(max_length=64)),
                ('power', models.CharField(max_length=16)),
                ('processors', models.PositiveIntegerField(default=0)),
                ('memory_bytes', models.BigIntegerField(default=0)),
                ('home', models.CharField(blank=True, max_length=64)),
                ('searched', models.GeneratedField(db_persist=True, expression=django.db.models.functions.text.Replace(django.db.models.functions.text.Lower(django.db.models.functions.text.Concat(models.F('name'), models.Value('\n'), models.F('address'), models.Value('\n'), models.F('identity'))), models.Value(':'), models.Value('')), output_field=models.CharField(db_collation='utf8mb4_bin', max_length=700))),
            ],
            options={
                'indexes': [models.Index(fields=['gone_at', 'searched'], name='inventory_m_gone_at_66bd4d_idx')],
            },
        ),
        migrations.AddField(
            model_name='disk',
            name='machine',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='disks', to='inventory.machine'),
        ),
        migrations.CreateModel(
            name='MachineListing',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('uri', models.CharField(max_length=255)),
                ('etag', models.CharField(blank=True, max_length=64)),
                ('host', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='machine_listings', to='inventory.device')),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='listings', to='inventory.machine')),
            ],
        ),
        migrations.CreateModel(
            name='MachinePlacement',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('since', models.DateTimeField()),
                ('uri', models.CharField(max_length=255)),
                ('etag', models.CharField(blank=True, max_length=64)),
                ('host', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='machine_placements', to='inventory.device')),
                ('machine', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='placement', to='inventory.machine')),
            ],
        ),
        migrations.CreateModel(
            name='MachineSnapshot',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=128)),
                ('parent', models.CharField(blank=True, max_length=128)),
                ('taken_at', models.DateTimeField(null=True)),
                ('standing', models.BooleanField(default=False)),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='snapshots', to='inventory.machine')),
            ],
            options={
                'ordering': ['taken_at', 'pk'],
            },
        ),
        migrations.CreateModel(
            name='MachineSummary',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('disks', models.PositiveIntegerField()),
                ('provisioned_bytes', models.BigIntegerField()),
                ('written_bytes', models.BigIntegerField(null=True)),
                ('snapshots', models.PositiveIntegerField()),
                ('snapshot_bytes', models.BigIntegerField()),
                ('peak_iops', models.FloatField()),
                ('peak_hour', models.PositiveIntegerField(null=True)),
                ('latency_ms', models.FloatField(null=True)),
                ('state', models.CharField(blank=True, max_length=13)),
                ('out', models.PositiveIntegerField()),
                ('policies', models.CharField(blank=True, max_length=200)),
                ('labels', models.CharField(blank=True, max_length=200)),
                ('machine', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='summary', to='inventory.machine')),
            ],
        ),
        migrations.CreateModel(
            name='PathSet',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('digest', models.CharField(max_length=32)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='path_sets', to='inventory.device')),
            ],
        ),
        migrations.CreateModel(
            name='Path',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('port', models.CharField(max_length=64)),
                ('portal', models.CharField(db_index=True, max_length=64)),
                ('access', models.CharField(blank=True, max_length=32)),
                ('path_set', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='paths', to='inventory.pathset')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='Mount',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('server', models.CharField(blank=True, db_index=True, max_length=253)),
                ('path', models.CharField(blank=True, max_length=255)),
                ('version', models.CharField(blank=True, max_length=16)),
                ('datastore', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='mounts', to='inventory.datastore')),
                ('host', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='mounts', to='inventory.device')),
                ('path_set', models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='mounts', to='inventory.pathset')),
            ],
        ),
        migrations.CreateModel(
            name='HostDevice',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=128)),
                ('uri', models.CharField(max_length=255)),
                ('etag', models.CharField(blank=True, max_length=64)),
                ('serial', models.CharField(db_index=True, max_length=64)),
                ('size_bytes', models.BigIntegerField()),
                ('lun', models.PositiveIntegerField()),
                ('signature_kind', models.CharField(max_length=32)),
                ('path_policy', models.CharField(max_length=32)),
                ('queue_depth', models.PositiveIntegerField(default=0)),
                ('turn_ios', models.PositiveIntegerField(default=0)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='%(class)ss', to='inventory.device')),
                ('path_set', models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='hostdevices', to='inventory.pathset')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='PastCompliance',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('state', models.CharField(max_length=13)),
                ('reason', models.CharField(blank=True, max_length=300)),
                ('since', models.DateTimeField()),
                ('until', models.DateTimeField()),
                ('disk', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='past_compliance', to='inventory.disk')),
                ('policy', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='past_disks', to='inventory.policy')),
            ],
            options={
                'ordering': ['-until', '-pk'],
            },
        ),
        migrations.CreateModel(
            name='GivenPolicy',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('label', models.CharField(max_length=100, null=True, unique=True)),
                ('by', models.CharField(max_length=150)),
                ('at', models.DateTimeField(auto_now=True)),
                ('cluster', models.OneToOneField(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='given_policy', to='inventory.cluster')),
                ('datastore', models.OneToOneField(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='given_policy', to='inventory.datastore')),
                ('disk', models.OneToOneField(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='given_policy', to='inventory.disk')),
                ('machine', models.OneToOneField(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='given_policy', to='inventory.machine')),
                ('policy', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='given', to='inventory.policy')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='Compliance',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('because', models.CharField(max_length=32)),
                ('state', models.CharField(choices=[('in policy', 'In'), ('out of policy', 'Out'), ('not judged', 'Unknown')], max_length=13)),
                ('reason', models.CharField(blank=True, max_length=300)),
                ('since', models.DateTimeField()),
                ('disk', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='compliance', to='inventory.disk')),
                ('policy', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='disks', to='inventory.policy')),
            ],
        ),
        migrations.CreateModel(
            name='PolicyPlace',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('answer', models.CharField(max_length=16)),
                ('reasons', models.JSONField(default=list)),
                ('datastore', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='policy_places', to='inventory.datastore')),
                ('policy', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='places', to='inventory.policy')),
            ],
        ),
        migrations.CreateModel(
            name='PolicyVersion',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('requirements', models.JSONField(default=list)),
                ('note', models.CharField(blank=True, max_length=200)),
                ('by', models.CharField(max_length=150)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('policy', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='versions', to='inventory.policy')),
            ],
            options={
                'ordering': ['-number'],
            },
        ),
        migrations.CreateModel(
            name='PolicyWish',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(max_length=48, unique=True)),
                ('by', models.CharField(max_length=150)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('policy', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='wishes', to='inventory.policy')),
            ],
        ),
        migrations.CreateModel(
            name='Pool',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('gone_at', models.DateTimeField(db_index=True, null=True)),
                ('name', models.CharField(max_length=128)),
                ('uri', models.CharField(max_length=255)),
                ('etag', models.CharField(blank=True, max_length=64)),
                ('identity', models.CharField(max_length=128)),
                ('capacity_bytes', models.BigIntegerField()),
                ('allocated_bytes', models.BigIntegerField()),
                ('subscribed_bytes', models.BigIntegerField()),
                ('raid', models.CharField(blank=True, max_length=16)),
                ('media', models.CharField(blank=True, max_length=16)),
                ('drives', models.PositiveIntegerField(default=0)),
                ('spares', models.PositiveIntegerField(default=0)),
                ('page_bytes', models.BigIntegerField(default=0)),
                ('reduces', models.JSONField(default=list)),
                ('tiers', models.JSONField(default=list)),
                ('relocation', models.CharField(blank=True, max_length=16)),
                ('curve_l0_ms', models.FloatField(default=1.0)),
                ('curve_x_max', models.FloatField(default=1000.0)),
                ('curve_beta', models.FloatField(default=2.0)),
                ('curve_gamma', models.FloatField(default=0.1)),
                ('fit_error_ms', models.FloatField(default=0)),
                ('fit_samples', models.PositiveIntegerField(default=0)),
                ('fit_seen_max', models.FloatField(default=0)),
                ('fit_cautious', models.BooleanField(default=True)),
                ('coincidence', models.BinaryField(default=b'', max_length=192)),
                ('coincidence_at', models.DateTimeField(null=True)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='%(class)ss', to='inventory.device')),
            ],
        ),
        migrations.CreateModel(
            name='Grant',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('quota_bytes', models.BigIntegerField(null=True)),
                ('granted_by', models.CharField(max_length=150)),
                ('granted_at', models.DateTimeField(auto_now=True)),
                ('pool', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='grant', to='inventory.pool')),
            ],
        ),
        migrations.CreateModel(
            name='DriveGroup',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=128)),
                ('uri', models.CharField(max_length=255)),
                ('etag', models.CharField(blank=True, max_length=64)),
                ('raid', models.CharField(blank=True, max_length=16)),
                ('drives', models.PositiveIntegerField()),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='%(class)ss', to='inventory.device')),
                ('pool', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='drive_groups', to='inventory.pool')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='DiskDay',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('day', models.DateField()),
                ('loads', models.BinaryField(max_length=288)),
                ('disk', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='load_days', to='inventory.disk')),
                ('pool', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='inventory.pool')),
            ],
        ),
        migrations.CreateModel(
            name='PoolDay',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('day', models.DateField()),
                ('capacity_bytes', models.BigIntegerField()),
                ('allocated_bytes', models.BigIntegerField()),
                ('subscribed_bytes', models.BigIntegerField()),
                ('reduced_bytes', models.BigIntegerField(null=True)),
                ('pool', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='days', to='inventory.pool')),
            ],
        ),
        migrations.CreateModel(
            name='PoolHour',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('hour', models.DateTimeField()),
                ('latency_ms', models.FloatField(null=True)),
                ('reads', models.FloatField(null=True)),
                ('writes', models.FloatField(null=True)),
                ('read_sizes', models.FloatField(null=True)),
                ('write_sizes', models.FloatField(null=True)),
                ('pool', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='hours', to='inventory.pool')),
            ],
        ),
        migrations.CreateModel(
            name='Portal',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=128)),
                ('uri', models.CharField(max_length=255)),
                ('etag', models.CharField(blank=True, max_length=64)),
                ('protocol', models.CharField(default='iSCSI', max_length=16)),
                ('host_name', models.CharField(blank=True, max_length=253)),
                ('controller', models.CharField(max_length=32)),
                ('network', models.CharField(max_length=64)),
                ('vlan', models.PositiveIntegerField()),
                ('up', models.BooleanField()),
                ('frame_bytes', models.PositiveIntegerField(default=9000)),
                ('switch', models.CharField(blank=True, max_length=64)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='%(class)ss', to='inventory.device')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Reading',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('taken_at', models.DateTimeField()),
                ('seconds', models.FloatField()),
                ('digest', models.CharField(max_length=64)),
                ('changed', models.BooleanField()),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='readings', to='inventory.device')),
            ],
        ),
        migrations.CreateModel(
            name='Session',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('port', models.CharField(max_length=64)),
                ('portal', models.CharField(max_length=64)),
                ('target', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sessions', to='inventory.knowntarget')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='SnapshotPart',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('held_bytes', models.BigIntegerField()),
                ('disk', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='snapshot_parts', to='inventory.disk')),
                ('snapshot', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='parts', to='inventory.machinesnapshot')),
            ],
        ),
        migrations.CreateModel(
            name='Volume',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('gone_at', models.DateTimeField(db_index=True, null=True)),
                ('name', models.CharField(max_length=128)),
                ('uri', models.CharField(max_length=255)),
                ('etag', models.CharField(blank=True, max_length=64)),
                ('kind', models.CharField(choices=[('block', 'Block'), ('file', 'File'), ('set', 'Set'), ('member', 'Member')], default='block', max_length=8)),
                ('serial', models.CharField(max_length=64, unique=True)),
                ('size_bytes', models.BigIntegerField()),
                ('allocated_bytes', models.BigIntegerField()),
                ('controller', models.CharField(max_length=32)),
                ('thin', models.BooleanField()),
                ('reduced', models.JSONField(default=list)),
                ('reduced_bytes', models.BigIntegerField(null=True)),
                ('tiering', models.CharField(blank=True, max_length=16)),
                ('volumes_max', models.PositiveIntegerField(default=0)),
                ('set_serial', models.CharField(blank=True, db_index=True, max_length=64)),
                ('purpose', models.CharField(blank=True, max_length=16)),
                ('disk_identity', models.CharField(blank=True, db_index=True, max_length=128)),
                ('target', models.CharField(blank=True, max_length=223)),
                ('made_by', models.CharField(blank=True, db_index=True, max_length=48)),
                ('searched', models.GeneratedField(db_persist=True, expression=django.db.models.functions.text.Replace(django.db.models.functions.text.Lower(django.db.models.functions.text.Concat(models.F('name'), models.Value('\n'), models.F('serial'), models.Value('\n'), models.F('target'))), models.Value(':'), models.Value('')), output_field=models.CharField(db_collation='utf8mb4_bin', max_length=700))),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='%(class)ss', to='inventory.device')),
                ('pool', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='volumes', to='inventory.pool')),
            ],
        ),
        migrations.CreateModel(
            name='Offer',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=128)),
                ('uri', models.CharField(max_length=255)),
                ('etag', models.CharField(blank=True, max_length=64)),
                ('lun', models.PositiveIntegerField()),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='%(class)ss', to='inventory.device')),
                ('initiator_set', models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='offers', to='inventory.initiatorset')),
                ('volume', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='offers', to='inventory.volume')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Export',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=128)),
                ('uri', models.CharField(max_length=255)),
                ('etag', models.CharField(blank=True, max_length=64)),
                ('path', models.CharField(max_length=255)),
                ('versions', models.JSONField(default=list)),
                ('clients', models.JSONField(default=list)),
                ('root', models.BooleanField(default=False)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='%(class)ss', to='inventory.device')),
                ('volume', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='exports', to='inventory.volume')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='VolumeDay',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('day', models.DateField()),
                ('promised_bytes', models.BigIntegerField()),
                ('allocated_bytes', models.BigIntegerField()),
                ('reduced_bytes', models.BigIntegerField(null=True)),
                ('volume', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='days', to='inventory.volume')),
            ],
        ),
        migrations.CreateModel(
            name='Zone',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=128)),
                ('uri', models.CharField(max_length=255)),
                ('etag', models.CharField(blank=True, max_length=64)),
                ('fabric', models.CharField(max_length=64)),
                ('members', models.JSONField(default=list)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='%(class)ss', to='inventory.device')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='DatastoreDay',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('day', models.DateField()),
                ('used_bytes', models.BigIntegerField()),
                ('capacity_bytes', models.BigIntegerField(null=True)),
                ('datastore', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='days', to='inventory.datastore')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('day', 'datastore'), name='datastore_day_once')],
            },
        ),
        migrations.AddConstraint(
            model_name='device',
            constraint=models.UniqueConstraint(fields=('name', 'unlinked'), name='device_name_once'),
        ),
        migrations.AddConstraint(
            model_name='device',
            constraint=models.CheckConstraint(condition=models.Q(('kind__in', ['array', 'host'])), name='device_kind_known'),
        ),
        migrations.AddConstraint(
            model_name='device',
            constraint=models.CheckConstraint(condition=models.Q(('copy_bytes_per_second__gte', 0)), name='device_rate_not_negative'),
        ),
        migrations.AddConstraint(
            model_name='capability',
            constraint=models.UniqueConstraint(fields=('device', 'code'), name='capability_once_on_device'),
        ),
        migrations.AddConstraint(
            model_name='extent',
            constraint=models.UniqueConstraint(fields=('datastore', 'number'), name='extent_once'),
        ),
        migrations.AddConstraint(
            model_name='balancegroup',
            constraint=models.CheckConstraint(condition=models.Q(('fill_ceiling__gt', 0), ('fill_ceiling__lte', 1)), name='group_fill_is_share'),
        ),
        migrations.AddConstraint(
            model_name='balancegroup',
            constraint=models.CheckConstraint(condition=models.Q(('latency_ceiling_ms__gt', 0)), name='group_latency_positive'),
        ),
        migrations.AddConstraint(
            model_name='hostinitiator',
            constraint=models.UniqueConstraint(fields=('host', 'identifier'), name='host_initiator_once'),
        ),
        migrations.AddConstraint(
            model_name='hostport',
            constraint=models.UniqueConstraint(fields=('device', 'uri'), name='hostport_once_on_device'),
        ),
        migrations.AddConstraint(
            model_name='initiator',
            constraint=models.UniqueConstraint(fields=('device', 'uri'), name='initiator_once_on_device'),
        ),
        migrations.AddConstraint(
            model_name='initiatorset',
            constraint=models.UniqueConstraint(fields=('device', 'digest'), name='initiator_set_once_on_array'),
        ),
        migrations.AddConstraint(
            model_name='knowntarget',
            constraint=models.UniqueConstraint(fields=('host', 'name'), name='known_target_once_on_host'),
        ),
        migrations.AddIndex(
            model_name='label',
            index=models.Index(fields=['key', 'value'], name='inventory_l_key_aa9102_idx'),
        ),
        migrations.AddConstraint(
            model_name='label',
            constraint=models.UniqueConstraint(fields=('content_type', 'object_id', 'key'), name='label_once'),
        ),
        migrations.AddIndex(
            model_name='disk',
            index=models.Index(fields=['name'], name='inventory_d_name_e3b4a4_idx'),
        ),
        migrations.AddIndex(
            model_name='disk',
            index=models.Index(fields=['size_bytes'], name='inventory_d_size_by_133b2f_idx'),
        ),
        migrations.AddIndex(
            model_name='disk',
            index=models.Index(fields=['gone_at', 'searched'], name='inventory_d_gone_at_e0ef72_idx'),
        ),
        migrations.AddConstraint(
            model_name='disk',
            constraint=models.CheckConstraint(condition=models.Q(('size_bytes__gte', 0)), name='disk_size_not_negative'),
        ),
        migrations.AddConstraint(
            model_name='machinelisting',
            constraint=models.UniqueConstraint(fields=('machine', 'host'), name='machine_listed_once_on_host'),
        ),
        migrations.AddConstraint(
            model_name='machinesnapshot',
            constraint=models.UniqueConstraint(fields=('machine', 'name'), name='snapshot_once_of_machine'),
        ),
        migrations.AddIndex(
            model_name='machinesummary',
            index=models.Index(fields=['state'], name='inventory_m_state_b10ad7_idx'),
        ),
        migrations.AddConstraint(
            model_name='pathset',
            constraint=models.UniqueConstraint(fields=('device', 'digest'), name='path_set_once_on_host'),
        ),
        migrations.AddConstraint(
            model_name='mount',
            constraint=models.UniqueConstraint(fields=('datastore', 'host'), name='mounted_once'),
        ),
        migrations.AddConstraint(
            model_name='hostdevice',
            constraint=models.UniqueConstraint(fields=('device', 'uri'), name='hostdevice_once_on_device'),
        ),
        migrations.AddIndex(
            model_name='compliance',
            index=models.Index(fields=['policy', 'state'], name='inventory_c_policy__e5fed3_idx'),
        ),
        migrations.AddConstraint(
            model_name='compliance',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ['in policy', 'out of policy', 'not judged'])), name='compliance_state_known'),
        ),
        migrations.AddConstraint(
            model_name='policyplace',
            constraint=models.UniqueConstraint(fields=('policy', 'datastore'), name='policy_place_once'),
        ),
        migrations.AddConstraint(
            model_name='policyversion',
            constraint=models.UniqueConstraint(fields=('policy', 'number'), name='policy_version_once'),
        ),
        migrations.AddIndex(
            model_name='pool',
            index=models.Index(fields=['device', 'uri'], name='inventory_p_device__01e7d7_idx'),
        ),
        migrations.AddConstraint(
            model_name='pool',
            constraint=models.UniqueConstraint(fields=('device', 'identity'), name='pool_once_on_device'),
        ),
        migrations.AddConstraint(
            model_name='pool',
            constraint=models.CheckConstraint(condition=models.Q(('capacity_bytes__gte', 0)), name='pool_capacity_not_negative'),
        ),
        migrations.AddConstraint(
            model_name='grant',
            constraint=models.CheckConstraint(condition=models.Q(('quota_bytes__isnull', True), ('quota_bytes__gt', 0), _connector='OR'), name='grant_quota_positive'),
        ),
        migrations.AddConstraint(
            model_name='drivegroup',
            constraint=models.UniqueConstraint(fields=('device', 'uri'), name='drivegroup_once_on_device'),
        ),
        migrations.AddConstraint(
            model_name='diskday',
            constraint=models.UniqueConstraint(fields=('day', 'disk'), name='disk_day_once'),
        ),
        migrations.AddConstraint(
            model_name='poolday',
            constraint=models.UniqueConstraint(fields=('day', 'pool'), name='pool_day_once'),
        ),
        migrations.AddConstraint(
            model_name='poolhour',
            constraint=models.UniqueConstraint(fields=('hour', 'pool'), name='pool_hour_once'),
        ),
        migrations.AddConstraint(
            model_name='portal',
            constraint=models.UniqueConstraint(fields=('device', 'uri'), name='portal_once_on_device'),
        ),
        migrations.AddIndex(
            model_name='reading',
            index=models.Index(fields=['device', '-taken_at'], name='inventory_r_device__906cfb_idx'),
        ),
        migrations.AddConstraint(
            model_name='snapshotpart',
            constraint=models.UniqueConstraint(fields=('snapshot', 'disk'), name='snapshot_part_once'),
        ),
        migrations.AddIndex(
            model_name='volume',
            index=models.Index(fields=['device', 'uri'], name='inventory_v_device__82a2c6_idx'),
        ),
        migrations.AddIndex(
            model_name='volume',
            index=models.Index(fields=['gone_at', 'searched'], name='inventory_v_gone_at_2649d9_idx'),
        ),
        migrations.AddConstraint(
            model_name='offer',
            constraint=models.UniqueConstraint(fields=('device', 'uri'), name='offer_once_on_device'),
        ),
        migrations.AddConstraint(
            model_name='export',
            constraint=models.UniqueConstraint(fields=('device', 'uri'), name='export_once_on_device'),
        ),
        migrations.AddConstraint(
            model_name='volumeday',
            constraint=models.UniqueConstraint(fields=('day', 'volume'), name='volume_day_once'),
        ),
        migrations.AddConstraint(
            model_name='zone',
            constraint=models.UniqueConstraint(fields=('device', 'uri'), name='zone_once_on_device'),
        ),
    ]
