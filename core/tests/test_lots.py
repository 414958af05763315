"""The graph of steps: order, readiness under limits, schedule and undo."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.errors import GraphError
from movelot_core.lots import Frontier, StepGraph, StepNode, barrier, undo_order


def node(key: str, *needs: str, lane: str = "granite", seconds: float = 1.0) -> StepNode:
    return StepNode(key, lane, seconds, frozenset(needs))


def test_steps_that_wait_for_each_other_are_refused() -> None:
    with pytest.raises(GraphError, match="wait for each other"):
        StepGraph((node("a", "b"), node("b", "a")))


def test_a_need_that_is_not_there_is_refused() -> None:
    with pytest.raises(GraphError, match="not there"):
        StepGraph((node("a", "ghost"),))


def test_a_lane_takes_no_more_at_once_than_its_limit() -> None:
    graph = StepGraph(tuple(node(str(n)) for n in range(5)), {"granite": 2})
    assert graph.ready(done=[], running=[]) == ["0", "1"]
    assert graph.ready(done=["0"], running=["1"]) == ["2"]
    # Five steps of a second each, two at a time: three seconds.
    assert graph.makespan_seconds() == 3.0


def test_lanes_run_side_by_side() -> None:
    graph = StepGraph((node("make"), node("one", "make", lane="quay-01"), node("two", "make", lane="quay-02")))
    schedule = graph.schedule()
    assert schedule["one"].start == schedule["two"].start == schedule["make"].end


def test_undo_runs_backwards_over_what_was_done() -> None:
    graph = StepGraph((node("make"), node("mask", "make"), node("scan", "mask"), node("mount", "scan")))
    assert undo_order(graph, ["make", "mask", "scan"]) == ["scan", "mask", "make"]


@st.composite
def graphs(draw: st.DrawFn) -> StepGraph:
    count = draw(st.integers(1, 12))
    steps = [
        node(str(n), *(str(m) for m in range(n) if draw(st.booleans())), lane=draw(st.sampled_from("xyz")))
        for n in range(count)
    ]
    return StepGraph(tuple(draw(st.permutations(steps))), default_limit=draw(st.integers(1, 3)))


@given(graphs())
def test_every_schedule_keeps_needs_and_limits(graph: StepGraph) -> None:
    schedule = graph.schedule()
    for step in graph.steps:
        assert all(schedule[need].end <= schedule[step.key].start for need in step.needs)
        at_once = [
            other
            for other in graph.steps
            if other.lane == step.lane
            and schedule[other.key].start <= schedule[step.key].start < schedule[other.key].end
        ]
        assert len(at_once) <= graph.default_limit


def plain_schedule(graph: StepGraph) -> dict[str, float]:
    """When each step starts, found the slow way: at each moment every step is looked at anew."""
    done: set[str] = set()
    running: list[tuple[float, str]] = []
    starts: dict[str, float] = {}
    now = 0.0
    while len(done) < len(graph.steps):
        for step in graph.steps:
            slots = graph.occupied(step)
            busy = [slot for _, key in running for slot in graph.occupied(by_key(graph, key))]
            free = all(busy.count(slot) < graph.limit(slot) for slot in slots)
            if step.key not in starts and step.needs <= done and free:
                starts[step.key] = now
                running.append((now + step.seconds, step.key))
        running.sort()
        now, key = running.pop(0)
        done.add(key)
    return starts


def by_key(graph: StepGraph, key: str) -> StepNode:
    return next(step for step in graph.steps if step.key == key)


@st.composite
def slotted(draw: st.DrawFn) -> StepGraph:
    """Graphs whose steps occupy several things, each limited on its own."""
    count = draw(st.integers(1, 14))
    steps = tuple(
        StepNode(
            f"{n:02}",
            draw(st.sampled_from("xy")),
            draw(st.sampled_from([1.0, 2.0, 3.0])),
            frozenset(f"{m:02}" for m in range(n) if draw(st.integers(0, 4)) == 0),
            tuple(draw(st.lists(st.sampled_from("abc"), max_size=2, unique=True))),
        )
        for n in range(count)
    )
    return StepGraph(steps, {"a": 1, "b": 2, "c": 1}, draw(st.integers(1, 3)))


@given(slotted())
def test_what_is_kept_up_starts_the_same_steps_as_looking_at_all_of_them_anew(graph: StepGraph) -> None:
    assert {key: slot.start for key, slot in graph.schedule().items()} == plain_schedule(graph)


@given(slotted(), st.data())
def test_a_frontier_in_the_middle_of_a_lot_goes_on_where_it_stood(graph: StepGraph, data: st.DataObject) -> None:
    """A driver that takes a lot up knows what is done and what runs, and starts what the one before would have."""
    frontier, running, done = Frontier(graph), [], []
    for _ in range(data.draw(st.integers(0, len(graph.steps)))):
        running += frontier.take()
        if not running:
            break
        key = running.pop(data.draw(st.integers(0, len(running) - 1)))
        frontier.release(key, done=True)
        done.append(key)
    assert sorted(frontier.take()) == sorted(Frontier(graph, done, running).take())


def test_what_needs_a_failed_step_never_starts() -> None:
    graph = StepGraph((node("make"), node("mask", "make"), node("other", lane="quay-01")))
    frontier = Frontier(graph)
    assert frontier.take() == ["make", "other"]
    frontier.release("make", done=False)
    frontier.release("other", done=True)
    assert frontier.take() == []


def behind_a_barrier() -> StepGraph:
    made = [node("one", lane="granite"), node("two", lane="granite")]
    gate = barrier("both", frozenset({"one", "two"}))
    return StepGraph((*made, gate, node("scan", "both", lane="quay-01")))


def test_a_barrier_is_done_with_the_last_step_it_waits_for_and_is_no_step_itself() -> None:
    frontier = Frontier(behind_a_barrier())
    assert frontier.take() == ["one", "two"]
    frontier.release("one", done=True)
    assert frontier.take() == []
    frontier.release("two", done=True)
    assert frontier.take() == ["scan"]
    assert set(behind_a_barrier().schedule()) == {"one", "two", "scan"}


def test_a_step_that_runs_behind_a_barrier_is_not_started_twice_by_a_new_driver() -> None:
    frontier = Frontier(behind_a_barrier(), done=["one", "two"], running=["scan"])
    assert frontier.take() == []


@given(graphs(), st.data())
def test_a_barrier_in_between_changes_no_schedule(graph: StepGraph, data: st.DataObject) -> None:
    through = data.draw(st.sampled_from([step.key for step in graph.steps]))
    chosen = next(step for step in graph.steps if step.key == through)
    split = replace(chosen, needs=frozenset({"gate"}))
    gate = barrier("gate", chosen.needs)
    with_gate = replace(graph, steps=(gate, *(split if step is chosen else step for step in graph.steps)))
    assert with_gate.schedule() == graph.schedule()
