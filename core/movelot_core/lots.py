"""The graph of a lot's steps: what may start now, when each would start, and the order that undoes them."""

from __future__ import annotations

import heapq
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from movelot_core.errors import GraphError


@dataclass(frozen=True, slots=True)
class StepNode:
    """A step as the graph sees it: its lane (a device), how long it takes, and the steps it needs done.

    ``slots`` names what it occupies while it runs (datastores, hosts, arrays), each limited on its own.
    """

    key: str
    lane: str
    seconds: float = 1.0
    needs: frozenset[str] = frozenset()
    slots: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Slot:
    """When a step starts and ends, seconds from the start of the lot."""

    start: float
    end: float


@dataclass(frozen=True)
class StepGraph:
    """Steps with their precedence. Raises GraphError on a repeated key, an unknown need or a cycle."""

    steps: tuple[StepNode, ...]
    limits: Mapping[str, int] = field(default_factory=dict)
    default_limit: int = 4

    def __post_init__(self) -> None:
        known = {step.key for step in self.steps}
        if len(known) != len(self.steps):
            raise GraphError("step_repeated", "Two steps carry the same key.")
        for step in self.steps:
            if step.needs - known:
                raise GraphError(
                    "step_unknown", f"Step {step.key} needs {sorted(step.needs - known)}, which is not there."
                )
        self.order()

    def __repr__(self) -> str:
        return f"<StepGraph of {len(self.steps)} steps on {len({s.lane for s in self.steps})} lanes>"

    def order(self) -> list[str]:
        """Keys so that each comes after all it needs; ties keep the given order. GraphError on a cycle."""
        position = {step.key: n for n, step in enumerate(self.steps)}
        waiting = {step.key: len(step.needs) for step in self.steps}
        followers: dict[str, list[str]] = {}
        for step in self.steps:
            for need in step.needs:
                followers.setdefault(need, []).append(step.key)
        heap = [position[key] for key, count in waiting.items() if not count]
        heapq.heapify(heap)
        ordered: list[str] = []
        while heap:
            key = self.steps[heapq.heappop(heap)].key
            ordered.append(key)
            for follower in followers.get(key, ()):
                waiting[follower] -= 1
                if not waiting[follower]:
                    heapq.heappush(heap, position[follower])
        if len(ordered) < len(self.steps):
            raise GraphError("step_cycle", f"Steps wait for each other: {sorted(set(position) - set(ordered))}.")
        return ordered

    def occupied(self, step: StepNode) -> tuple[str, ...]:
        """All that ``step`` takes a place on while it runs: its lane and its slots."""
        return (step.lane, *(slot for slot in step.slots if slot != step.lane))

    def ready(self, done: Collection[str], running: Collection[str]) -> list[str]:
        """Keys that may start now: needs done, and a place free on all they occupy, in the given order."""
        busy: dict[str, int] = {}
        for step in self.steps:
            if step.key in running:
                for slot in self.occupied(step):
                    busy[slot] = busy.get(slot, 0) + 1
        found: list[str] = []
        for step in self.steps:
            if step.key in done or step.key in running or not step.needs <= set(done):
                continue
            slots = self.occupied(step)
            if all(busy.get(slot, 0) < self.limits.get(slot, self.default_limit) for slot in slots):
                found.append(step.key)
                for slot in slots:
                    busy[slot] = busy.get(slot, 0) + 1
        return found

    def schedule(self) -> dict[str, Slot]:
        """List schedule: each step as early as its needs and the limits allow, in the given order."""
        by_key = {step.key: step for step in self.steps}
        done: set[str] = set()
        running: list[tuple[float, str]] = []
        slots: dict[str, Slot] = {}
        now = 0.0
        while len(done) < len(self.steps):
            for key in self.ready(done, {key for _, key in running}):
                slots[key] = Slot(now, now + by_key[key].seconds)
                heapq.heappush(running, (slots[key].end, key))
            if not running:
                raise GraphError("limit_zero", "A limit of zero keeps steps from ever starting.")
            now, key = heapq.heappop(running)
            done.add(key)
        return slots

    def makespan_seconds(self) -> float:
        """Seconds from the first start to the last end."""
        return max((slot.end for slot in self.schedule().values()), default=0.0)


def undo_order(graph: StepGraph, done: Sequence[str]) -> list[str]:
    """Keys of ``done`` steps in the order in which their undos run: last of the graph's order first."""
    chosen = set(done)
    return [key for key in reversed(graph.order()) if key in chosen]
