"""The contract of a lot kind: a typed form, what it comes to (its plan), steps, checks, facts, and what came of it.

A kind is one file in its stage, which registers it; this room knows no stage.
"""

from __future__ import annotations

import json
from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar, Generic, TypeVar

from pydantic import ValidationError

from movelot.jobs.work import Watch
from movelot.lots.documents import LotForm, LotPlan, form_of, read
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.problems import Problem

F = TypeVar("F", bound=LotForm)
P = TypeVar("P", bound=LotPlan)
PASS, WARN, STOP = "pass", "warn", "stop"


@dataclass
class Remedy:
    """A lot that would settle something: a kind and a form for the lots API, and what it would do."""

    kind: str
    form: dict[str, Any]
    action: str

    @property
    def key(self) -> str:
        """The same text for the same lot."""
        return f"{self.kind} {json.dumps(self.form, sort_keys=True, default=str)}"


@dataclass(frozen=True)
class Check:
    """One test of a lot before it runs: ``level`` pass, warn or stop, with its reason in a sentence."""

    name: str
    level: str
    text: str


@dataclass
class MeasuredRow:
    """Predicted against measured: fills are shares, latencies ms. ``measured`` is null until it is known.

    One that is not ``touched`` is looked at besides: the lot was not to change it.
    """

    subject_kind: str
    subject: str
    figure: str
    before: float | None
    predicted: float | None
    measured: float | None
    note: str = ""
    touched: bool = True


@dataclass
class Claim:
    """Room in a pool that a lot takes: for a volume of this name and size."""

    name: str
    size_bytes: int
    pool_id: int


@dataclass
class Draft(Generic[F, P]):
    """What a stage makes of a form: title, steps, what the page shows (``plan``), checks, and the facts relied on.

    ``form`` is given where drafting completed what was typed; ``lasts_hours`` where what the lot sets is taken back by
    itself so long after it.
    """

    title: str
    steps: StepPlan = field(default_factory=StepPlan)
    plan: P | None = None
    checks: list[Check] = field(default_factory=list)
    facts: dict[str, str] = field(default_factory=dict)
    form: F | None = None
    lasts_hours: int | None = None


class LotKind(ABC, Generic[F, P]):
    """A kind of lot. ``drafted`` computes from the stored reading; ``outcome`` measures after the run."""

    name: ClassVar[str]
    form: type[F]
    plan: type[P]
    # Raised when a document changes, with an ``upgraded`` that knows the older ones.
    documents_version: ClassVar[int] = 1
    # Whether every form comes to a plan, an empty one too.
    always_plans: ClassVar[bool] = False
    # Whether a new draft of it may take more than a moment to compute: a job drafts it then.
    drafted_by_job: ClassVar[bool] = False

    def computed(self, form: F, watch: Watch) -> F:
        """The form with what takes long to compute filled in: asked by a job, before it is drafted.

        ``watch`` is told what is done, how much of how much, and says whether to end with what there is.
        """
        return form

    @abstractmethod
    def drafted(self, form: F, lot: Lot) -> Draft[F, P]:
        """Everything about the lot from its form and the current reading."""

    def ask_first(self, lot: Lot) -> None:
        """Ask devices, in a job, for what has to be known before ``lot`` is drafted on a fresh reading."""

    def reserve(self, lot: Lot, plan: P) -> None:
        """Take what only one lot may have, in the transaction that starts ``lot``; raises Problem when it is taken."""

    def claims(self, plan: P) -> Sequence[Claim]:
        """The room in pools that a lot with this plan takes."""
        return ()

    @classmethod
    def claims_room(cls) -> bool:
        """Whether its lots make volumes, which ``claims`` names."""
        return cls.claims is not LotKind.claims

    def outcome(self, lot: Lot, plan: P) -> list[MeasuredRow]:
        """What was predicted beside what is measured now that the lot has ended."""
        return []

    def carry_over(self, plan: P) -> None:
        """Give what a lot made in place of something what people had decided of that; once, when all of it is done."""

    def upgraded(self, form: dict[str, Any], plan: dict[str, Any], version: int) -> tuple[dict[str, Any], ...]:
        """A form and a plan stored by an older ``version`` of the kind as they are today."""
        return form, plan

    def form_of(self, lot: Lot) -> F:
        """The form as stored. Problem 422 where it cannot be understood."""
        return form_of(self.form, self._documents(lot)[0])

    def plan_of(self, lot: Lot) -> P | None:
        """The plan as stored; None for a lot without one. Problem 409 where it cannot be understood."""
        document = self._documents(lot)[1]
        try:
            return read(self.plan, document) if document else None
        except ValidationError as error:
            where = ".".join(map(str, error.errors()[0]["loc"]))
            text = f"The plan of lot {lot.pk} is kept in a form that this release cannot read ({where})."
            raise Problem(409, "plan_unreadable", text, "Nothing was changed.", "Draft the lot again.") from error

    def _documents(self, lot: Lot) -> tuple[dict[str, Any], ...]:
        if lot.documents_version == self.documents_version:
            return lot.form, lot.plan
        return self.upgraded(lot.form, lot.plan, lot.documents_version)


AnyLotKind = LotKind[Any, Any]
REGISTRY: dict[str, AnyLotKind] = {}


def register(kind: AnyLotKind) -> None:
    """Make ``kind`` known; called by each stage when the application starts. ValueError for two of one name."""
    if kind.name in REGISTRY and type(REGISTRY[kind.name]) is not type(kind):
        raise ValueError(f"Two kinds of lots are named {kind.name}.")
    REGISTRY[kind.name] = kind


def kind_of(name: str) -> AnyLotKind:
    found = REGISTRY.get(name)
    if found is None:
        raise Problem(
            422, "kind_unknown", f"There is no lot of kind “{name}”.", hint=f"Use one of {', '.join(sorted(REGISTRY))}."
        )
    return found
