"""What came of asking a step's device, kept with the step: by the driver, and when unknown steps are asked about."""

from __future__ import annotations

import logging
import secrets
from collections.abc import Callable
from typing import Any

from django.db import transaction
from django.utils.timezone import now

from movelot.devices.errors import DeviceAway, DeviceError, DeviceOdd
from movelot.lots.models import Step
from movelot.lots.steps.base import Progress, StepKind, StepProblem, StepRun, Unproven
from movelot.lots.stored import kind_of_step
from movelot_core.step_keys import MARK_LENGTH, step_key

log = logging.getLogger(__name__)

State = Step.State


def record(step: Step, answer: Callable[[], Progress[Any] | None], *, halted: bool) -> None:
    """Keep what ``answer`` says of a step that is under way, or unknown; None is that it did nothing.

    In a lot that was ``halted``, work that ended unfinished is abandoned rather than failed, and what did nothing
    waits. Raises DeviceAway where the device does not answer.
    """
    try:
        progress = answer()
    except DeviceAway:
        raise
    except DeviceOdd as error:
        leave_unknown(step, error)
    except Unproven as unproven:
        step.result, step.touched = _document(unproven.progress), True
        fail(step, unproven.problem)
    except StepProblem as problem:
        if halted and problem.code == "work_ended":
            _end(step, State.ABANDONED)
        else:
            fail(step, problem)
    except DeviceError as error:
        step.touched |= kind_of_step(step).piecewise
        fail(step, _refusal(error))
    else:
        if progress is not None:
            _progressed(step, progress)
        else:
            _not_done(step, halted=halted)


NOT_DONE = "It was asked since: nothing was done by this step."


def proven(progress: Progress[Any], kind: StepKind[Any], run: StepRun[Any]) -> Progress[Any]:
    """``progress``, once its effect was verified on the device if it claims to be done. Raises Unproven."""
    if progress.done:
        result = progress.result or kind.told({})
        try:
            kind.verify(StepRun(run.key, run.session, progress.task_uri, result), result)
        except DeviceAway:
            # It is asked again, and so is the step's begin.
            raise
        except (StepProblem, DeviceError) as cause:
            problem = cause if isinstance(cause, StepProblem) else _refusal(cause)
            raise Unproven(problem, progress, kind.reversible) from cause
    return progress


def fail(step: Step, problem: StepProblem) -> None:
    """The step ended without its effect, for a reason."""
    step.problem = problem.document(step.device.name)
    _end(step, State.FAILED, step.problem)
    log.warning("lot %s step %s failed: %s", step.lot_id, step.position, problem.message)


def leave_unknown(step: Step, error: DeviceError) -> None:
    """What the step did is not known: its device stays away, or answers what cannot be used."""
    problem = StepProblem(error.code, error.message, "What it did last is not known.", "It is asked once it answers.")
    _end(step, State.UNKNOWN, problem.document(step.device.name))
    log.warning("lot %s step %s is unknown: %s", step.lot_id, step.position, error.message)


def _not_done(step: Step, *, halted: bool) -> None:
    """The device was asked, and did nothing: what an earlier beginning told holds no more.

    Nor does its key: under that the device may answer, as of old, that all was done.
    """
    step.task_uri, step.result = "", {}
    step.key = step_key(step.lot_id, step.position, secrets.token_hex(MARK_LENGTH // 2))
    if halted:
        step.state, step.started_at, step.ended_at, step.problem = State.WAITING, None, None, {}
        step.save()
    else:
        step.touched |= kind_of_step(step).piecewise
        fail(step, StepProblem("not_done", f"{step.device.name} was away.", NOT_DONE, "Continue the lot."))


def _progressed(step: Step, progress: Progress[Any]) -> None:
    step.task_uri, step.result, step.problem = progress.task_uri, _document(progress), {}
    if progress.work:
        step.done_amount, step.per_second = progress.work.done, progress.work.per_second
        step.total_amount = progress.work.total
    if progress.done:
        step.done_amount = step.total_amount
        with transaction.atomic():
            _end(step, State.DONE)
            kind_of_step(step).read(step.params, step.params_version).remember(step.device)
    else:
        step.save()


def _end(step: Step, state: str, problem: dict[str, str] | None = None) -> None:
    step.state, step.ended_at, step.per_second, step.problem = state, now(), 0, problem or {}
    step.save()


def _document(progress: Progress[Any]) -> dict[str, Any]:
    """What a step told so far, to be stored."""
    return progress.result.model_dump(mode="json") if progress.result else {}


def _refusal(error: DeviceError) -> StepProblem:
    unchanged, hint = "What was done before this step stays.", "Settle it on the device, then continue the lot."
    return StepProblem(error.code, error.message, unchanged, hint)
