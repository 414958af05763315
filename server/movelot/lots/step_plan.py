"""The plan builder: steps of a lot are added one by one, each after those that it waits for.

    plan = StepPlan()
    made = plan.add(CreateVolume(name="berth-m", ...).on("granite", "Create volume berth-m"))
    plan.add(OfferVolume(volume_uri=made.result.uri, ...).on("granite", "Let 6 hosts see it"), after=made)

A handle stands for a step that was added; ``handle.result`` gives its future result, field by field, to the params of
others. A barrier stands for many steps at once, so that n steps which wait for m others are n + m edges, not n times m.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar, cast

from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.values import Nothing, Result, Told

R = TypeVar("R", bound=Result)


class _ResultToCome:
    """The fields of a result, each as the reference that a param may hold."""

    def __init__(self, number: int, kind: type[Result]) -> None:
        self._number, self._kind = number, kind

    def __getattr__(self, name: str) -> Told:
        if name not in self._kind.model_fields:
            raise AttributeError(f"{self._kind.__name__} tells no {name}")
        return Told(self._number, name)

    def __repr__(self) -> str:
        return f"<{self._kind.__name__} of step {self._number}>"


@dataclass(frozen=True)
class Handle(Generic[R]):
    """A step of a plan, by its number from 0; a barrier, by a number from -1 downwards."""

    number: int
    kind: type[Result] = Nothing

    @property
    def result(self) -> R:
        """What the step will tell, to be used in params of other steps of the plan."""
        return cast(R, _ResultToCome(self.number, self.kind))


AnyHandle = Handle[Any]
After = AnyHandle | Iterable[AnyHandle]


@dataclass(frozen=True)
class Node:
    """A step of a plan with the numbers of those that it waits for."""

    spec: StepSpec[Any]
    needs: tuple[int, ...]


class StepPlan:
    """The steps of a lot, in the order in which they were added, and the barriers between them."""

    def __init__(self) -> None:
        self.nodes: list[Node] = []
        # What each barrier waits for; the first is number -1.
        self.barriers: list[tuple[int, ...]] = []
        # How many steps at once occupy what they name beside their devices, where that is not as usual.
        self.limits: dict[str, int] = {}

    def __len__(self) -> int:
        return len(self.nodes)

    def __repr__(self) -> str:
        return f"<StepPlan of {len(self.nodes)} steps and {len(self.barriers)} barriers>"

    @property
    def specs(self) -> list[StepSpec[Any]]:
        return [node.spec for node in self.nodes]

    def add(self, spec: StepSpec[R], after: After = ()) -> Handle[R]:
        """Add a step that waits for the steps or barriers ``after``."""
        self.nodes.append(Node(spec, _numbers(after)))
        return Handle(len(self.nodes) - 1, spec.step.result_type())

    def add_all(self, specs: Iterable[StepSpec[R]], after: After = ()) -> list[Handle[R]]:
        """Add steps side by side, each after the same ones."""
        each = list(specs)
        before = self.barrier(after) if len(each) > 1 else after
        return [self.add(spec, before) for spec in each]

    def limit(self, slot: str, at_once: int) -> None:
        """Let no more than so many steps occupy ``slot`` at once; of two limits the lower holds."""
        self.limits[slot] = min(at_once, self.limits.get(slot, at_once))

    def barrier(self, after: After) -> list[AnyHandle]:
        """What stands for all of ``after`` at once: nothing for nothing, the step itself for one, else a barrier."""
        needs = _numbers(after)
        if len(needs) < 2:
            return [Handle(number) for number in needs]
        self.barriers.append(needs)
        return [Handle(-len(self.barriers))]


def _numbers(after: After) -> tuple[int, ...]:
    handles = (after,) if isinstance(after, Handle) else after
    return tuple(dict.fromkeys(handle.number for handle in handles))
