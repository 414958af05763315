"""Values of device settings as forms give them."""

from __future__ import annotations

import pytest

from movelot_core.device_settings import SETTINGS


@pytest.mark.parametrize(
    ("setting", "given", "value"),
    [
        ("path_policy", "RoundRobin", "RoundRobin"),
        ("path_policy", "round robin", None),
        ("path_policy", None, None),
        ("queue_depth", " 64 ", 64),
        ("queue_depth", 256, 256),
        ("queue_depth", 257, None),
        ("queue_depth", 0, None),
        ("queue_depth", "6.4", None),
        ("queue_depth", "many", None),
        ("turn_ios", 1, 1),
        ("turn_ios", -1, None),
    ],
)
def test_values_are_read_from_forms(setting: str, given: object, value: str | int | None) -> None:
    assert SETTINGS[setting].read(given) == value


def test_what_is_expected_and_what_is_set_are_told_in_words() -> None:
    assert SETTINGS["queue_depth"].expected() == "Give a whole number from 1 to 256 I/Os."
    assert SETTINGS["path_policy"].expected() == "Choose one of round robin, one path, shortest queue."
    assert SETTINGS["queue_depth"].told(64) == "queue depth 64"
    assert SETTINGS["path_policy"].told("OnePath") == "one path"
