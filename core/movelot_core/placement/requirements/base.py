"""The contract of a requirement: one thing that a policy asks of a place, with one value.

A kind is a file in this folder: what it is called, how its value is typed, whether a place serves it and why not, and
its sentence. Nothing else names it.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar

from movelot_core.errors import RequirementError
from movelot_core.placement.facts import DiskFacts, PlaceFacts

Value = str | int | float


class Part(StrEnum):
    """Which part of a policy a requirement belongs to, in the order in which they are told."""

    WHERE = "where"
    KEPT = "kept how"
    FAST = "how fast"
    ROOM = "room promised"
    IMPOSSIBLE = "while impossible"


class Answer(StrEnum):
    """Whether a place serves a requirement, the best first."""

    HAS = "has it"
    MAKES = "can make it"
    UNKNOWN = "not known"
    CANNOT = "cannot"

    @property
    def rank(self) -> int:
        """0 is best."""
        return _RANKS[self]


_RANKS = {answer: n for n, answer in enumerate(Answer)}


@dataclass(frozen=True, slots=True)
class Found:
    """The answer of a place; ``reason`` where it does not have it, ``miss`` how far off it is (0 near, 1 far)."""

    answer: Answer
    reason: str = ""
    miss: float = 1.0


HAS = Found(Answer.HAS, miss=0.0)


@dataclass(frozen=True)
class Editor:
    """How a value is typed: ``number`` in a ``unit`` within limits, one of ``options``, ``text`` like ``example``."""

    how: str
    unit: str = ""
    least: float = 0
    most: float = 0
    options: tuple[tuple[str, str], ...] = ()
    example: str = ""


@dataclass(frozen=True)
class Requirement(ABC):
    """One requirement with its value."""

    value: Value

    kind: ClassVar[str]
    part: ClassVar[Part]
    # What stands beside its editor.
    label: ClassVar[str]
    editor: ClassVar[Editor]
    # Whether a policy may have several, as of labels.
    several: ClassVar[bool] = False
    # Whether it is set on each disk: a place serves it that lets it be set, and each disk is judged besides.
    of_disk: ClassVar[bool] = False

    @abstractmethod
    def fit(self, place: PlaceFacts) -> Found:
        """Whether ``place`` serves it, else why not."""

    @abstractmethod
    def sentence(self) -> str:
        """What it asks, as a part of a sentence."""

    def lacking(self, disk: DiskFacts) -> str:
        """What a disk lacks of it where its place serves it; empty for nothing."""
        return ""

    def limits(self) -> tuple[int, int]:
        """The cap and the floor that it asks for each disk, in IOPS; 0 for none."""
        return 0, 0

    @classmethod
    def values_of(cls, place: PlaceFacts) -> Iterable[Value]:
        """Values of it that ``place`` serves, for editors to offer; empty where values are not told apart."""
        return ()

    @classmethod
    def read(cls, value: object) -> Value:
        """A value as it was typed. RequirementError for one that does not fit the editor."""
        editor = cls.editor
        if editor.how == "number":
            return _number(cls.label, editor, value)
        if not isinstance(value, str) or not value.strip():
            raise RequirementError(
                "requirement_value", f"{cls.label}: say a value, as {editor.example or editor.options[0][0]}."
            )
        known = [option for option, _said in editor.options]
        if known and value not in known:
            raise RequirementError("requirement_value", f"{cls.label}: “{value}” is none of {', '.join(known)}.")
        return value.strip()


def _number(label: str, editor: Editor, value: object) -> Value:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not editor.least <= value <= editor.most:
        unit = f" {editor.unit}" if editor.unit else ""
        limits = f"{editor.least:g} to {editor.most:g}{unit}"
        raise RequirementError("requirement_value", f"{label}: say a number, {limits}.")
    return value


def one_of(had: str | None, wanted: str, said: str, unknown: str) -> Found:
    """The answer where a place has one thing of a kind: the wanted one, another, or nobody tells."""
    if had is None:
        return Found(Answer.UNKNOWN, unknown)
    return HAS if had == wanted else Found(Answer.CANNOT, said)
