"""The graph of a lot's steps: what may start now, when each would start, and the order that undoes them."""

from __future__ import annotations

import heapq
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from movelot_core.errors import GraphError


@dataclass(frozen=True, slots=True)
class StepNode:
    """A step as the graph sees it: its lane (a device), how long it takes, and the steps it needs done.

    ``slots`` names what it occupies while it runs (datastores, hosts, arrays), each limited on its own. A node without
    a lane is a barrier: it is done as soon as all that it needs is, so that many steps can wait for many others with as
    many edges as there are steps.
    """

    key: str
    lane: str
    seconds: float = 1.0
    needs: frozenset[str] = frozenset()
    slots: tuple[str, ...] = ()

    @property
    def is_barrier(self) -> bool:
        """Whether it only waits: it has no lane of its own."""
        return not self.lane


def barrier(key: str, needs: frozenset[str]) -> StepNode:
    """A node that others wait for instead of each of ``needs``."""
    return StepNode(key, "", 0.0, needs)


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
        lanes = {step.lane for step in self.steps if not step.is_barrier}
        return f"<StepGraph of {len(self.steps)} steps on {len(lanes)} lanes>"

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
        """All that ``step`` takes a place on while it runs: its lane and its slots; a barrier takes none."""
        return () if step.is_barrier else (step.lane, *(slot for slot in step.slots if slot != step.lane))

    def limit(self, slot: str) -> int:
        """How many steps may occupy ``slot`` at once."""
        return self.limits.get(slot, self.default_limit)

    def ready(self, done: Collection[str], running: Collection[str]) -> list[str]:
        """Keys that may start now: needs done, and a place free on all they occupy, in the given order."""
        return Frontier(self, done, running).take()

    def schedule(self) -> dict[str, Slot]:
        """List schedule: each step as early as its needs and the limits allow, in the given order; without barriers."""
        seconds = {step.key: step.seconds for step in self.steps if not step.is_barrier}
        frontier, now = Frontier(self), 0.0
        running: list[tuple[float, str]] = []
        slots: dict[str, Slot] = {}
        while len(slots) < len(seconds) or running:
            for key in frontier.take():
                slots[key] = Slot(now, now + seconds[key])
                heapq.heappush(running, (slots[key].end, key))
            if not running:
                raise GraphError("limit_zero", "A limit of zero keeps steps from ever starting.")
            now, key = heapq.heappop(running)
            frontier.release(key, done=True)
        return slots

    def makespan_seconds(self) -> float:
        """Seconds from the first start to the last end."""
        return max((slot.end for slot in self.schedule().values()), default=0.0)


class Frontier:
    """What of a graph may start, kept up as steps start and end: each step is looked at when something changes for it.

    A step whose needs are done waits at the first thing it occupies that is full, and is looked at again when that gets
    a place free. Steps that may start do so in the order of the graph.
    """

    def __init__(self, graph: StepGraph, done: Collection[str] = (), running: Collection[str] = ()) -> None:
        self.graph = graph
        self._number = {step.key: n for n, step in enumerate(graph.steps)}
        ended, begun = _with_barriers(graph, set(done)), set(running)
        self._left = [len(step.needs - ended) for step in graph.steps]
        self._followers: dict[str, list[int]] = {}
        self._busy: dict[str, int] = {}
        # Steps that wait for a place on something, by that; and those that are to be looked at, with what got free.
        self._parked: dict[str, list[int]] = {}
        self._open: list[tuple[int, str]] = []
        self._offered: set[str] = set()
        for n, step in enumerate(graph.steps):
            for need in step.needs:
                self._followers.setdefault(need, []).append(n)
            if step.key in begun:
                self._occupy(step)
            elif step.key not in ended and not self._left[n]:
                heapq.heappush(self._open, (n, ""))

    def __repr__(self) -> str:
        return f"<Frontier of {self.graph!r}, {sum(self._busy.values())} places taken>"

    def take(self) -> list[str]:
        """Keys of the steps that may start now; they count as running from here on."""
        started = []
        while self._open:
            number, freed = heapq.heappop(self._open)
            step = self.graph.steps[number]
            if step.is_barrier:
                self.release(step.key, done=True)
                continue
            self._offered.discard(freed)
            full = next((slot for slot in self.graph.occupied(step) if not self._free(slot)), None)
            if full is None:
                self._occupy(step)
                started.append(step.key)
            else:
                heapq.heappush(self._parked.setdefault(full, []), number)
            if freed:
                self._offer(freed)
        return started

    def release(self, key: str, done: bool) -> None:
        """A running step has ended; those that need it may follow once it is ``done``."""
        step = self.graph.steps[self._number[key]]
        for slot in self.graph.occupied(step):
            self._busy[slot] -= 1
            self._offer(slot)
        for number in self._followers.get(key, ()) if done else ():
            self._left[number] -= 1
            if not self._left[number]:
                heapq.heappush(self._open, (number, ""))

    def _occupy(self, step: StepNode) -> None:
        for slot in self.graph.occupied(step):
            self._busy[slot] = self._busy.get(slot, 0) + 1

    def _free(self, slot: str) -> bool:
        return self._busy.get(slot, 0) < self.graph.limit(slot)

    def _offer(self, slot: str) -> None:
        """Have the first step that waits at ``slot`` looked at, if there is a place; one at a time."""
        if slot not in self._offered and self._parked.get(slot) and self._free(slot):
            self._offered.add(slot)
            heapq.heappush(self._open, (heapq.heappop(self._parked[slot]), slot))


def _with_barriers(graph: StepGraph, done: set[str]) -> set[str]:
    """``done`` and the barriers that are done with it."""
    if not done:
        return done
    by_key = {step.key: step for step in graph.steps if step.is_barrier}
    for key in graph.order() if by_key else ():
        if key in by_key and by_key[key].needs <= done:
            done.add(key)
    return done


def undo_order(graph: StepGraph, done: Sequence[str]) -> list[str]:
    """Keys of ``done`` steps in the order in which their undos run: last of the graph's order first."""
    chosen = set(done)
    return [key for key in reversed(graph.order()) if key in chosen]
