"""The graph of steps: order, readiness under limits, schedule and undo."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.errors import GraphError
from movelot_core.lots import StepGraph, StepNode, undo_order


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
