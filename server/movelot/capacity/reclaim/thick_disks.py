"""Disks that take their whole size, of which guests have written little."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from django.db.models import F

from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer
from movelot.inventory.models import Disk
from movelot_core.units import format_share

EMPTY_SHARE = 0.25
LEAST_BYTES = 500 * 2**30


class MostlyEmptyDisks(Reclaimer):
    """Large ones of which less than a quarter is written."""

    name, title = "thick_disks", "Disks that are mostly empty"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        rows = Disk.objects.filter(
            placement__isnull=False, written_bytes__isnull=False, size_bytes__gte=LEAST_BYTES
        ).filter(written_bytes__lt=F("size_bytes") * EMPTY_SHARE)
        columns = "name", "size_bytes", "written_bytes", "placement__datastore__name", "machine_id"
        for name, size, written, store, machine in rows.order_by("name").values_list(*columns):
            yield Gain(
                what=f"{name}: {format_share(written / size)} of it is written",
                place=store,
                size_bytes=size - written,
                cost="its host takes the whole of it; a smaller disk has to be made and copied into",
                certainty="at most: what guests deleted counts as written",
                look=f"/machines/{machine}",
            )
