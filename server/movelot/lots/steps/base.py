"""The contract of a step kind: begin, follow, verify, undo.

A kind is a model whose fields are its params, so that a step of it cannot be written otherwise than it is read. All it
may use besides is the StepRun it is given. ``begin`` must be safe to call again after a crash at any instant: it first
looks whether its effect, or work under its key, is there already.

StepProblem   a step may not or did not do its work; what stayed as it was is part of it
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar, Generic, Self, TypeVar

from pydantic import ConfigDict, ValidationError

from movelot.devices.errors import DeviceGone
from movelot.devices.session import DeviceSession, LookingSession, WouldAct
from movelot.devices.work import Work, abandon, work_at
from movelot.inventory.models import Device
from movelot.lots.steps.touches import Room, Touched
from movelot.lots.steps.values import Document, Nothing, Result

R = TypeVar("R", bound=Result)


class StepProblem(Exception):
    """Why a step stopped: a sentence, what stayed as it was, and the way on."""

    def __init__(self, code: str, message: str, unchanged: str = "", hint: str = "") -> None:
        super().__init__(message)
        self.code, self.message, self.unchanged, self.hint = code, message, unchanged, hint

    def document(self, device: str) -> dict[str, str]:
        return {
            "code": self.code,
            "device": device,
            "message": self.message,
            "unchanged": self.unchanged,
            "hint": self.hint,
        }


@dataclass(frozen=True)
class StepSpec(Generic[R]):
    """A step as a stage drafts it: what it does, on which device, and what people read of it.

    ``slots`` are what it occupies besides its device, ``seconds`` what it should take from sizes and rates as devices
    tell them. ``undoes`` is the position, in the lot that is undone, of the step that it takes back. ``last`` marks a
    step of an undo that only makes sense once all others ran, such as a scan that sees things gone.
    """

    step: StepKind[R]
    device: str
    title: str
    detail: str = ""
    slots: tuple[str, ...] = ()
    seconds: float = 1.0
    last: bool = False
    undoes: int | None = None


@dataclass(frozen=True)
class StepRun(Generic[R]):
    """A step under way: its key, a session with its device, the work it started there, and what it told so far."""

    key: str
    session: DeviceSession
    task_uri: str = ""
    result: R | None = None


@dataclass(frozen=True)
class Progress(Generic[R]):
    """Where a step stands: done with a result, or long work followed at ``task_uri``. None is the empty result."""

    done: bool
    result: R | None = None
    task_uri: str = ""
    work: Work | None = None


class Unproven(Exception):
    """A step acted, but its effect was not there when the device was asked anew; what was made is in ``progress``."""

    def __init__(self, cause: StepProblem, progress: Progress[Any], reversible: bool) -> None:
        super().__init__(cause.message)
        self.progress = progress
        then = "an undo takes that back." if reversible else "nothing brings back what was there."
        self.problem = StepProblem(cause.code, cause.message, f"The step acted; {then}", cause.hint)


class StepKind(Document, ABC, Generic[R]):
    """One kind of step; its fields are its params."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)

    # Its name in the database and the API.
    kind: ClassVar[str]
    # Raised when params change, with an ``upgraded`` that knows the older ones.
    params_version: ClassVar[int] = 1
    # What has to hold afterwards, for people who do the step by hand.
    proof: ClassVar[str] = ""
    # False where nothing brings back what the step took away.
    reversible: ClassVar[bool] = True
    # Whether it acts more than once on its device, so that one that failed may have done a part.
    piecewise: ClassVar[bool] = False
    # What is said of work that ended before its end.
    half_done: ClassVar[str] = "The device undid what was half done."
    # Whether volumes of sets may come and go by it: their arrays are read as well once a lot with it has ended.
    changes_sets: ClassVar[bool] = False
    # Whether it signs in by itself: its device can tell what it did also while the account that is kept is refused.
    signs_in: ClassVar[bool] = False

    @classmethod
    def result_type(cls) -> type[Result]:
        """The model of what it tells."""
        for base in cls.__mro__:
            meta: dict[str, Any] = getattr(base, "__pydantic_generic_metadata__", {})
            # Kinds may have a base of their own between, which leaves the result open.
            if meta.get("origin") and issubclass(meta["origin"], StepKind) and isinstance(meta["args"][0], type):
                found: type[Result] = meta["args"][0]
                return found
        return Nothing

    @classmethod
    def routes(cls, steps: Sequence[Self]) -> list[str]:
        """Between what each of ``steps`` goes, where its pace is of that more than of its device; else "".

        All at once, as it is asked for the thousands of a lot.
        """
        return [""] * len(steps)

    @classmethod
    def upgraded(cls, params: dict[str, Any], version: int) -> dict[str, Any]:
        """Params stored by an older ``version`` of the kind as they are today."""
        return params

    @classmethod
    def read(cls, params: dict[str, Any], version: int) -> StepKind[R]:
        """The step as it was stored. StepProblem, with the field named, where it cannot be understood."""
        try:
            return cls.model_validate(params if version == cls.params_version else cls.upgraded(params, version))
        except ValidationError as error:
            raise unreadable(error, "step") from error

    @classmethod
    def told(cls, result: dict[str, Any]) -> R:
        """A stored result. StepProblem, with the field named, where it cannot be understood."""
        try:
            return cls.result_type().model_validate(result)  # type: ignore[return-value]  # R, by result_type
        except ValidationError as error:
            raise unreadable(error, "result of the step") from error

    def on(self, device: str, title: str, detail: str = "", **more: Any) -> StepSpec[R]:
        """The step as drafted for a device, with what people read of it; ``more`` as StepSpec has it."""
        return StepSpec(self, device, title, detail, **more)

    @property
    def amount(self) -> float:
        """How much there is to do, in the units in which its device tells progress; 0 where it tells none."""
        return 0.0

    @classmethod
    def in_the_way(cls, steps: Sequence[tuple[str, Self]], touched: Collection[str]) -> list[str]:
        """What of the last reading keeps ``steps`` of this kind, with their devices, from being done, in sentences.

        Asked for all steps of a lot at once; ``touched`` are the things that steps of the lot work on (see touches).
        """
        return []

    def touches(self, device: Device) -> list[Touched]:
        """What it works on besides ``device``, on which it runs."""
        return []

    @property
    def room(self) -> Room | None:
        """What it takes of the room in a datastore."""
        return None

    @abstractmethod
    def begin(self, run: StepRun[R]) -> Progress[R]:
        """Do the step, or start its work; harmless when done already. Raises StepProblem or DeviceError."""

    def follow(self, run: StepRun[R]) -> Progress[R]:
        """Where long work stands. A task that ended badly raises StepProblem."""
        work = work_at(run.session, run.task_uri)
        if work.running:
            return Progress(False, run.result, run.task_uri, work)
        if not work.ended_well:
            raise StepProblem(
                "work_ended",
                f"The device ended the work as {work.state.lower()}. {work.message}".strip(),
                self.half_done,
                "Look at the lot and continue it.",
            )
        return Progress(True, run.result, run.task_uri, work)

    def look(self, run: StepRun[R]) -> Progress[R] | None:
        """What became of the step, asked of its device without doing anything: done, under way, or None where it was
        not done.

        ``begin`` looks before it acts, so that it is asked how far it comes. Kinds whose begin always acts say it here.
        StepProblem where something else is there than the step would find or leave.
        """
        looking = replace(run, session=LookingSession(run.session))
        try:
            if run.task_uri:
                return self.follow(looking)
        except DeviceGone:
            # The device no longer knows the work by its task: its effect is there, or is not.
            looking = replace(looking, task_uri="")
        except WouldAct:
            return None
        try:
            return self.begin(looking)
        except WouldAct:
            return None

    def as_proven(self, run: StepRun[R]) -> Progress[R] | None:
        """How kinds look that tell nothing and whose begin acts in any case: done where what has to hold holds."""
        try:
            self.verify(run, self.told({}))
        except StepProblem:
            return None
        return Progress(True)

    @abstractmethod
    def verify(self, run: StepRun[R], result: R) -> None:
        """Prove the effect by asking the device anew; StepProblem when it is not there."""

    def remember(self, device: Device) -> None:
        """What Move Lot itself has to know of ``device`` from now on; called once the step is done, as it is stored.

        The only part of a step that writes to the database; harmless when called again.
        """

    @abstractmethod
    def undo(self, result: R) -> StepSpec[Any] | None:
        """The step that takes this one back (the caller fills in the device); None if nothing has to be."""

    def stop(self, run: StepRun[R]) -> bool:
        """Abandon running work safely. Returns whether there was any; short steps have none and are let finish."""
        if not run.task_uri:
            return False
        abandon(run.session, run.task_uri)
        return True


def unreadable(error: ValidationError, what: str) -> StepProblem:
    """What of a stored document cannot be understood."""
    first = error.errors(include_url=False)[0]
    where = ".".join(map(str, first["loc"])) or "the whole"
    message = f"The {what} is kept in a form that this release cannot read ({where}: {first['msg'].lower()})."
    return StepProblem("step_unreadable", message, "Nothing was changed by this step.", "Draft the lot again.")


def demand(
    holds: bool, code: str, message: str, unchanged: str = "Nothing was changed by this step.", hint: str = ""
) -> None:
    """Raise StepProblem unless ``holds``."""
    if not holds:
        raise StepProblem(code, message, unchanged, hint)
