"""Disks that take their whole size, of which guests have written little."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from django.db.models import F

from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer, hours_at
from movelot.inventory.models import Disk, SnapshotPart
from movelot.lots.kinds import Remedy
from movelot_core.units import format_share, format_size

EMPTY_SHARE = 0.25
LEAST_BYTES = 100 * 2**30
# Bytes a second at which a host usually reads a disk through.
READ_A_SECOND = 2**30


class MostlyEmptyDisks(Reclaimer):
    """Large thick ones of which less than a quarter is written."""

    name, title = "thick_disks", "Thick disks that are mostly empty"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        rows = Disk.objects.filter(
            placement__isnull=False, thin=False, written_bytes__isnull=False, size_bytes__gte=LEAST_BYTES
        ).filter(written_bytes__lt=F("size_bytes") * EMPTY_SHARE)
        kept = set(SnapshotPart.objects.filter(disk__in=rows).values_list("disk_id", flat=True))
        columns = "pk", "name", "size_bytes", "written_bytes", "machine_id"
        places = "placement__datastore_id", "placement__datastore__name"
        for key, name, size, written, machine, store, place in rows.order_by("name").values_list(*columns, *places):
            said = f"{format_size(written)} of {format_size(size)} are written, {format_share(written / size)}"
            waits = "its machine runs on; it takes room again as its guest writes, which can be taken back"
            yield Gain(
                what=f"{name}: {said}",
                place=place,
                size_bytes=size - written,
                cost="snapshots keep it as it is: they have to be merged first" if key in kept else waits,
                certainty="measured; what guests deleted counts as written",
                frees={f"datastore-{store}": size - written},
                hours=hours_at(size, READ_A_SECOND),
                remedy=None if key in kept else Remedy("make_thin", {"disks": [key]}, f"Make {name} thin"),
                look=f"/machines/{machine}" if key in kept else "",
            )
