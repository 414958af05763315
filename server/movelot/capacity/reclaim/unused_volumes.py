"""Volumes that have no datastore, and that no machine has as they are."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer
from movelot.inventory.models import Volume
from movelot.lots.kinds import Remedy


class UnusedVolumes(Reclaimer):
    """What they hold in their pool comes back once they are deleted, by name."""

    name, title = "unused_volumes", "Volumes without a datastore"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        for key, volumes in known.volumes.items():
            for volume, use in volumes:
                if volume.kind == Volume.Kind.BLOCK and not use.stores and not use.raw and use.allocated_bytes:
                    yield Gain(
                        what=f"Volume {volume.name}, which no host has formatted or given to a machine",
                        place=known.pools[key].name,
                        size_bytes=use.allocated_bytes,
                        cost="no machine waits; its name is typed, as nothing brings it back",
                        frees={f"pool-{key}": use.allocated_bytes},
                        deletes=True,
                        remedy=Remedy("detach", {"volume": volume.pk}, f"Delete {volume.name}, by name"),
                    )
