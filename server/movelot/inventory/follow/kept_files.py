"""Which images and loose disks datastores keep: rows that come and go with readings of hosts that mount these."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from movelot.inventory.bulk import insert
from movelot.inventory.models import Device, LooseDisk, StoredImage
from movelot.inventory.readings import HostReading

# What is kept, by the part of a reading that lists it, with the fields that are read.
KINDS: dict[str, tuple[type[StoredImage | LooseDisk], tuple[str, ...]]] = {
    "images": (StoredImage, ("name", "datastore_id", "size_bytes", "written_bytes", "key")),
    "loose_disks": (
        LooseDisk,
        ("name", "datastore_id", "size_bytes", "written_bytes", "last_written_at", "described_by"),
    ),
}


def follow_kept_files(told: Sequence[tuple[Device, HostReading]], stores: Mapping[str, int]) -> None:
    """Make what datastores that hosts mount, primary keys by identity, keep be what these list."""
    for part in KINDS:
        _follow(part, told, stores)


def _follow(part: str, told: Sequence[tuple[Device, HostReading]], stores: Mapping[str, int]) -> None:
    model, fields = KINDS[part]
    rows = {
        row["identity"]: {**row, "datastore_id": stores[row["datastore"]]}
        for _device, reading in told
        for row in getattr(reading, part)
        if row["datastore"] in stores
    }
    there = model._default_manager.filter(datastore__in={*stores.values()})
    known = {identity: values for identity, *values in there.values_list("identity", *fields)}
    gone = known.keys() - rows.keys()
    if gone:
        there.filter(identity__in=gone).delete()
    news = [
        {"identity": identity, **{name: row[name] for name in fields}}
        for identity, row in sorted(rows.items())
        if known.get(identity) != [row[name] for name in fields]
    ]
    insert(model, news, fields)
