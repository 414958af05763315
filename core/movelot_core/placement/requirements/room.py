"""Whether room is taken as it fills, or at once."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from movelot_core.placement.facts import PlaceFacts
from movelot_core.placement.requirements.base import Editor, Found, Part, Requirement, Value, one_of


@dataclass(frozen=True)
class Promised(Requirement):
    """Thin or thick."""

    kind, part, label = "room", Part.ROOM, "room"
    editor = Editor("choice", options=(("thin", "thin"), ("thick", "thick")))

    def fit(self, place: PlaceFacts) -> Found:
        had = None if place.thin is None else "thin" if place.thin else "thick"
        return one_of(had, str(self.value), f"what lies beneath is {had}", "whether it is thin is not told")

    def sentence(self) -> str:
        return str(self.value)

    @classmethod
    def values_of(cls, place: PlaceFacts) -> Iterable[Value]:
        return [] if place.thin is None else ["thin" if place.thin else "thick"]
