"""All storage kinds by name, found in the files of this folder: one that is written is registered."""

from __future__ import annotations

from movelot.attach.storage.base import StorageKind
from movelot.inventory.models import Volume
from movelot_core.families import members_in

STORAGE_KINDS: dict[str, StorageKind] = {
    each.name: each()
    for each in members_in(__name__, __path__, StorageKind)  # type: ignore[type-abstract]
}


def storage_kind_of(volume: Volume) -> StorageKind:
    """The kind of a volume. KeyError for one that no file here knows."""
    return STORAGE_KINDS[volume.kind]
