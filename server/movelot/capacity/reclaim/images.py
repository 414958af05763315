"""Disk images on datastores that nothing was made of."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer
from movelot.inventory.models import Disk, StoredImage


class UnusedImages(Reclaimer):
    """Images that no disk which is there was filled from."""

    name, title = "images", "Images that nothing was made of"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        used = Disk.objects.exclude(filled_from="").values("filled_from")
        rows = StoredImage.objects.exclude(identity__in=used).select_related("datastore").order_by("name")
        for image in rows:
            if image.written_bytes:
                yield Gain(
                    what=f"Image {image.name}",
                    place=image.datastore.name,
                    size_bytes=image.written_bytes,
                    cost="no machine waits; brought in again it takes as long as the first time",
                    look="/machines/images",
                )
