"""A package's rows into the inventory: each device gets its reading. All or nothing."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Any

import numpy as np
from django.db import transaction
from django.utils.timezone import now

from movelot.accounts.models import User
from movelot.exchange.as_readings import array_reading, host_reading, rows_by_host
from movelot.exchange.reading import Package, Row
from movelot.exchange.tables import HOUR_COLUMNS
from movelot.exchange.writing import TOLD_APART
from movelot.inventory import models
from movelot.inventory.bulk import insert
from movelot.inventory.changes import everything_changed
from movelot.inventory.labels import put_labels
from movelot.inventory.store import Taken, forget_unmounted, store_readings, unlink

DAYS = {"weekday": 0, "weekend": 1}
# Each host brings thousands of rows: not all are held at once.
HOSTS_AT_ONCE = 50
MEASURES = {"read_iops": 0, "write_iops": 1, "kib": 2}


def store(package: Package, person: User) -> None:
    """Make the imported part of the inventory be ``package``; what is linked stays untouched.

    ``check_meaning`` has to have found no fault. Either all of it is stored, or nothing. Grants are taken in for the
    storage team only; of anybody else's package they are left as they were.
    """
    rows, moment = package.rows, now()
    with transaction.atomic():
        devices = _devices(rows)
        _forget_others(devices)
        store_readings([Taken(devices[row["name"]], array_reading(row, rows), moment) for row in rows["arrays"]])
        by_host = rows_by_host(rows)
        for first in range(0, len(rows["hosts"]), HOSTS_AT_ONCE):
            some = rows["hosts"][first : first + HOSTS_AT_ONCE]
            store_readings([Taken(devices[row["name"]], host_reading(row, by_host), moment) for row in some])
        _settle(rows, person)
        _measured(rows)
    everything_changed()


def _devices(rows: dict[str, list[Row]]) -> dict[str, models.Device]:
    """The imported devices by name, made where they are new."""
    imported = models.Device.State.IMPORTED
    kinds = {row["name"]: models.Device.Kind.ARRAY for row in rows["arrays"]}
    kinds |= {row["name"]: models.Device.Kind.HOST for row in rows["hosts"]}
    known = {device.name: device for device in models.Device.objects.filter(state=imported)}
    for name, kind in kinds.items():
        device = known.get(name) or models.Device.known.filter(state=imported, name=name, kind=kind).last()
        if device is None:
            known[name] = models.Device.objects.create(name=name, kind=kind, state=imported)
        elif device.kind != kind or device.gone_at:
            device.kind, device.gone_at, device.unlinked = kind, None, 0
            device.save()
            known[name] = device
    return {name: known[name] for name in kinds}


def _forget_others(devices: dict[str, models.Device]) -> None:
    """Forget imported devices that a package no longer names."""
    named = models.Device.objects.filter(state=models.Device.State.IMPORTED)
    for device in named.exclude(name__in=devices):
        unlink(device)
    forget_unmounted()


def _settle(rows: dict[str, list[Row]], person: User) -> None:
    """What no device says: ceilings, grants, pins, the curves learned elsewhere, and what people allow beyond them."""
    for row in rows["clusters"]:
        group = models.BalanceGroup.objects.filter(cluster__name=row["name"]).first()
        if group:
            group.own_fill_ceiling = row["fill_ceiling"] or group.own_fill_ceiling
            group.own_latency_ceiling_ms = row["latency_ceiling_ms"] or group.own_latency_ceiling_ms
            group.set_ceilings()
            group.save()
    pools = {(pool.device.name, pool.name): pool for pool in _imported(models.Pool, "device")}
    for row in rows["pools"]:
        pool = pools[row["array"], row["name"]]
        for name in TOLD_APART:
            if row[name] is not None:
                setattr(pool, name, row[name])
    for row in rows["coincidences"]:
        pool, values = pools[row["array"], row["pool"]], [row[name] for name in HOUR_COLUMNS]
        before = pool.coincidence or np.ones(2 * len(HOUR_COLUMNS), dtype=np.float32).tobytes()
        joined = np.frombuffer(before, dtype=np.float32).reshape(2, len(HOUR_COLUMNS)).copy()
        joined[DAYS[row["day"]]] = values
        pool.coincidence = joined.tobytes()
    models.Pool.objects.bulk_update(pools.values(), [*TOLD_APART, "coincidence"], batch_size=200)
    if person.grants_pools:
        _grant(rows["grants"], pools, person)
    _label(rows["labels"])
    pinned = [row["identity"] for row in rows["disks"] if row["pinned"]]
    disks = models.Disk.objects.filter(machine__placement__host__state=models.Device.State.IMPORTED)
    _place(list(disks.filter(placement=None, raw_serial="")), rows["disks"])
    disks.exclude(identity__in=pinned).update(pinned=False)
    disks.filter(identity__in=pinned).update(pinned=True)


def _grant(rows: list[Row], pools: dict[tuple[str, str], models.Pool], person: User) -> None:
    """Whoever imports them grants them, whatever the file says of who did once."""
    models.Grant.objects.filter(pool__in=pools.values()).delete()
    models.Grant.objects.bulk_create(
        models.Grant(
            pool=pools[row["array"], row["pool"]],
            quota_bytes=row["quota_bytes"],
            granted_by=person.username,
            granted_at=now(),
        )
        for row in rows
    )


def _label(rows: list[Row]) -> None:
    """Give things their labels; those of things that are not there are left out."""
    known: dict[str, dict[str, int]] = {
        "datastore": dict(models.Datastore.objects.values_list("identity", "pk")),
        "disk": dict(models.Disk.objects.values_list("identity", "pk")),
        "machine": {
            **dict(models.Machine.objects.order_by("-pk").values_list("name", "pk")),
            **dict(models.Machine.objects.values_list("identity", "pk")),
        },
        "pool": {f"{pool.device.name}/{pool.name}": pool.pk for pool in models.Pool.objects.select_related("device")},
    }
    for kind, keys in known.items():
        of_kind = [row for row in rows if row["kind"] == kind and row["subject"] in keys]
        put_labels(kind, [(keys[row["subject"]], row["key"], row["value"]) for row in of_kind])


def _place(disks: list[models.Disk], rows: list[Row]) -> None:
    """Put disks where their rows say, on datastores that only hosts stored after their own one told of."""
    said = {row["identity"]: row["datastore"] for row in rows}
    stores = dict(models.Datastore.objects.values_list("identity", "pk"))
    placed = [(disk.pk, stores[said[disk.identity]]) for disk in disks if said.get(disk.identity) in stores]
    moment = now()
    rows_ = [{"disk_id": disk, "datastore_id": store, "since": moment} for disk, store in placed]
    insert(models.DiskPlacement, rows_, ("datastore", "since"))


def _imported(model: Any, device: str) -> Any:
    return model.objects.filter(**{f"{device}__state": models.Device.State.IMPORTED}).select_related(device)


def _measured(rows: dict[str, list[Row]]) -> None:
    """Profiles of disks and fills of datastores."""
    profiles: dict[str, np.ndarray] = {}
    for row in rows["loads"]:
        profile = profiles.setdefault(row["disk"], np.zeros((2, 3, 24), dtype=np.float32))
        profile[DAYS[row["day"]], MEASURES[row["measure"]]] = [row[name] for name in HOUR_COLUMNS]
    disks = models.Disk.objects.filter(machine__placement__host__state=models.Device.State.IMPORTED)
    whole = ("identity", "name", "machine_id", "size_bytes")
    nothing = np.zeros((2, 0), dtype=np.float32)
    told = []
    for row in disks.values(*whole):
        found = profiles.get(row["identity"], nothing)
        told.append({**row, "weekday_profile": found[0].tobytes(), "weekend_profile": found[1].tobytes()})
    # Written over what is there: many times faster than an update of each.
    insert(models.Disk, told, ("weekday_profile", "weekend_profile"))
    stores = dict(models.Datastore.objects.values_list("identity", "pk"))
    days = [
        {
            "datastore_id": stores[row["datastore"]],
            "day": date.fromisoformat(row["day"]),
            "used_bytes": row["used_bytes"],
        }
        for row in rows["fills"]
        if row["datastore"] in stores
    ]
    insert(models.DatastoreDay, days, ("used_bytes",))


def imported_at() -> datetime | None:
    """When the newest package was imported; null when none was."""
    newest = models.Device.objects.filter(state=models.Device.State.IMPORTED).order_by("-read_at").first()
    return newest.read_at.astimezone(UTC) if newest and newest.read_at else None
