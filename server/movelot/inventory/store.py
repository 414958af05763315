"""Puts a reading into the tables: rows follow what the device said, in a handful of statements, in one transaction."""

from __future__ import annotations

import hashlib
import json
import uuid
from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Any

from django.core.cache import cache
from django.db import models, transaction

from movelot.inventory.bulk import insert
from movelot.inventory.models import (
    BalanceGroup,
    Cluster,
    Datastore,
    Device,
    Disk,
    DriveGroup,
    Export,
    HostDevice,
    HostPort,
    Initiator,
    Machine,
    Mount,
    Offer,
    OnDevice,
    Pool,
    Portal,
    Reading,
    Volume,
    Zone,
)
from movelot.inventory.readings import ArrayReading, HostReading, Row
from movelot_core.fabric.paths import FC, bare_address
from movelot_core.rounds import clock_is_off

READINGS_KEPT = 50
VERSION = "inventory-version"


def inventory_version() -> str:
    """Another text whenever anything a plan rests on has changed; what was computed under an older one is old."""
    return str(cache.get_or_set(VERSION, _new_version, None))


def changed() -> None:
    """Say that the inventory changed. A version never comes back, not even after the cache was emptied."""
    cache.set(VERSION, _new_version(), None)


def forget(device: Device) -> None:
    """Forget a device and what only it told of. Raises ProtectedError while lots tell of it."""
    with transaction.atomic():
        device.delete()
        # A datastore that no host mounts any more is known to nobody.
        Datastore.objects.filter(mounts=None).delete()
    changed()


def _new_version() -> str:
    return uuid.uuid4().hex


def store_reading(device: Device, reading: ArrayReading | HostReading, taken_at: datetime, seconds: float) -> Reading:
    """Make the tables say what ``reading`` says; a reading equal to the last one touches only the device's row."""
    said = {name: value for name, value in vars(reading).items() if name != "clock_offset_seconds"}
    digest = hashlib.sha256(json.dumps(said, sort_keys=True).encode()).hexdigest()
    with transaction.atomic():
        locked = Device.objects.select_for_update().get(pk=device.pk)
        settled = Device.State.IMPORTED if locked.imported else Device.State.LINKED
        is_new = locked.digest != digest or locked.state != settled
        # A clock drifts with every reading; what counts is whether it is off.
        is_new |= clock_is_off(locked.clock_offset_seconds) != clock_is_off(reading.clock_offset_seconds)
        if locked.digest != digest:
            (_store_array if isinstance(reading, ArrayReading) else _store_host)(locked, reading)  # type: ignore[arg-type]
        locked.read_at, locked.digest = taken_at, digest
        locked.state, locked.detail = settled, ""
        locked.copy_bytes_per_second = reading.copy_bytes_per_second
        locked.clock_offset_seconds, locked.capabilities = reading.clock_offset_seconds, reading.capabilities
        locked.file_client, locked.nqn = reading.file_client, reading.nqn
        locked.save()
        row = Reading.objects.create(device=locked, taken_at=taken_at, seconds=seconds, digest=digest, changed=is_new)
        _forget_old_readings(locked)
    if is_new:
        changed()
    device.refresh_from_db()
    return row


def _forget_old_readings(device: Device) -> None:
    newest_first = device.readings.order_by("-taken_at").values_list("pk", flat=True)
    Reading.objects.filter(pk__in=list(newest_first[READINGS_KEPT : READINGS_KEPT + 20])).delete()


def _follow(model: type[OnDevice], device: Device, rows: Sequence[Row]) -> None:
    """Make ``model``'s rows of ``device`` be ``rows``, known by URI."""
    manager: models.Manager[Any] = model._default_manager
    known = {row.uri: row for row in manager.filter(device=device)}
    fields = sorted(rows[0].keys() - {"uri"}) if rows else []
    fresh, kept = [], []
    for row in rows:
        found = known.pop(row["uri"], None)
        if found is None:
            fresh.append({"device_id": device.pk, **row})
            continue
        if any(getattr(found, name) != row[name] for name in fields):
            for name in fields:
                setattr(found, name, row[name])
            kept.append(found)
    if known:
        manager.filter(pk__in=[row.pk for row in known.values()]).delete()
    insert(model, fresh)
    if kept:
        manager.bulk_update(kept, fields, batch_size=500)


def _keys(model: type[OnDevice], device: Device) -> dict[str, int]:
    """The primary key of each of the device's rows by URI."""
    manager: models.Manager[Any] = model._default_manager
    return dict(manager.filter(device=device).values_list("uri", "pk"))


def _store_array(device: Device, reading: ArrayReading) -> None:
    device.set_limits, device.target = reading.set_limits, reading.target
    _follow(Pool, device, reading.pools)
    pools = _keys(Pool, device)
    _follow(DriveGroup, device, [_linked(row, "pool", pools) for row in reading.drive_groups])
    _follow(Portal, device, reading.portals)
    _follow(Initiator, device, reading.initiators)
    _follow(Zone, device, reading.zones)
    _follow(Volume, device, [_linked(row, "pool", pools) for row in reading.volumes])
    volumes = _keys(Volume, device)
    _follow(Offer, device, [_linked(row, "volume", volumes) for row in reading.offers])
    _follow(Export, device, [_linked(row, "volume", volumes) for row in reading.exports])


def _linked(row: Row, name: str, keys: dict[str, int]) -> Row:
    """``row`` with its ``<name>_uri`` made a foreign key."""
    return {**{k: v for k, v in row.items() if k != f"{name}_uri"}, f"{name}_id": keys[row[f"{name}_uri"]]}


def _store_host(device: Device, reading: HostReading) -> None:
    cluster, _ = Cluster.objects.get_or_create(name=reading.cluster)
    group, _ = BalanceGroup.objects.get_or_create(cluster=cluster, defaults={"name": cluster.name})
    device.cluster, device.initiator, device.scan_seconds = cluster, reading.initiator, reading.scan_seconds
    device.subsystems, device.queue_depth = reading.subsystems, reading.queue_depth
    device.sessions, device.chap = reading.sessions, reading.chap
    device.default_datastore = reading.default_datastore
    device.wwpns = [bare_address(port["network"]) for port in reading.ports if port["protocol"] == FC]
    _follow(HostPort, device, reading.ports)
    _follow(HostDevice, device, reading.devices)
    _store_datastores(device, group, reading.datastores)
    machine_rows = [{k: v for k, v in row.items() if k != "disks"} for row in reading.machines]
    _follow(Machine, device, machine_rows)
    machines = _keys(Machine, device)
    _store_disks([(machines[row["uri"]], disk) for row in reading.machines for disk in row["disks"]], machines.values())


def _store_datastores(device: Device, group: BalanceGroup, rows: Sequence[Row]) -> None:
    fields = ("name", "serial", "capacity_bytes", "free_bytes", "other_bytes", "contents")
    identities = [row["identity"] for row in rows]
    # Most of what a host mounts another one has told of already: only what differs is written.
    there = Datastore.objects.filter(identity__in=identities)
    keys, told = {}, {}
    for identity, key, *values in there.values_list("identity", "pk", *fields, "group_id"):
        keys[identity], told[identity] = key, values
    news = [
        Datastore(group=group, identity=row["identity"], **{name: row[name] for name in fields})
        for row in rows
        if told.get(row["identity"]) != [*(row[name] for name in fields), group.pk]
    ]
    if news:
        Datastore.objects.bulk_create(news, update_conflicts=True, update_fields=[*fields, "group"], batch_size=500)
        keys = dict(there.values_list("identity", "pk"))
    _store_mounts(device, {keys[row["identity"]]: row["mount"] for row in rows})


HOW_MOUNTED = ("server", "path", "version", "ways")


def _store_mounts(device: Device, mounts: dict[int, Row]) -> None:
    """Make the host's mounts be ``mounts``, by the datastore's primary key."""
    known = {key: tuple(how) for key, *how in device.mounts.values_list("datastore_id", *HOW_MOUNTED)}
    gone = known.keys() - mounts.keys()
    if gone:
        Mount.objects.filter(host=device, datastore__in=gone).delete()
        # A datastore that no host mounts any more is known to nobody.
        Datastore.objects.filter(pk__in=gone, mounts=None).delete()
    rows = [
        {"host_id": device.pk, "datastore_id": key, **how}
        for key, how in mounts.items()
        if known.get(key) != tuple(how[name] for name in HOW_MOUNTED)
    ]
    insert(Mount, rows, HOW_MOUNTED)


def _store_disks(rows: Sequence[tuple[int, Row]], machines: Iterable[int]) -> None:
    # A disk may lie on a datastore that only other hosts tell of.
    used = {row["datastore"] for _, row in rows}
    stores = dict(Datastore.objects.filter(identity__in=used).values_list("identity", "pk"))
    told = [
        {
            **{name: row[name] for name in ("identity", "name", "size_bytes", "raw_serial", "shared")},
            "machine_id": machine,
            "datastore_id": stores.get(row["datastore"]),
        }
        for machine, row in rows
    ]
    insert(Disk, told, ("name", "machine", "size_bytes", "datastore", "raw_serial", "shared"))
    Disk.objects.filter(machine__in=list(machines)).exclude(identity__in=[row["identity"] for _, row in rows]).delete()
