"""Keys of steps are known again, and nothing else is taken for one."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.step_keys import MARK_LENGTH, lot_of_key, step_key

MARKS = st.text("0123456789abcdef", min_size=MARK_LENGTH, max_size=MARK_LENGTH)


@given(st.integers(0, 10**9), st.integers(0, 10**6), MARKS)
def test_a_key_tells_its_lot(lot: int, position: int, mark: str) -> None:
    assert lot_of_key(step_key(lot, position, mark)) == lot


@pytest.mark.parametrize(
    "text", ["", "lot-7", "lot-7-0-0a1b2c3", "lot-7-0-0a1b2c3d ", "a lot-7-0-0a1b2c3d", "lot-x-0-0a1b2c3d"]
)
def test_what_people_write_is_no_key(text: str) -> None:
    assert lot_of_key(text) is None
