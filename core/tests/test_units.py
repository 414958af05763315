"""Sizes as people type them, and names that devices take."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.errors import DatastoreNameError, SizeError
from movelot_core.units import GIB, MIB, TIB, check_name, format_size, parse_size


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("2", 2 * TIB),
        ("2 TiB", 2 * TIB),
        ("512GiB", 512 * GIB),
        ("1.5 tib", 3 * TIB // 2),
        # 4 * 10**12 B = 3814697.27 MiB, rounded up to whole MiB.
        ("4 tb", 3814698 * MIB),
    ],
)
def test_a_size_is_read_in_the_base_its_unit_names(text: str, expected: int) -> None:
    assert parse_size(text) == expected


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("0", "size_not_positive"),
        ("-3 TiB", "size_not_positive"),
        ("4,5", "size_comma"),
        ("1,000 GiB", "size_comma"),
        ("two", "size_unreadable"),
        ("", "size_unreadable"),
        ("1.2.3", "size_unreadable"),
        ("5 parsecs", "size_unit"),
        ("99999999 TiB", "size_huge"),
    ],
)
def test_an_unusable_size_says_what_is_wrong_and_what_to_write(text: str, code: str) -> None:
    with pytest.raises(SizeError) as caught:
        parse_size(text)
    assert caught.value.code == code
    assert caught.value.hint


@given(st.integers(min_value=1, max_value=10**6))
def test_whole_mebibytes_survive_a_round_trip(mebibytes: int) -> None:
    assert parse_size(f"{mebibytes} MiB") == mebibytes * MIB


def test_sizes_show_three_digits_in_either_base() -> None:
    assert format_size(4 * TIB) == "4.00 TiB"
    assert format_size(4 * TIB, 1000) == "4.40 TB"
    assert format_size(1536 * GIB) == "1.50 TiB"
    assert format_size(12) == "12 B"


@pytest.mark.parametrize("name", ["berth-e", "a", "slate-02"])
def test_a_plain_name_is_taken(name: str) -> None:
    assert check_name(f" {name} ") == name


@pytest.mark.parametrize("name", ["", "Berth", "berth e", "-berth", "berth_", "../x", "b" * 33])
def test_a_name_that_a_device_would_refuse_is_refused_first(name: str) -> None:
    with pytest.raises(DatastoreNameError):
        check_name(name)
