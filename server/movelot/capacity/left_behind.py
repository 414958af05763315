"""Links of the chain that were left behind: volumes and file systems that are larger than the datastore on them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass

from movelot.capacity.known import Uses
from movelot.inventory.models import Datastore, Extent, Volume

# What a format takes for itself is no room that was left behind.
SHARE_LEAST = 0.02


@dataclass(frozen=True)
class LeftBehind:
    """A volume, the one datastore on it, and how many bytes of the volume that does not have."""

    volume: Volume
    datastore: Datastore
    missing_bytes: int


def left_behind(known: Uses) -> Iterator[LeftBehind]:
    """All of them, by the volume's name."""
    parts: dict[int, int] = defaultdict(int)
    on: dict[str, list[int]] = defaultdict(list)
    for store, serial in Extent.objects.values_list("datastore_id", "serial"):
        parts[store] += 1
        on[serial].append(store)
    stores = Datastore.objects.in_bulk()
    for volumes in known.volumes.values():
        for volume, _use in volumes:
            # Of a datastore on several volumes nobody tells which part is which.
            there = [stores[key] for key in on.get(volume.serial, ()) if key in stores and parts[key] == 1]
            if volume.kind in (Volume.Kind.BLOCK, Volume.Kind.FILE) and len(there) == 1:
                missing = volume.size_bytes - there[0].capacity_bytes
                if missing > SHARE_LEAST * volume.size_bytes:
                    yield LeftBehind(volume, there[0], missing)
