"""All storage kinds by name, found in the files of this folder: one that is written is registered."""

from __future__ import annotations

import importlib
import inspect
import pkgutil

from movelot.attach.storage.base import StorageKind
from movelot.inventory.models import Volume


def _kinds_in(package: str, paths: list[str]) -> dict[str, StorageKind]:
    found: dict[str, StorageKind] = {}
    for info in pkgutil.iter_modules(paths):
        module = importlib.import_module(f"{package}.{info.name}")
        for each in vars(module).values():
            if inspect.isclass(each) and issubclass(each, StorageKind) and not inspect.isabstract(each):
                found[each.name] = each()
    return found


STORAGE_KINDS: dict[str, StorageKind] = _kinds_in(__name__, list(__path__))


def storage_kind_of(volume: Volume) -> StorageKind:
    """The kind of a volume. KeyError for one that no file here knows."""
    return STORAGE_KINDS[volume.kind]
