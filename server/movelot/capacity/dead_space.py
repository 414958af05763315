"""Dead space of block storage: blocks that volumes hold though nothing above uses them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from movelot.capacity.known import Uses
from movelot.inventory.models import Extent, Pool, Volume
from movelot_core.capacity.ledger import Layer, volume_account


@dataclass(frozen=True)
class DeadSpace:
    """A volume in its pool, the datastore on it by its primary key, and the bytes that would come back."""

    volume: Volume
    pool: Pool
    datastore: int
    dead_bytes: int


def dead_space(known: Uses) -> Iterator[DeadSpace]:
    """All of it, by pool and volume; what reduction saved of dead blocks does not come back a second time."""
    on = dict(Extent.objects.order_by("-number").values_list("serial", "datastore"))
    for key, volumes in known.volumes.items():
        for volume, use in volumes:
            if volume.serial in on and volume.kind == Volume.Kind.BLOCK:
                dead = volume_account(use).layers.get(Layer.DEAD, 0)
                if dead:
                    yield DeadSpace(volume, known.pools[key], on[volume.serial], dead)
