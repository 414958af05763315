"""How many paths hosts have to it, and whether one broken part takes all of them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from movelot_core.placement.facts import PlaceFacts
from movelot_core.placement.requirements.base import HAS, Answer, Editor, Found, Part, Requirement, Value
from movelot_core.units import count_of


@dataclass(frozen=True)
class Paths(Requirement):
    """Each host that mounts it has so many paths."""

    kind, part, label = "paths", Part.WHERE, "paths from every host"
    editor = Editor("number", "paths", 1, 64)

    def fit(self, place: PlaceFacts) -> Found:
        if place.paths is None:
            return Found(Answer.UNKNOWN, "how many paths lead there is not known")
        wanted = int(self.value)
        if place.paths >= wanted:
            return HAS
        return Found(
            Answer.CANNOT, f"a host has {count_of(place.paths, 'path')}, not {wanted}", 1 - place.paths / wanted
        )

    def sentence(self) -> str:
        return f"at least {count_of(int(self.value), 'path')} from every host"


@dataclass(frozen=True)
class NoSinglePoint(Requirement):
    """No part alone carries all paths of a host."""

    kind, part, label = "no_single_point", Part.WHERE, "single points of failure"
    editor = Editor("choice", options=(("none", "none"),))

    def fit(self, place: PlaceFacts) -> Found:
        if place.weak is None:
            return Found(Answer.UNKNOWN, "what its paths hang on is not known")
        if not place.weak:
            return HAS
        more = f" and {len(place.weak) - 1} more" if len(place.weak) > 1 else ""
        return Found(Answer.CANNOT, f"a host hangs on {place.weak[0]} alone{more}", 0.4)

    def sentence(self) -> str:
        return "no single point of failure on the way"

    @classmethod
    def values_of(cls, place: PlaceFacts) -> Iterable[Value]:
        return ["none"] if place.weak == () else []
