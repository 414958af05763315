"""Whether what a device said fits: each value of the type and range that it is kept in, each link to a thing told.

Checked before anything is stored, so that a device that answers nonsense is marked and no other one is touched.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any

from django.db import models

from movelot.devices.errors import DeviceOdd
from movelot.inventory.models import (
    AdmittedInitiator,
    Datastore,
    Device,
    Disk,
    DriveGroup,
    Export,
    Extent,
    HostDevice,
    HostPort,
    Initiator,
    KnownTarget,
    LooseDisk,
    Machine,
    MachineSnapshot,
    Mount,
    Offer,
    Path,
    Pool,
    Portal,
    Session,
    StoredImage,
    Volume,
    Zone,
)
from movelot.inventory.readings import ArrayReading, HostReading, Row

ARRAY_ROWS: dict[str, type[models.Model]] = {
    "pools": Pool,
    "portals": Portal,
    "initiators": Initiator,
    "volumes": Volume,
    "offers": Offer,
    "exports": Export,
    "zones": Zone,
    "drive_groups": DriveGroup,
}
HOST_ROWS: dict[str, type[models.Model]] = {
    "ports": HostPort,
    "devices": HostDevice,
    "datastores": Datastore,
    "machines": Machine,
    "images": StoredImage,
    "loose_disks": LooseDisk,
}
# Lists in a row that are rows of their own, with the fields of each entry.
ENTRIES: dict[str, tuple[type[models.Model], tuple[str, ...]]] = {
    "initiators": (AdmittedInitiator, ("identifier",)),
    "paths": (Path, ("port", "portal", "access")),
    "ways": (Path, ("port", "portal")),
}
# Lists in a row whose entries have named fields.
NAMED: dict[str, type[models.Model]] = {"extents": Extent, "snapshots": MachineSnapshot}
LINKS = {"pool_uri": "pools", "volume_uri": "volumes"}
TYPES: tuple[tuple[type[models.Field[Any, Any]], type | tuple[type, ...]], ...] = (
    (models.BooleanField, bool),
    (models.DateTimeField, datetime),
    (models.FloatField, (int, float)),
    (models.IntegerField, int),
    (models.CharField, str),
    (models.JSONField, (list, dict)),
)


def check_shape(device: Device, reading: ArrayReading | HostReading) -> None:
    """Raises DeviceOdd with the field that does not fit."""
    kinds = ARRAY_ROWS if isinstance(reading, ArrayReading) else HOST_ROWS
    for part, model in kinds.items():
        rows = getattr(reading, part)
        _check_rows(device, part, model, rows)
    if isinstance(reading, ArrayReading):
        _check_links(device, reading)
    else:
        _check_rows(device, "datastores.mount", Mount, [row["mount"] for row in reading.datastores])
        _check_targets(device, reading)
        for machine in reading.machines:
            _check_rows(device, f"machines[{machine['name']}].disks", Disk, machine["disks"])
    _check_row(device, "device", Device, {"name": reading.name, "nqn": reading.nqn, "identity": reading.identity})


def _check_rows(device: Device, part: str, model: type[models.Model], rows: Iterable[Row]) -> None:
    for n, row in enumerate(rows):
        _check_row(device, f"{part}[{n}]", model, row)


def _check_row(device: Device, where: str, model: type[models.Model], row: Row) -> None:
    known = {field.attname: field for field in model._meta.concrete_fields}
    for name, value in row.items():
        field = known.get(name)
        if name in ENTRIES:
            _check_entries(device, f"{where}.{name}", value, *ENTRIES[name])
        if name in NAMED:
            _check_rows(device, f"{where}.{name}", NAMED[name], value)
        if field is None or (value is None and field.null):
            continue
        wrong = _wrong(field, value)
        if wrong:
            raise odd(device.name, f"{where}.{name}", wrong)


def _check_entries(
    device: Device, where: str, entries: Any, model: type[models.Model], fields: tuple[str, ...]
) -> None:
    """A list of values, or of as many values each as there are fields."""
    if not isinstance(entries, list):
        raise odd(device.name, where, f"is {type(entries).__name__}, not a list")
    for n, entry in enumerate(entries):
        values = [entry] if len(fields) == 1 else entry
        if not isinstance(values, list) or len(values) != len(fields):
            raise odd(device.name, f"{where}[{n}]", f"is not {len(fields)} values")
        _check_row(device, f"{where}[{n}]", model, dict(zip(fields, values, strict=True)))


def _check_targets(device: Device, reading: HostReading) -> None:
    """The targets and subsystems that a host knows, by name, with its sessions there."""
    for part in ("sessions", "subsystems", "chap"):
        for name, told in getattr(reading, part).items():
            where = f"{part}[{name}]"
            _check_row(device, where, KnownTarget, {"name": name, **({"chap": told} if part == "chap" else {})})
            if part != "chap":
                _check_entries(device, where, told, Session, ("port", "portal"))


def _wrong(field: models.Field[Any, Any], value: Any) -> str:
    """What is wrong with a value of ``field``; empty where nothing is."""
    for kind, wanted in TYPES:
        if isinstance(field, kind):
            # A bool is an int to Python, and nothing that counts.
            if not isinstance(value, wanted) or (isinstance(value, bool) and wanted is not bool):
                return f"is {type(value).__name__}, not {field.get_internal_type()}"
            break
    if isinstance(value, str) and field.max_length and len(value) > field.max_length:
        return f"has {len(value)} characters; {field.max_length} is the most"
    if isinstance(value, int) and not isinstance(value, bool) and not -(2**63) <= value < 2**63:
        return "is out of range"
    if isinstance(field, models.PositiveIntegerField) and isinstance(value, int) and not 0 <= value < 2**32:
        return "is out of range"
    if isinstance(value, float) and value != value:
        return "is not a number"
    return ""


def _check_links(device: Device, reading: ArrayReading) -> None:
    """Each link leads to what was told, or is known of the device from before."""
    told = {
        "pools": {row["uri"] for row in reading.pools} | set(_known(Pool, device)),
        "volumes": {row["uri"] for row in reading.volumes} | set(_known(Volume, device)),
    }
    for part in ARRAY_ROWS:
        for n, row in enumerate(getattr(reading, part)):
            for link, target in LINKS.items():
                if link in row and row[link] not in told[target]:
                    raise odd(device.name, f"{part}[{n}].{link}", f"leads to no {target.removesuffix('s')}")


def _known(model: type[Pool] | type[Volume], device: Device) -> list[str]:
    return list(model.known.filter(device=device).values_list("uri", flat=True))


def odd(name: str, field: str, wrong: str) -> DeviceOdd:
    """The error of a device whose answer does not fit."""
    return DeviceOdd(name, f"{name} answers what cannot be used: {field} {wrong}.")
