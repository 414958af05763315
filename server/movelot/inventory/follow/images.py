"""Which disk images datastores keep: rows that come and go with the readings of hosts that mount these."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from movelot.inventory.bulk import insert
from movelot.inventory.models import Device, StoredImage
from movelot.inventory.readings import HostReading

FIELDS = ("name", "datastore_id", "size_bytes", "written_bytes", "key")


def follow_images(told: Sequence[tuple[Device, HostReading]], stores: Mapping[str, int]) -> None:
    """Make the images of the datastores that hosts mount, primary keys by identity, be those that they list."""
    rows = {
        row["identity"]: {**row, "datastore_id": stores[row["datastore"]]}
        for _device, reading in told
        for row in reading.images
        if row["datastore"] in stores
    }
    there = StoredImage.objects.filter(datastore__in={*stores.values()})
    known = {identity: values for identity, *values in there.values_list("identity", *FIELDS)}
    gone = known.keys() - rows.keys()
    if gone:
        there.filter(identity__in=gone).delete()
    news = [
        {"identity": identity, **{name: row[name] for name in FIELDS}}
        for identity, row in sorted(rows.items())
        if known.get(identity) != [row[name] for name in FIELDS]
    ]
    insert(StoredImage, news, FIELDS)
