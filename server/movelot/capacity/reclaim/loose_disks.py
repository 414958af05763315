"""Disks on datastores that no machine has."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer
from movelot.inventory.models import LooseDisk
from movelot.lots.kinds import Remedy
from movelot_core.units import count_of


class LooseDisks(Reclaimer):
    """As hosts list them: left behind by machines that were deleted, or copies that nobody finished."""

    name, title = "loose_disks", "Disks that no machine has"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        for disk in LooseDisk.objects.select_related("datastore").order_by("name", "pk"):
            of = f", once of {disk.described_by}" if disk.described_by else ""
            quiet = ""
            if disk.last_written_at is not None:
                quiet = f"last written {count_of(max(0, (moment - disk.last_written_at).days), 'day')} ago"
            yield Gain(
                what=f"{disk.name}{of}",
                place=disk.datastore.name,
                size_bytes=disk.size_bytes,
                certainty=quiet or "measured; nobody tells when it was last written",
                cost="no machine waits; its name is typed, as nothing brings it back",
                remedy=Remedy("delete_disks", {"disks": [disk.pk]}, "Delete it, by name"),
                typed=disk.name,
                deletes=True,
                frees={f"datastore-{disk.datastore_id}": disk.size_bytes},
            )
