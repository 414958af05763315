"""The contract of a finding kind: typed evidence, the id of its subject, urgency, sentence, the lot that settles it.

A kind is one file in its stage. What judges (see ``judging``) gives evidence of a kind and a subject; everything that
is said of it is said here, once: the page only shows it.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, fields, is_dataclass
from functools import cached_property
from typing import Any, ClassVar, Generic, TypeVar

from pydantic import ConfigDict, TypeAdapter

from movelot.lots.kinds import Remedy
from movelot_core.rounds import Urgency

E = TypeVar("E")


@dataclass(frozen=True)
class Size:
    """A size inside a sentence: shown in the unit that its reader has chosen."""

    bytes: float


Words = Sequence[str | Size]


@dataclass(frozen=True)
class Subject:
    """What a finding is about: its kind (as in traces), primary key where it has one, and its name as last read."""

    kind: str
    id: int | None
    name: str


@dataclass(frozen=True)
class Found(Generic[E]):
    """Evidence of a kind on a subject. ``scope`` tells two of one kind about one subject apart."""

    kind: FindingKind[E]
    subject: Subject
    evidence: E
    scope: str = ""


class FindingKind(ABC, Generic[E]):
    """One kind of finding. Stateless."""

    name: ClassVar[str]
    # The stage whose lot settles it; its page counts it.
    stage: ClassVar[str]
    # Among findings of one urgency those of lower rank come first.
    rank: ClassVar[int] = 9
    evidence: type[E]
    # What to do where no lot settles it.
    look: ClassVar[str] = "Look at the trace"
    # Evidence as it may be, for the contract test and for documentation.
    examples: Sequence[E]

    @abstractmethod
    def urgency(self, evidence: E) -> Urgency:
        """How soon it wants a person."""

    @abstractmethod
    def title(self, evidence: E) -> str:
        """What it is, in a few words."""

    @abstractmethod
    def text(self, evidence: E) -> Words:
        """One sentence with its figures."""

    def reasons(self, evidence: E) -> list[str]:
        """What caused it, each in a few words; part of the sentence as well."""
        return []

    def remedy(self, subject: Subject, evidence: E) -> Remedy | None:
        """The lot that settles it."""
        return None

    def action(self, subject: Subject, evidence: E) -> Words:
        """What to do: what the lot would do, else where to look."""
        found = self.remedy(subject, evidence)
        return [found.action if found else self.look]

    def place(self, subject: Subject, evidence: E) -> str:
        """Where to look, as a path of the front end; empty where there is no such page."""
        return f"/trace/{subject.kind}/{subject.id}" if subject.id else ""

    def label(self, subject: Subject, evidence: E) -> str:
        """The subject with what tells two alike apart."""
        return subject.name

    @cached_property
    def _adapter(self) -> TypeAdapter[E]:
        return TypeAdapter(self.evidence, config=None if is_dataclass(self.evidence) else ConfigDict(extra="forbid"))

    def stored(self, evidence: E) -> dict[str, Any]:
        """Evidence as JSON."""
        found: dict[str, Any] = self._adapter.dump_python(evidence, mode="json")
        return found

    def read(self, stored: dict[str, Any]) -> E:
        """Evidence from JSON; ValueError where an older version stored another form."""
        known = {each.name for each in fields(self.evidence)}  # type: ignore[arg-type]
        if set(stored) - known:
            raise ValueError(f"{self.name} has no {', '.join(sorted(set(stored) - known))}")
        return self._adapter.validate_python(stored)


@dataclass
class Registry:
    """All kinds by name; stages bring theirs when the application starts."""

    kinds: dict[str, FindingKind[Any]] = field(default_factory=dict)

    def add(self, kinds: Iterable[FindingKind[Any]]) -> None:
        """Make kinds known."""
        for kind in kinds:
            self.kinds[kind.name] = kind


REGISTRY = Registry()
