"""Rows of devices by what they are known by: facts come and go with readings, durable things stay."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db import models

from movelot.inventory.bulk import insert
from movelot.inventory.models import Device, Listed, Pool, Volume
from movelot.inventory.readings import Row

# Before a device was asked for identities, its things were known by where it lists them.
PROVISIONAL = "uri:"


def follow_listed(model: type[Listed], told: Mapping[int, Sequence[Row]]) -> None:
    """Make ``model``'s rows of each device be those ``told`` of it, by its primary key; rows are known by URI."""
    manager: models.Manager[Any] = model._default_manager
    known = {(row.device_id, row.uri): row for row in manager.filter(device__in=told)}
    fields: list[str] = []
    fresh, kept = [], []
    for device, rows in told.items():
        for row in rows:
            found = known.pop((device, row["uri"]), None)
            if found is None:
                fresh.append({"device_id": device, **row})
                continue
            fields = fields or sorted(row.keys() - {"uri"})
            if take_over(found, row, fields):
                kept.append(found)
    if known:
        manager.filter(pk__in=[row.pk for row in known.values()]).delete()
    insert(model, fresh)
    if kept:
        manager.bulk_update(kept, fields, batch_size=500)


def follow_durable(
    model: type[Pool] | type[Volume], key: str, device: Device, rows: Sequence[Row], moment: datetime
) -> None:
    """Make ``model``'s rows of an array be ``rows``, known by ``key``; what is not listed is gone as of ``moment``.

    A pool's identity is its array's own matter, a volume's serial is known everywhere: it may come from another array.
    """
    manager: models.Manager[Any] = model.known
    of_device = models.Q(device=device)
    wanted = of_device if model is Pool else of_device | models.Q(**{f"{key}__in": [row[key] for row in rows]})
    known = {getattr(row, key): row for row in manager.filter(wanted)}
    fields: list[str] = []
    fresh, kept = [], []
    for row in rows:
        found = known.pop(row[key], None) or known.pop(f"{PROVISIONAL}{row['uri']}", None)
        if found is None:
            fresh.append({"device_id": device.pk, **row})
            continue
        fields = fields or sorted({*row, "device_id", "gone_at"})
        if take_over(found, {**row, "device_id": device.pk, "gone_at": None}, fields):
            kept.append(found)
    missing = [row.pk for row in known.values() if row.device_id == device.pk and row.gone_at is None]
    if missing:
        manager.filter(pk__in=missing).update(gone_at=moment)
    insert(model, fresh)
    if kept:
        manager.bulk_update(kept, [name.removesuffix("_id") for name in fields], batch_size=500)


def take_over(found: Any, row: Row, fields: Sequence[str]) -> bool:
    """Set ``fields`` of a row to what was told. Returns whether any of them is another one now."""
    changed = [name for name in fields if getattr(found, name) != row[name]]
    for name in changed:
        setattr(found, name, row[name])
    return bool(changed)


def keys_by_uri(model: type[models.Model], devices: Sequence[Device]) -> dict[tuple[int, str], int]:
    """The primary key of each of the devices' rows by the device's key and URI; what is there before what is gone."""
    manager: models.Manager[Any] = getattr(model, "known", model._default_manager)
    rows = manager.filter(device__in=devices).order_by("pk")
    if model in (Pool, Volume):
        rows = rows.order_by(models.F("gone_at").asc(nulls_last=True), "pk").reverse()
    return {(device, uri): key for device, uri, key in rows.values_list("device_id", "uri", "pk")}


def linked(row: Row, name: str, keys: Mapping[tuple[int, str], int], device: Device) -> Row:
    """``row`` with its ``<name>_uri`` made a foreign key."""
    key = keys[device.pk, row[f"{name}_uri"]]
    return {**{k: v for k, v in row.items() if k != f"{name}_uri"}, f"{name}_id": key}
