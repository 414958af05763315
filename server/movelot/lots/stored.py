"""Steps as they are stored, read back as what they are: a kind with its params, and what it told."""

from __future__ import annotations

from collections.abc import Mapping

from movelot.lots.models import Lot, Step
from movelot.lots.steps import KINDS, AnyKind
from movelot.lots.steps.base import StepKind, StepProblem
from movelot.lots.steps.values import Result, filled


def kind_of_step(step: Step) -> AnyKind:
    """The kind of a stored step. StepProblem for one that this release does not know."""
    kind = KINDS.get(step.kind)
    if kind is None:
        message = f"This release knows no step of kind “{step.kind}”."
        raise StepProblem("kind_unknown", message, "Nothing was changed by this step.", "Draft the lot again.")
    return kind


def step_of(step: Step, others: Mapping[str, Step]) -> StepKind[Result]:
    """The step ready to run: what ``others`` of its lot told, by position, stands where its params name it.

    StepProblem where its params cannot be understood.
    """
    params = filled(step.params, lambda position: others[str(position)].result)
    return kind_of_step(step).read(params, step.params_version)


def told_by(step: Step) -> Result:
    """What a step told. StepProblem where it cannot be understood."""
    result: Result = kind_of_step(step).told(step.result)
    return result


def waits_for(step: Step, lot: Lot) -> list[int]:
    """Positions of the steps that a step waits for, those behind barriers too."""
    found: dict[int, None] = {}
    left = [*step.needs]
    while left:
        need = left.pop(0)
        if need < 0:
            left += lot.barriers[-need - 1]
        else:
            found[need] = None
    return sorted(found)
