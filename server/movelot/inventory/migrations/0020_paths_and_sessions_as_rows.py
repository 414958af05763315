"""Paths, sessions, the names of hosts and whom arrays let in are rows; what most rows have in common is kept once."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from typing import Any

import django.db.models.deletion
from django.db import migrations, models

AT_ONCE = 2000


def as_rows(apps: Any, _editor: Any) -> None:
    def of(name: str) -> Any:
        return apps.get_model("inventory", name)

    _targets(of)
    paths = _Sets(of("PathSet"), of("Path"), "path_set", ("port", "portal", "access"))
    _point(of("HostDevice"), "paths", "device_id", paths)
    _point(of("Mount"), "ways", "host_id", paths)
    initiators = _Sets(of("InitiatorSet"), of("AdmittedInitiator"), "initiator_set", ("identifier",))
    _point(of("Offer"), "initiators", "device_id", initiators)


def _targets(of: Any) -> None:
    """Names, targets and sessions of each host."""
    for device in of("Device")._base_manager.filter(kind="host"):
        names = [(device.initiator, "iqn"), (device.nqn, "nqn"), *((wwpn, "wwpn") for wwpn in device.wwpns)]
        of("HostInitiator").objects.bulk_create(
            of("HostInitiator")(host=device, identifier=name, known_by=known_by)
            for name, known_by in dict.fromkeys(each for each in names if each[0])
        )
        told = [(name, "NVMe/TCP", pairs) for name, pairs in device.subsystems.items()]
        told += [(name, "iSCSI", device.sessions.get(name, [])) for name in {**device.sessions, **device.chap}]
        for name, protocol, pairs in told:
            target = of("KnownTarget").objects.create(
                host=device, name=name, protocol=protocol, chap=device.chap.get(name, "")
            )
            of("Session").objects.bulk_create(
                of("Session")(target=target, port=port, portal=portal) for port, portal in pairs
            )


class _Sets:
    """Lists of one kind as rows, each made once for its device."""

    def __init__(self, model: Any, entry: Any, owner: str, fields: tuple[str, ...]) -> None:
        self.model, self.entry, self.owner, self.fields = model, entry, owner, fields
        self.keys: dict[tuple[int, str], int] = {}

    def key(self, device: int, values: Iterable[Any]) -> int | None:
        """The primary key of the set of a device's list; None for an empty one."""
        rows = [(value,) if isinstance(value, str) else (*value, "")[: len(self.fields)] for value in values]
        if not rows:
            return None
        digest = hashlib.sha256(repr(tuple(rows)).encode()).hexdigest()[:32]
        if (device, digest) not in self.keys:
            made = self.model.objects.create(device_id=device, digest=digest)
            self.entry.objects.bulk_create(
                self.entry(**{self.owner: made}, **dict(zip(self.fields, row, strict=True))) for row in rows
            )
            self.keys[device, digest] = made.pk
        return self.keys[device, digest]


def _point(model: Any, field: str, device: str, sets: _Sets) -> None:
    """Point each row of ``model`` at the set of its list in ``field``."""
    last = 0
    while rows := list(model.objects.filter(pk__gt=last).order_by("pk")[:AT_ONCE]):
        for row in rows:
            setattr(row, f"{sets.owner}_id", sets.key(getattr(row, device), getattr(row, field)))
        model.objects.bulk_update(rows, [sets.owner], batch_size=500)
        last = rows[-1].pk


class Migration(migrations.Migration):
    dependencies = [("inventory", "0019_capabilities")]
    operations = [
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
        migrations.AddField(
            model_name='offer',
            name='initiator_set',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='offers', to='inventory.initiatorset'),
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
        migrations.AddField(
            model_name='hostdevice',
            name='path_set',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='hostdevices', to='inventory.pathset'),
        ),
        migrations.AddField(
            model_name='mount',
            name='path_set',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='mounts', to='inventory.pathset'),
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
            name='HostInitiator',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('identifier', models.CharField(db_index=True, max_length=223)),
                ('known_by', models.CharField(max_length=8)),
                ('host', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='host_initiators', to='inventory.device')),
            ],
            options={
                'ordering': ['pk'],
                'constraints': [models.UniqueConstraint(fields=('host', 'identifier'), name='host_initiator_once')],
            },
        ),
        migrations.AddConstraint(
            model_name='initiatorset',
            constraint=models.UniqueConstraint(fields=('device', 'digest'), name='initiator_set_once_on_array'),
        ),
        migrations.AddConstraint(
            model_name='knowntarget',
            constraint=models.UniqueConstraint(fields=('host', 'name'), name='known_target_once_on_host'),
        ),
        migrations.AddConstraint(
            model_name='pathset',
            constraint=models.UniqueConstraint(fields=('device', 'digest'), name='path_set_once_on_host'),
        ),
        migrations.RunPython(as_rows, migrations.RunPython.noop),
        migrations.RemoveField(
            model_name='device',
            name='chap',
        ),
        migrations.RemoveField(
            model_name='device',
            name='sessions',
        ),
        migrations.RemoveField(
            model_name='device',
            name='subsystems',
        ),
        migrations.RemoveField(
            model_name='device',
            name='wwpns',
        ),
        migrations.RemoveField(
            model_name='hostdevice',
            name='paths',
        ),
        migrations.RemoveField(
            model_name='mount',
            name='ways',
        ),
        migrations.RemoveField(
            model_name='offer',
            name='initiators',
        ),
    ]
