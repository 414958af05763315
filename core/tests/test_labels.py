"""Labels as typed, and what is none."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.errors import LabelError
from movelot_core.labels import Label, parse_label, parse_labels


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("gold", "label_unreadable"),
        ("=gold", "label_unreadable"),
        ("tier=", "label_unreadable"),
        ("Tier=gold", "label_key"),
        ("9=gold", "label_key"),
        ("k" * 33 + "=v", "label_key"),
        ("tier=gold plated", "label_value"),
        ("tier=a=b", "label_value"),
        ("tier=" + "v" * 65, "label_value"),
        ("tier=<b>", "label_value"),
    ],
)
def test_what_is_no_label_is_said_why(text: str, code: str) -> None:
    with pytest.raises(LabelError) as refused:
        parse_label(text)
    assert refused.value.code == code
    assert refused.value.hint


def test_labels_are_kept_by_key_and_one_value_each() -> None:
    assert parse_labels(["tier=gold", " team = berths ", "tier=gold"]) == [
        Label("team", "berths"),
        Label("tier", "gold"),
    ]
    with pytest.raises(LabelError) as twice:
        parse_labels(["tier=gold", "tier=slow"])
    assert "tier=gold and tier=slow" in twice.value.message
    with pytest.raises(LabelError) as many:
        parse_labels([f"k{n}=v" for n in range(31)])
    assert many.value.code == "labels_many"


@given(
    st.from_regex(r"[a-z][a-z0-9._-]{0,31}", fullmatch=True),
    st.from_regex(r"[A-Za-z0-9][A-Za-z0-9._-]{0,63}", fullmatch=True),
)
def test_what_is_written_is_read_again(key: str, value: str) -> None:
    assert parse_label(str(Label(key, value))) == Label(key, value)
