"""The kind of storage."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from movelot_core.placement.facts import PlaceFacts
from movelot_core.placement.requirements.base import Editor, Found, Part, Requirement, Value, one_of

SAID = {
    "block": "on volumes",
    "file": "on file storage",
    "set": "a volume per disk",
    "local": "on a host's own drives",
}


@dataclass(frozen=True)
class OfStorage(Requirement):
    """Volumes, file storage, a volume per disk, or a host's own drives."""

    kind, part, label = "storage", Part.WHERE, "storage"
    editor = Editor("choice", options=tuple(SAID.items()))

    def fit(self, place: PlaceFacts) -> Found:
        return one_of(place.kind, str(self.value), f"it is {SAID.get(place.kind, place.kind)}", "its kind is not told")

    def sentence(self) -> str:
        return SAID[str(self.value)]

    @classmethod
    def values_of(cls, place: PlaceFacts) -> Iterable[Value]:
        return [place.kind]
