"""What the drives of the pool are."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from movelot_core.placement.facts import PlaceFacts
from movelot_core.placement.requirements.base import Editor, Found, Part, Requirement, Value, one_of

SAID = {"SSD": "flash", "HDD": "spinning drives"}


@dataclass(frozen=True)
class OnMedia(Requirement):
    """Flash, or spinning drives."""

    kind, part, label = "media", Part.KEPT, "media"
    editor = Editor("choice", options=tuple(SAID.items()))

    def fit(self, place: PlaceFacts) -> Found:
        had = SAID.get(place.media or "", place.media)
        return one_of(place.media, str(self.value), f"its pool has {had}", "its media are not told")

    def sentence(self) -> str:
        return f"on {SAID[str(self.value)]}"

    @classmethod
    def values_of(cls, place: PlaceFacts) -> Iterable[Value]:
        return [place.media] if place.media in SAID else []
