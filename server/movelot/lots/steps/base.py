"""The contract of a step kind: check, begin, follow, verify, undo.

A kind is stateless; all it may use is the StepRun it is given. ``begin`` must be safe to call again after a crash at
any instant: it first looks whether its effect, or work under its key, is there already.

StepProblem   a step may not or did not do its work; what stayed as it was is part of it
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

from movelot.devices.session import DeviceSession
from movelot.devices.work import Work, abandon, work_at

Values = dict[str, Any]


class StepProblem(Exception):
    """Why a step stopped: a sentence, what stayed as it was, and the way on."""

    def __init__(self, code: str, message: str, unchanged: str = "", hint: str = "") -> None:
        super().__init__(message)
        self.code, self.message, self.unchanged, self.hint = code, message, unchanged, hint

    def document(self, device: str) -> Values:
        return {
            "code": self.code,
            "device": device,
            "message": self.message,
            "unchanged": self.unchanged,
            "hint": self.hint,
        }


@dataclass(frozen=True)
class StepSpec:
    """A step as a stage drafts it. ``needs`` are positions in the same draft.

    ``last`` marks a step of an undo that only makes sense once all others ran, such as a scan that sees things gone.
    A param, or an entry of a list that is one, may be ``{"step": n, "field": name}``: the field of that step's result,
    known once it is done.
    """

    kind: str
    device: str
    title: str
    detail: str = ""
    params: Mapping[str, Any] = field(default_factory=dict)
    needs: tuple[int, ...] = ()
    slots: tuple[str, ...] = ()
    seconds: float = 1.0
    last: bool = False


@dataclass(frozen=True)
class StepRun:
    """A step as its kind sees it: its key, its params with results filled in, and a session with its device."""

    key: str
    params: Values
    session: DeviceSession
    task_uri: str = ""
    result: Values = field(default_factory=dict)


class Unproven(Exception):
    """A step acted, but its effect was not there when the device was asked anew; what was made is in ``progress``."""

    def __init__(self, cause: StepProblem, progress: Progress, reversible: bool) -> None:
        super().__init__(cause.message)
        self.progress = progress
        then = "an undo takes that back." if reversible else "nothing brings back what was there."
        self.problem = StepProblem(cause.code, cause.message, f"The step acted; {then}", cause.hint)


@dataclass(frozen=True)
class Progress:
    """Where a step stands: done with a result, or long work followed at ``task_uri``."""

    done: bool
    result: Values = field(default_factory=dict)
    task_uri: str = ""
    work: Work | None = None


class StepKind(ABC):
    """One kind of step."""

    name: ClassVar[str]
    # What has to hold afterwards, for people who do the step by hand.
    proof: ClassVar[str] = ""
    # False where nothing brings back what the step took away.
    reversible: ClassVar[bool] = True
    # Whether it acts more than once on its device, so that one that failed may have done a part.
    piecewise: ClassVar[bool] = False

    @abstractmethod
    def begin(self, run: StepRun) -> Progress:
        """Do the step, or start its work; harmless when done already. Raises StepProblem or DeviceError."""

    def follow(self, run: StepRun) -> Progress:
        """Where long work stands. A task that ended badly raises StepProblem."""
        work = work_at(run.session, run.task_uri)
        if work.running:
            return Progress(False, run.result, run.task_uri, work)
        if not work.ended_well:
            raise StepProblem(
                "work_ended",
                f"The device ended the work as {work.state.lower()}. {work.message}".strip(),
                "The device undid what was half done.",
                "Check the lot and run it on.",
            )
        return Progress(True, run.result, run.task_uri, work)

    @abstractmethod
    def verify(self, run: StepRun) -> None:
        """Prove the effect by asking the device anew; StepProblem when it is not there."""

    @abstractmethod
    def undo(self, params: Values, result: Values) -> StepSpec | None:
        """The step that takes this one back (the caller fills in device and needs); None if nothing has to be."""

    def stop(self, run: StepRun) -> bool:
        """Abandon running work safely. Returns whether there was any; short steps have none and are let finish."""
        if not run.task_uri:
            return False
        abandon(run.session, run.task_uri)
        return True


def demand(
    holds: bool, code: str, message: str, unchanged: str = "Nothing was changed by this step.", hint: str = ""
) -> None:
    """Raise StepProblem unless ``holds``."""
    if not holds:
        raise StepProblem(code, message, unchanged, hint)
