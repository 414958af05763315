"""The cluster whose hosts can all use the place."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from movelot_core.placement.facts import PlaceFacts
from movelot_core.placement.requirements.base import HAS, Answer, Editor, Found, Part, Requirement, Value


@dataclass(frozen=True)
class OfCluster(Requirement):
    """Every host of the cluster mounts it."""

    kind, part, label = "cluster", Part.WHERE, "cluster"
    editor = Editor("text", example="quayside")

    def fit(self, place: PlaceFacts) -> Found:
        if self.value in place.clusters:
            return HAS
        return Found(Answer.CANNOT, f"not mounted by all hosts of {self.value}", 0.5)

    def sentence(self) -> str:
        return f"on every host of {self.value}"

    @classmethod
    def values_of(cls, place: PlaceFacts) -> Iterable[Value]:
        return sorted(place.clusters)
