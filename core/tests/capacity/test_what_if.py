"""What if, by the worked example, and against days counted one by one."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.capacity.forecast import HORIZON_DAYS, Forecast
from movelot_core.capacity.what_if import Effect, Standing, answered, spread

HERE = ("datastore", 1)
MEMBERS = frozenset({HERE})


def growing(used: float, a_day: float, margin: float = 0.0) -> Forecast:
    ahead = np.arange(1, HORIZON_DAYS + 1, dtype=float)
    likely = used + a_day * ahead
    return Forecast(used, a_day, likely - margin * ahead, likely, likely + margin * ahead, (), 0, 0)


def likely(used: int, a_day: float, effects: list[Effect], growth: float = 1.0) -> int | None:
    standing = Standing(used, 1000, 0.8, growing(used, a_day))
    return answered(standing, MEMBERS, growth, effects).runway.likely


def test_the_worked_example() -> None:
    assert likely(600, 10, []) == 20
    assert likely(600, 10, [Effect(5, {HERE: 100}, {})]) == 10
    assert likely(600, 10, [Effect(5, {}, {HERE: 250})]) == 40
    assert likely(600, 10, [], growth=2.0) == 10
    assert likely(600, 10, [Effect(5, {("datastore", 2): 100}, {})]) == 20


def test_what_happens_at_once_is_there_at_once_with_and_without_a_forecast() -> None:
    effects = [Effect(0, {HERE: 300}, {HERE: -50})]
    then = answered(Standing(600, 1000, 0.8, growing(600, 10)), MEMBERS, 1.0, effects)
    assert (then.used_bytes, then.capacity_bytes, then.runway.likely) == (900, 950, 0)
    untold = answered(Standing(600, 1000, 0.8, None), MEMBERS, 1.0, effects)
    assert (untold.runway.likely, untold.runway.told) == (0, False)
    assert answered(Standing(600, 1000, 0.8, None), MEMBERS, 1.0, []).runway.likely is None


@given(
    st.integers(0, 900),
    st.floats(0.5, 40),
    st.floats(0, 3),
    st.lists(st.tuples(st.integers(0, 300), st.integers(-400, 400), st.integers(-300, 600)), max_size=5),
)
def test_the_ceiling_is_reached_on_the_first_day_it_is_passed_counted_day_by_day(
    used: int, a_day: float, growth: float, happens: list[tuple[int, int, int]]
) -> None:
    effects = [Effect(day, {HERE: comes}, {HERE: room}) for day, comes, room in happens]
    standing = Standing(used, 1000, 0.8, growing(used, a_day))
    found = answered(standing, MEMBERS, growth, effects).runway.likely
    capacity = max(0, 1000 + sum(room for day, _, room in happens if day == 0))
    if sum(room for day, _, room in happens if day == 0) < -1000:
        return
    for ahead in range(HORIZON_DAYS + 1):
        held = used + growth * a_day * ahead + sum(comes for day, comes, _ in happens if day <= ahead)
        room = capacity + sum(room for day, _, room in happens if 0 < day <= ahead)
        if held >= 0.8 * room + 1e-6:
            assert found is not None
            assert found <= ahead
            break
        if held < 0.8 * room - 1e-6:
            assert found is None or found > ahead
    else:
        assert found is None or abs(found - HORIZON_DAYS) <= 1


@given(st.integers(-(10**15), 10**15), st.lists(st.integers(0, 10**12), max_size=8))
def test_bytes_are_spread_to_the_byte(size: int, weights: list[int]) -> None:
    found = spread(size, [(("datastore", n), weight) for n, weight in enumerate(weights)])
    assert set(found) == {("datastore", n) for n, weight in enumerate(weights) if weight}
    assert sum(found.values()) == (size if found else 0)
