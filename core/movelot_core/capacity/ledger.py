"""The account of every byte: what a datastore holds, what a volume holds of that, what a pool holds of its volumes.

The layers of each add up to its capacity, to the byte. What devices tell of one thing and of what lies beneath it need
not fit: the rest is kept as ``difference``, and never hidden in a layer.

Worked example: a thin volume of 1,000 holds 700 in its pool, and saved none. Its datastore has disks of 500, of which
300 are written, snapshots of 40 and 60 of other files: 600 are used. So of the 700 are live 300, promised 200 (disks
that take room and are not written), snapshots 40, other 60, and 100 dead: the pool holds them though nothing above uses
them.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Final


class Layer(StrEnum):
    """What bytes are, in the order in which they are drawn."""

    # Written by guests; all of a disk whose host does not tell.
    LIVE = "live"
    SNAPSHOTS = "snapshots"
    # Images, and files that nobody knows.
    OTHER = "other files"
    # Held by the pool though nothing above uses them.
    DEAD = "dead"
    # Taken by disks or thick volumes, and not written.
    PROMISED = "promised"
    # Of volumes that nobody has.
    UNUSED = "unused volumes"
    FREE = "free"


Layers = Mapping[Layer, int]
USED: Final = (Layer.LIVE, Layer.SNAPSHOTS, Layer.OTHER, Layer.PROMISED)


@dataclass(frozen=True)
class StoreUse:
    """What is known of a datastore, in bytes: disks, what guests wrote of these, snapshots, images, what is free.
    Disks that no machine has count with the images.

    ``written_bytes`` counts disks whose host does not tell whole. ``reduced_bytes`` of what lies there are saved
    beneath where hosts see that, as in a volume set: they are free.
    """

    capacity_bytes: int
    free_bytes: int
    disk_bytes: int = 0
    written_bytes: int = 0
    snapshot_bytes: int = 0
    image_bytes: int = 0
    reduced_bytes: int = 0

    @property
    def known_bytes(self) -> int:
        """What it is known to hold, before any of it is reduced."""
        return self.disk_bytes + self.snapshot_bytes + self.image_bytes


@dataclass(frozen=True)
class VolumeUse:
    """What an array tells of a volume; ``stores`` are the datastores on it. ``raw`` ones are given to machines."""

    size_bytes: int
    allocated_bytes: int
    reduced_bytes: int = 0
    thin: bool = True
    raw: bool = False
    stores: Sequence[StoreUse] = ()


@dataclass(frozen=True)
class Account:
    """Layers of something, which with ``difference`` (what is told otherwise above) add up to ``capacity_bytes``."""

    capacity_bytes: int
    layers: Layers
    difference: int

    def of(self, *layers: Layer) -> int:
        """Bytes of some layers."""
        return sum(self.layers.get(layer, 0) for layer in layers)


def store_account(use: StoreUse) -> Account:
    """The layers of a datastore. Below zero ``difference`` says that what lies there is more than it says is used.

    What is saved beneath is shared by the layers.
    """
    written = min(use.written_bytes, use.disk_bytes)
    used = use.capacity_bytes - use.free_bytes
    held = max(0, use.known_bytes - use.reduced_bytes)
    parts = {
        Layer.LIVE: written,
        Layer.PROMISED: use.disk_bytes - written,
        Layer.SNAPSHOTS: use.snapshot_bytes,
        Layer.OTHER: use.image_bytes,
    }
    layers = {**dict.fromkeys(parts, 0), **(split(held, parts) if use.reduced_bytes else parts)}
    layers |= {Layer.OTHER: layers[Layer.OTHER] + max(0, used - held), Layer.FREE: use.free_bytes}
    return Account(use.capacity_bytes, layers, min(0, used - held))


def unknown_bytes(use: StoreUse) -> int:
    """Bytes of files that nobody knows: used, and neither disks nor snapshots nor images."""
    used = use.capacity_bytes - use.free_bytes
    return max(0, used - max(0, use.known_bytes - use.reduced_bytes))


def volume_account(use: VolumeUse) -> Account:
    """What the bytes are that a volume holds in its pool: they add up to those.

    Bytes that data reduction saved are shared by the layers as these are. ``difference`` is what lies on its datastores
    and the array does not have.
    """
    if not use.stores:
        return Account(use.allocated_bytes, {Layer.LIVE if use.raw else Layer.UNUSED: use.allocated_bytes}, 0)
    # What is saved is told by the volume itself.
    above = _together(store_account(replace(store, reduced_bytes=0)) for store in use.stores)
    parts = {layer: above.get(layer, 0) for layer in USED}
    logical, used = use.allocated_bytes + use.reduced_bytes, sum(parts.values())
    if use.thin:
        parts[Layer.DEAD] = max(0, logical - used)
    else:
        parts[Layer.PROMISED] += max(0, logical - used)
    # What disks only promise need not be in the pool yet.
    unwritten = min(parts[Layer.PROMISED], max(0, used - logical))
    parts[Layer.PROMISED] -= unwritten
    short = max(0, used - unwritten - logical)
    return Account(use.allocated_bytes, split(use.allocated_bytes, parts), -short)


def pool_account(capacity_bytes: int, allocated_bytes: int, volumes: Iterable[VolumeUse]) -> Account:
    """The layers of a pool. ``difference`` is what it says is allocated, beyond what its volumes hold."""
    accounts = [volume_account(volume) for volume in volumes]
    layers = dict(_together(accounts))
    layers[Layer.FREE] = capacity_bytes - allocated_bytes
    return Account(capacity_bytes, layers, allocated_bytes - sum(account.capacity_bytes for account in accounts))


def _together(accounts: Iterable[Account]) -> dict[Layer, int]:
    found: dict[Layer, int] = {}
    for account in accounts:
        for layer, size in account.layers.items():
            found[layer] = found.get(layer, 0) + size
    return found


def split(total: int, parts: Layers) -> dict[Layer, int]:
    """``total`` shared out by the sizes of ``parts``, to the byte: what is left over goes to those cut off most."""
    whole = sum(parts.values())
    if whole <= 0:
        return {Layer.DEAD: total} if total else {}
    found = {layer: total * size // whole for layer, size in parts.items()}
    cut = sorted(parts, key=lambda layer: (-(total * parts[layer] % whole), list(Layer).index(layer)))
    for layer in cut[: total - sum(found.values())]:
        found[layer] += 1
    return {layer: size for layer, size in found.items() if size}
