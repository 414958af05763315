"""Files on datastores that nobody knows: listed, and kept."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer
from movelot.inventory.models import Datastore
from movelot_core.capacity.ledger import unknown_bytes

LEAST_BYTES = 100 * 2**30


class UnknownFiles(Reclaimer):
    """Used, and neither disks nor snapshots nor images: swap files, logs, what people put there."""

    name, title = "unknown_files", "Files that nobody knows"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        names = dict(Datastore.objects.values_list("pk", "name"))
        for key, use in known.stores.items():
            size = unknown_bytes(use)
            if size >= LEAST_BYTES:
                yield Gain(
                    what=f"Files on {names[key]} that are no disk, snapshot or image",
                    place=names[key],
                    size_bytes=size,
                    cost="nobody knows what they are: look before anything is deleted",
                    certainty="at most: swap and logs are among them",
                    look=f"/trace/datastore/{key}",
                )
