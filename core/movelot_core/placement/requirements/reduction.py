"""How data is made smaller."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from movelot_core.attach import REDUCTIONS
from movelot_core.placement.facts import PlaceFacts
from movelot_core.placement.requirements.base import HAS, Answer, Editor, Found, Part, Requirement, Value

SAID = {"compression": "compressed", "deduplication": "deduplicated"}


@dataclass(frozen=True)
class Reduced(Requirement):
    """Compressed, or deduplicated."""

    kind, part, label = "reduction", Part.KEPT, "data reduction"
    editor = Editor("choice", options=tuple((way, SAID[way]) for way in REDUCTIONS))
    several = True

    def fit(self, place: PlaceFacts) -> Found:
        if self.value in place.reduced:
            return HAS
        said = f"not {SAID[str(self.value)]}"
        return Found(Answer.MAKES, said, 0.2) if self.value in place.makes else Found(Answer.CANNOT, said, 0.7)

    def sentence(self) -> str:
        return SAID[str(self.value)]

    @classmethod
    def values_of(cls, place: PlaceFacts) -> Iterable[Value]:
        return [way for way in REDUCTIONS if way in place.reduced | place.makes]
