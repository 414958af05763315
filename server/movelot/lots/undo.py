"""Lots that undo another one: what their steps are, and in which order."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from movelot.inventory.models import Device
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.drafting import graph_of
from movelot.lots.kinds import PASS, STOP, Check, Draft, LotKind
from movelot.lots.models import Lot, Step
from movelot.lots.step_plan import AnyHandle, Handle, StepPlan
from movelot.lots.steps import AnyKind
from movelot.lots.steps.base import StepProblem, StepSpec
from movelot.lots.stored import step_of, told_by
from movelot.lots.unknown import settle
from movelot.problems import Problem
from movelot_core.lots import StepGraph, StepNode, undo_order
from movelot_core.units import count_of

SAID_OF_A_KIND = 5


@dataclass(frozen=True)
class UndoForm(LotForm):
    """Nothing is typed: the lot says what it undoes."""


@dataclass
class UndoPlan(LotPlan):
    """The lot that is undone."""

    undoes: int


class UndoKind(LotKind[UndoForm, UndoPlan]):
    """Lots that undo another: the undos of steps that acted, last first, each waiting for those that it must follow."""

    name, form, plan = "undo", UndoForm, UndoPlan

    def ask_first(self, lot: Lot) -> None:
        if lot.undoes is not None:
            settle(lot.undoes)

    def drafted(self, form: UndoForm, lot: Lot) -> Draft[UndoForm, UndoPlan]:
        target = lot.undoes
        if target is None:
            raise Problem(422, "nothing_to_undo", "Say which lot to undo.", hint="Open the lot and press Undo.")
        steps = {str(step.position): step for step in target.steps.select_related("device")}
        acted = [step for step in steps.values() if step.acted]
        unknown = [step for step in steps.values() if step.state == Step.State.UNKNOWN]
        try:
            plan = _undos(target, steps)
        except StepProblem as cause:
            raise Problem(409, cause.code, cause.message, "Nothing was changed.", cause.hint) from cause
        facts = {f"step {step.position}": step.state for step in steps.values()}
        text = f"{count_of(len(acted), 'step')} acted, {len(plan)} with something to take back"
        checks = [Check("can be undone", PASS, text)]
        checks += [Check("nothing in the way", STOP, text) for text in _in_the_way(plan)]
        if unknown:
            checks.append(Check("known what was done", STOP, _not_known(unknown)))
        return Draft(f"Undo lot {target.pk}: {target.title}"[:200], plan, UndoPlan(target.pk), checks, facts)


def _in_the_way(plan: StepPlan) -> list[str]:
    """What of the last reading would stop the steps, the first of each kind of step."""
    by_kind: dict[AnyKind, list[tuple[str, Any]]] = {}
    for spec in plan.specs:
        by_kind.setdefault(type(spec.step), []).append((spec.device, spec.step))
    said: dict[str, None] = {}
    devices = {each.name: each for each in Device.objects.filter(name__in={spec.device for spec in plan.specs})}
    touched = {
        each.thing for spec in plan.specs if spec.device in devices for each in spec.step.touches(devices[spec.device])
    }
    for kind, steps in by_kind.items():
        said |= dict.fromkeys(kind.in_the_way(steps, touched)[:SAID_OF_A_KIND])
    return [*said]


def _not_known(unknown: list[Step]) -> str:
    """Which steps are not known, and what brings an answer."""
    first = unknown[0]
    more = f" The same holds for {count_of(len(unknown) - 1, 'more step')}." if len(unknown) > 1 else ""
    said = f"{first.problem.get('message', '')} It is not known what it did."
    return f"“{first.title}” on {first.device.name}: {said}{more} Check again once it answers."


def _undos(target: Lot, steps: dict[str, Step]) -> StepPlan:
    """The undo of each step that acted, in an order in which each finds what it needs."""
    original = target.undoes
    if original and any(step.undoes is not None for step in steps.values()):
        return _again(original, steps)
    graph = _graph(target, steps.values())
    followers: dict[str, list[str]] = {}
    for node in graph.steps:
        for need in node.needs:
            followers.setdefault(need, []).append(node.key)
    plan, late = StepPlan(), list[StepSpec[Any]]()
    plan.limits = target.limits
    waits: dict[str, list[AnyHandle]] = {}
    for key in undo_order(graph, [node.key for node in graph.steps]):
        after = [handle for other in followers.get(key, ()) for handle in waits[other]]
        spec = _undo(steps[key], steps) if key in steps else None
        if spec is None or spec.last:
            late += [spec] if spec else []
            # Nothing to take back here yet, but what follows it still comes first.
            waits[key] = plan.barrier(after)
        else:
            waits[key] = [plan.add(spec, after)]
    plan.add_all(late, [Handle[Any](number) for number in range(len(plan))])
    return plan


def _again(original: Lot, steps: dict[str, Step]) -> StepPlan:
    """What undoes an undo: the steps of the lot that was undone, again, in the order that they had there.

    That is not the undo's order backwards: what an undo leaves to the end, such as letting connections go, need not be
    what comes first when they are made anew. Steps that had nothing to take back, such as a scan, are done once more.
    """
    undoing = {str(step.undoes): step for step in steps.values()}
    first = {str(step.position): step for step in original.steps.select_related("device")}
    graph = _graph(original, first.values())
    needs = {node.key: node.needs for node in graph.steps}
    plan = StepPlan()
    plan.limits = original.limits
    waits: dict[str, list[AnyHandle]] = {}
    for key in graph.order():
        after = [handle for need in needs[key] for handle in waits[need]]
        undo, once = undoing.get(key), first.get(key)
        spec = _undo(undo, steps) if undo else _once_more(once, first) if once else None
        waits[key] = [plan.add(spec, after)] if spec else plan.barrier(after)
    return plan


def _once_more(step: Step, steps: dict[str, Step]) -> StepSpec[Any] | None:
    """A step as it was, where it acted."""
    if not step.acted:
        return None
    kind, slots = step_of(step, steps), tuple(step.slots)
    return kind.on(step.device.name, step.title, step.detail, slots=slots, seconds=step.estimate_seconds)


def _graph(lot: Lot, steps: Iterable[Step]) -> StepGraph:
    nodes = (StepNode(str(s.position), s.device.name, 1.0, frozenset(map(str, s.needs))) for s in steps)
    return graph_of(nodes, lot.barriers, lot.limits)


def _undo(step: Step, steps: dict[str, Step]) -> StepSpec[Any] | None:
    """The step that takes another one back; None where it did not act or nothing has to be.

    On the same device, but where the step says another one: what went to a host comes back from there.
    """
    spec = step_of(step, steps).undo(told_by(step)) if step.acted else None
    if spec is None:
        return None
    slots, seconds = tuple(step.slots), step.estimate_seconds
    device = spec.device or step.device.name
    return replace(spec, device=device, slots=slots, seconds=seconds, undoes=step.position)
