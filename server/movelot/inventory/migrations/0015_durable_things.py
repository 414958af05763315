"""Things stay while readings come and go: identities, placements, memberships, labels on the things themselves."""

import django.contrib.contenttypes.fields
import django.db.models.deletion
from django.db import migrations, models
from django.utils.timezone import now

# Until its device is asked anew, a thing is known by where it was listed, or by its name alone.
PROVISIONAL, BY_NAME = "uri:", "name:"
AT_ONCE = 2000


def _place(apps, _schema):
    """Copy where things are into rows of their own, and give them provisional identities."""
    get = lambda name: apps.get_model("inventory", name)
    since = now()
    Machine, MachinePlacement = get("Machine"), get("MachinePlacement")
    imported = set(get("Device").objects.filter(state="imported").values_list("pk", flat=True))
    machines = list(Machine.objects.select_related("device").order_by("pk"))
    times = {}
    for machine in machines:
        times[machine.name] = times.get(machine.name, 0) + (machine.device_id in imported)
    for machine in machines:
        name = machine.name if times[machine.name] < 2 else f"{machine.device.name}/{machine.name}"
        known = f"{BY_NAME}{name}" if machine.device_id in imported else f"{PROVISIONAL}{machine.device_id}:{machine.uri}"
        machine.identity = known[:128]
    Machine.objects.bulk_update(machines, ["identity"], batch_size=AT_ONCE)
    MachinePlacement.objects.bulk_create(
        (
            MachinePlacement(machine=m, host_id=m.device_id, since=since, uri=m.uri, etag=m.etag) for m in machines
        ),
        batch_size=AT_ONCE,
    )
    Disk, DiskPlacement = get("Disk"), get("DiskPlacement")
    placed = Disk.objects.filter(datastore__isnull=False).values_list("pk", "datastore_id")
    DiskPlacement.objects.bulk_create(
        (DiskPlacement(disk_id=disk, datastore_id=store, since=since) for disk, store in placed), batch_size=AT_ONCE
    )
    Pool = get("Pool")
    pools = list(Pool.objects.all())
    for pool in pools:
        of_file = pool.device_id in imported
        pool.identity = (f"{BY_NAME}{pool.name}" if of_file else f"{PROVISIONAL}{pool.uri}")[:128]
    Pool.objects.bulk_update(pools, ["identity"], batch_size=AT_ONCE)
    GroupMember = get("GroupMember")
    members = get("Datastore").objects.filter(group__isnull=False).values_list("pk", "group_id")
    GroupMember.objects.bulk_create(GroupMember(datastore_id=store, group_id=group) for store, group in members)


def _label(apps, _schema):
    """Hang labels on their things. One whose thing no reading names any more gets a row of it that is gone."""
    get = lambda name: apps.get_model("inventory", name)
    Type = apps.get_model("contenttypes", "ContentType")
    Label, moment, fresh = get("Label"), now(), []
    for label in list(Label.objects.all()):
        keys = _things(get, label.kind, label.subject, moment)
        kind, _ = Type.objects.get_or_create(app_label="inventory", model=label.kind)
        fresh += [Label(content_type=kind, object_id=key, key=label.key, value=label.value, kind="", subject="") for key in keys]
    Label.objects.all().delete()
    Label.objects.bulk_create(fresh)


def _things(get, kind, subject, moment):
    """Primary keys of what a label was kept for: all machines of a name, as they could not be told apart."""
    if kind == "machine":
        found = list(get("Machine").objects.filter(name=subject).values_list("pk", flat=True))
        return found or [
            get("Machine").objects.create(identity=f"{BY_NAME}{subject}"[:128], name=subject[:128], gone_at=moment).pk
        ]
    if kind == "pool":
        return [_pool(get, *subject.split("/", 1), moment)]
    rows, sizes = get(kind.capitalize()).objects, {"datastore": ("capacity_bytes", "free_bytes", "other_bytes")}
    known = rows.filter(identity=subject).values_list("pk", flat=True).first()
    if known is not None:
        return [known]
    more = dict.fromkeys(sizes.get(kind, ("size_bytes",)), 0)
    if kind == "disk":
        owner, _ = get("Machine").objects.get_or_create(
            identity=f"{BY_NAME}{subject}"[:128], defaults={"name": subject[:128], "gone_at": moment}
        )
        more["machine"] = owner
    return [rows.create(identity=subject[:64 if kind == "datastore" else 128], name=subject[:128], gone_at=moment, **more).pk]


def _pool(get, array, name, moment):
    Device, Pool = get("Device"), get("Pool")
    found = Pool.objects.filter(device__name=array, name=name).values_list("pk", flat=True).first()
    if found is not None:
        return found
    device = Device.objects.filter(name=array).first()
    if device is None:
        device = Device.objects.create(name=array[:64], kind="array", state="away", gone_at=moment)
        device.unlinked = device.pk
        device.save()
    made = Pool.objects.create(
        device=device, identity=f"{BY_NAME}{name}"[:128], name=name[:128], uri="", gone_at=moment,
        capacity_bytes=0, allocated_bytes=0, subscribed_bytes=0,
    )
    return made.pk


def _gone():
    return models.DateTimeField(null=True, db_index=True)


class Migration(migrations.Migration):
    dependencies = [("contenttypes", "0002_remove_content_type_name"), ("inventory", "0014_device_settings")]

    operations = [
        *(migrations.AddField(name, "gone_at", _gone()) for name in ("device", "pool", "volume", "datastore", "machine", "disk")),
        migrations.AddField("device", "identity", models.CharField(max_length=64, blank=True, db_index=True, default=""), preserve_default=False),
        migrations.AddField("device", "unlinked", models.PositiveBigIntegerField(default=0)),
        migrations.AlterField("device", "name", models.CharField(max_length=64, db_index=True)),
        migrations.AddConstraint("device", models.UniqueConstraint(fields=["name", "unlinked"], name="device_name_once")),
        migrations.AddField("pool", "identity", models.CharField(max_length=128, default=""), preserve_default=False),
        migrations.AddField("machine", "identity", models.CharField(max_length=128, null=True)),
        migrations.CreateModel(
            "MachinePlacement",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("since", models.DateTimeField()),
                ("uri", models.CharField(max_length=255)),
                ("etag", models.CharField(blank=True, max_length=64)),
                ("host", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="machine_placements", to="inventory.device")),
                ("machine", models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name="placement", to="inventory.machine")),
            ],
        ),
        migrations.CreateModel(
            "DiskPlacement",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("since", models.DateTimeField()),
                ("datastore", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="disk_placements", to="inventory.datastore")),
                ("disk", models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name="placement", to="inventory.disk")),
            ],
        ),
        migrations.CreateModel(
            "GroupMember",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("datastore", models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name="membership", to="inventory.datastore")),
                ("group", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="members", to="inventory.balancegroup")),
            ],
        ),
        migrations.RunPython(_place),
        migrations.RemoveConstraint("machine", "machine_once_on_device"),
        migrations.RemoveField("machine", "device"),
        migrations.RemoveField("machine", "uri"),
        migrations.RemoveField("machine", "etag"),
        migrations.AlterField("machine", "identity", models.CharField(max_length=128, unique=True)),
        migrations.AlterField("machine", "name", models.CharField(max_length=128, db_index=True)),
        migrations.RemoveField("disk", "datastore"),
        migrations.RemoveField("datastore", "group"),
        migrations.AddField("balancegroup", "datastores", models.ManyToManyField(related_name="groups", through="inventory.GroupMember", to="inventory.datastore")),
        migrations.AlterField("balancegroup", "cluster", models.OneToOneField(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="group", to="inventory.cluster")),
        # Indexes first: the foreign key needs one that begins with the device.
        migrations.AddConstraint("pool", models.UniqueConstraint(fields=["device", "identity"], name="pool_once_on_device_")),
        migrations.RemoveConstraint("pool", "pool_once_on_device"),
        migrations.RemoveConstraint("pool", "pool_once_on_device_"),
        migrations.AddConstraint("pool", models.UniqueConstraint(fields=["device", "identity"], name="pool_once_on_device")),
        migrations.AddIndex("pool", models.Index(fields=["device", "uri"], name="inventory_p_device__01e7d7_idx")),
        migrations.AddIndex("volume", models.Index(fields=["device", "uri"], name="inventory_v_device__82a2c6_idx")),
        migrations.RemoveConstraint("volume", "volume_once_on_device"),
        migrations.RemoveConstraint("label", "label_once"),
        migrations.AddField("label", "content_type", models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, to="contenttypes.contenttype")),
        migrations.AddField("label", "object_id", models.PositiveBigIntegerField(default=0), preserve_default=False),
        migrations.RunPython(_label),
        migrations.AlterField("label", "content_type", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to="contenttypes.contenttype")),
        migrations.RemoveField("label", "kind"),
        migrations.RemoveField("label", "subject"),
        migrations.AddConstraint("label", models.UniqueConstraint(fields=["content_type", "object_id", "key"], name="label_once")),
    ]
