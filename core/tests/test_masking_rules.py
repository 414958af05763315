"""Volumes that some hosts see, that nobody uses, and initiators that belong to nobody."""

from __future__ import annotations

import dataclasses

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.fabric.causes import Cause
from movelot_core.masking import VolumeAccess, idle, leftover, numbered_apart, seen_by_some
from movelot_core.rounds import clock_is_off
from movelot_core.units import TIB

HOSTS = ("quay-01", "quay-02", "quay-03")
ALL = frozenset(HOSTS)
WHOLE = VolumeAccess(7 * TIB, ALL, ALL, ALL)


def test_a_volume_that_every_host_sees_is_no_finding() -> None:
    assert seen_by_some(WHOLE, HOSTS, {}) is None
    assert idle(WHOLE) is None


def test_the_host_that_does_not_see_it_is_named_with_its_reason() -> None:
    two = dataclasses.replace(WHOLE, seen_by=ALL - {"quay-02"}, mounted_by=ALL - {"quay-02"})
    found = seen_by_some(two, HOSTS, {"quay-02": Cause.MASKED})
    assert found is not None
    assert (found.seen, found.hosts) == (2, 3)
    assert found.blind == (("quay-02", Cause.MASKED),)


def test_a_host_with_no_reason_against_it_has_not_rescanned() -> None:
    two = dataclasses.replace(WHOLE, seen_by=ALL - {"quay-02"})
    found = seen_by_some(two, HOSTS, {})
    assert found is not None
    assert found.blind == (("quay-02", Cause.NOT_RESCANNED),)


def test_a_volume_that_nobody_sees_is_idle_rather_than_uneven() -> None:
    unseen = dataclasses.replace(WHOLE, seen_by=frozenset(), mounted_by=frozenset())
    assert seen_by_some(unseen, HOSTS, {}) is None
    found = idle(unseen)
    assert found is not None
    assert (found.size_bytes, found.offered) == (7 * TIB, 3)


@given(st.sets(st.sampled_from(HOSTS)), st.sets(st.sampled_from(HOSTS)))
def test_each_blind_host_is_named_once_and_no_other(seen: set[str], mounted: set[str]) -> None:
    access = dataclasses.replace(WHOLE, seen_by=frozenset(seen), mounted_by=frozenset(mounted & seen))
    found = seen_by_some(access, HOSTS, {})
    named = [host for host, _ in found.blind] if found else []
    assert named == (sorted(ALL - seen) if seen else [])


def test_numbers_that_differ_are_told_with_their_hosts_the_usual_one_first() -> None:
    assert numbered_apart(dict.fromkeys(HOSTS, 16)) is None
    found = numbered_apart({"quay-01": 40, "quay-02": 16, "quay-03": 16})
    assert found is not None
    assert found.numbers == ((16, ("quay-02", "quay-03")), (40, ("quay-01",)))


@given(st.dictionaries(st.sampled_from(HOSTS), st.integers(0, 3)))
def test_each_host_is_told_with_its_number_once(numbers: dict[str, int]) -> None:
    found = numbered_apart(numbers)
    told = {host: number for number, hosts in (found.numbers if found else ()) for host in hosts}
    assert told == (numbers if len(set(numbers.values())) > 1 else {})


def test_an_initiator_of_no_linked_host_is_left_over() -> None:
    known = {"iqn.2026-01.example:quay-01"}
    found = leftover("iqn.2026-01.example:quay-09", known, ["berth-c", "berth-b"])
    assert found is not None
    assert found.volumes == ("berth-b", "berth-c")
    assert leftover("iqn.2026-01.example:quay-01", known, ["berth-c"]) is None


@pytest.mark.parametrize(("offset", "off"), [(0.0, False), (60.0, False), (60.1, True), (-540.0, True), (None, False)])
def test_a_clock_is_off_by_more_than_a_minute(offset: float | None, off: bool) -> None:
    assert clock_is_off(offset) is off
