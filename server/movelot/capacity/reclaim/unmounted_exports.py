"""Exports that no host mounts."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer
from movelot.inventory.models import Volume


class UnmountedExports(Reclaimer):
    """What lies there nobody tells from here: it is looked at before anything is deleted."""

    name, title = "unmounted_exports", "Exports that nobody mounts"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        for key, volumes in known.volumes.items():
            for volume, use in volumes:
                if volume.kind == Volume.Kind.FILE and not use.stores and use.allocated_bytes:
                    yield Gain(
                        what=f"File system {volume.name}: no host mounts its export",
                        place=known.pools[key].name,
                        size_bytes=use.allocated_bytes,
                        cost="others than hosts may mount it: ask first",
                        look=f"/trace/volume/{volume.pk}",
                    )
