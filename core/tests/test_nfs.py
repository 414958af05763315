"""File storage: who may mount, what is recommended, and when hosts differ."""

from __future__ import annotations

import dataclasses
from ipaddress import ip_network

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.nfs import (
    SETTINGS,
    Difference,
    Export,
    MountedAs,
    Obstacle,
    access_of,
    advised,
    differing,
    gives_up_early,
    obstacle,
    spelled_apart,
    usual_spelling,
    versions_apart,
)

EXPORT = Export("/exports/sand-01", (("10.40.10.0/24", "ReadWrite"),), ("NFSv3", "NFSv4_1"), True)


@pytest.mark.parametrize(
    ("change", "address", "version", "mounts", "found"),
    [
        ({}, "10.40.10.101/24", "NFSv4_1", 3, None),
        ({}, None, "NFSv4_1", 3, Obstacle.NO_WAY),
        ({}, "10.40.11.101/24", "NFSv4_1", 3, Obstacle.NOT_LISTED),
        ({"clients": (("10.40.10.0/24", "ReadOnly"),)}, "10.40.10.101", "NFSv4_1", 3, Obstacle.READ_ONLY),
        ({"root": False}, "10.40.10.101", "NFSv4_1", 3, Obstacle.ROOT_MAPPED),
        ({"versions": ("NFSv3",)}, "10.40.10.101", "NFSv4_1", 3, Obstacle.VERSION),
        ({}, "10.40.10.101", "NFSv4_1", 8, Obstacle.NO_MOUNT_LEFT),
        # The first that fails is told.
        ({"clients": (), "root": False}, "10.40.10.101", "NFSv9", 8, Obstacle.NOT_LISTED),
    ],
)
def test_the_first_obstacle_is_told(
    change: dict[str, object], address: str | None, version: str, mounts: int, found: Obstacle | None
) -> None:
    export = dataclasses.replace(EXPORT, **change)  # type: ignore[arg-type]
    assert obstacle(export, address, version, mounts, 8) is found


def test_without_a_known_limit_there_is_always_a_mount_left() -> None:
    assert obstacle(EXPORT, "10.40.10.101", "NFSv3", 4000, None) is None


@given(st.integers(8, 30), st.integers(0, 2**24 - 1))
def test_a_narrower_rule_counts_before_a_wider_one_in_any_order(length: int, host: int) -> None:
    address = f"10.{host >> 16}.{host >> 8 & 255}.{host & 255}"
    wide, narrow = (str(ip_network(f"{address}/{n}", strict=False)) for n in (length, length + 1))
    rules = [(wide, "ReadOnly"), (narrow, "ReadWrite")]
    assert access_of(rules, address) == access_of(rules[::-1], address) == "ReadWrite"
    assert access_of([], address) == ""


def test_several_arrays_are_served_by_the_largest_value_each_asks_for() -> None:
    found = advised({"shale": {"retries": 4, "queue_depth": 96}, "flint": {"retries": 6, "unheard_of": 1}})
    assert found == {"retries": (6, "flint"), "queue_depth": (96, "shale")}


@given(st.dictionaries(st.sampled_from(sorted(SETTINGS)), st.integers(1, 999), min_size=1))
def test_hosts_set_as_recommended_do_not_differ(wanted: dict[str, int]) -> None:
    assert differing({"quay-01": wanted, "quay-02": {}}, wanted) == []
    other = {name: value + 1 for name, value in wanted.items()}
    found = differing({"quay-01": other}, wanted)
    assert {each.setting for each in found} == set(wanted)
    assert not gives_up_early(found)


def test_a_host_that_gives_up_before_the_others_is_more_urgent() -> None:
    rows = differing({"quay-02": {"request_timeout_seconds": 10}}, {"request_timeout_seconds": 45})
    assert rows == [Difference("quay-02", "request_timeout_seconds", 10, 45)]
    assert gives_up_early(rows)


def mounted(host: str, server: str = "shale-a", version: str = "NFSv4_1") -> MountedAs:
    return MountedAs(host, "fs-1", "sand-01", server, "/exports/sand-01", version)


def test_one_file_system_under_two_spellings_is_told_with_who_spells_how() -> None:
    mounts = [mounted("quay-01"), mounted("quay-02", "10.40.10.11"), mounted("quay-03")]
    path = "/exports/sand-01"
    assert spelled_apart(mounts) == [
        (("shale-a", path), ["quay-01", "quay-03"]),
        (("10.40.10.11", path), ["quay-02"]),
    ]
    assert usual_spelling(mounts) == ("shale-a", path)
    assert spelled_apart(mounts[::2]) == []


def test_mixed_versions_are_told_with_who_mounts_with_which() -> None:
    mixed = [mounted("quay-01"), mounted("quay-02", version="NFSv3")]
    assert versions_apart(mixed) == [("NFSv3", ["quay-02"]), ("NFSv4_1", ["quay-01"])]
    assert versions_apart([mounted("quay-01"), mounted("quay-02")]) == []
    assert usual_spelling([]) is None
