"""Labels that a place has to carry, or may not."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from movelot_core.errors import LabelError, RequirementError
from movelot_core.labels import parse_label
from movelot_core.placement.facts import PlaceFacts
from movelot_core.placement.requirements.base import HAS, Answer, Editor, Found, Part, Requirement, Value

EXAMPLE = "site=shore"


@dataclass(frozen=True)
class Labelled(Requirement):
    """The datastore, or its pool, carries the label."""

    kind, part, label = "label", Part.WHERE, "label"
    editor = Editor("text", example=EXAMPLE)
    several = True

    def fit(self, place: PlaceFacts) -> Found:
        key, _mark, wanted = str(self.value).partition("=")
        had = place.labels.get(key)
        if had == wanted:
            return HAS
        said = f"no label {self.value}" if had is None else f"label {key}={had}, not {self.value}"
        # People give a label in a moment: nothing is nearer.
        return Found(Answer.CANNOT, said, 0.1)

    def sentence(self) -> str:
        return f"labelled {self.value}"

    @classmethod
    def values_of(cls, place: PlaceFacts) -> Iterable[Value]:
        return [f"{key}={value}" for key, value in place.labels.items()]

    @classmethod
    def read(cls, value: object) -> Value:
        try:
            return str(parse_label(str(super().read(value))))
        except LabelError as error:
            raise RequirementError(error.code, error.message, error.hint) from error


@dataclass(frozen=True)
class Unlabelled(Labelled):
    """Neither the datastore nor its pool carries the label."""

    kind, label = "no_label", "not with label"

    def fit(self, place: PlaceFacts) -> Found:
        key, _mark, wanted = str(self.value).partition("=")
        if place.labels.get(key) == wanted:
            return Found(Answer.CANNOT, f"it carries {self.value}", 0.1)
        return HAS

    def sentence(self) -> str:
        return f"not labelled {self.value}"
