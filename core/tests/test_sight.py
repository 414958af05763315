"""Volumes that some hosts see, that nobody uses, and initiators that belong to nobody."""

from __future__ import annotations

import dataclasses

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.fabric.paths import Cause
from movelot_core.rounds import Urgency, clock_is_off, clock_off
from movelot_core.sight import Sight, hosts_by_number, idle, leftover, numbered_apart, seen_by_some
from movelot_core.units import TIB

HOSTS = ("quay-01", "quay-02", "quay-03")
ALL = frozenset(HOSTS)
WHOLE = Sight("berth-a", 7 * TIB, ALL, ALL, ALL)


def test_a_volume_that_every_host_sees_is_no_finding() -> None:
    assert seen_by_some(WHOLE, HOSTS, {}) is None
    assert idle(WHOLE) is None


def test_the_host_that_does_not_see_it_is_named_with_its_reason() -> None:
    two = dataclasses.replace(WHOLE, seen_by=ALL - {"quay-02"}, mounted_by=ALL - {"quay-02"})
    found = seen_by_some(two, HOSTS, {"quay-02": Cause.MASKED})
    assert found is not None
    assert (found.figures["seen"], found.figures["hosts"]) == (2, 3)
    assert found.reasons == ("masked:quay-02",)


def test_a_host_with_no_reason_against_it_has_not_rescanned() -> None:
    two = dataclasses.replace(WHOLE, seen_by=ALL - {"quay-02"})
    found = seen_by_some(two, HOSTS, {})
    assert found is not None
    assert found.reasons == ("not_rescanned:quay-02",)


def test_a_volume_that_nobody_sees_is_idle_rather_than_uneven() -> None:
    unseen = dataclasses.replace(WHOLE, seen_by=frozenset(), mounted_by=frozenset())
    assert seen_by_some(unseen, HOSTS, {}) is None
    found = idle(unseen)
    assert found is not None
    assert (found.urgency, found.figures["size_bytes"], found.figures["offered"]) == (Urgency.NOTE, 7 * TIB, 3)


@given(st.sets(st.sampled_from(HOSTS)), st.sets(st.sampled_from(HOSTS)))
def test_each_blind_host_is_named_once_and_no_other(seen: set[str], mounted: set[str]) -> None:
    sight = dataclasses.replace(WHOLE, seen_by=frozenset(seen), mounted_by=frozenset(mounted & seen))
    found = seen_by_some(sight, HOSTS, {})
    named = [reason.split(":")[1] for reason in found.reasons] if found else []
    assert named == (sorted(ALL - seen) if seen else [])


def test_numbers_that_differ_are_named_with_their_hosts_the_usual_one_first() -> None:
    assert numbered_apart("berth-a", "quayside", dict.fromkeys(HOSTS, 16)) is None
    found = numbered_apart("berth-a", "quayside", {"quay-01": 40, "quay-02": 16, "quay-03": 16})
    assert found is not None
    assert (found.figures["numbers"], found.urgency) == (2, Urgency.SOON)
    assert found.reasons == ("16 on quay-02, quay-03", "40 on quay-01")


@given(st.dictionaries(st.sampled_from(HOSTS), st.integers(0, 3)))
def test_each_host_is_named_with_its_number_once(numbers: dict[str, int]) -> None:
    named = {
        host: int(number)
        for number, _, hosts in (text.partition(" on ") for text in hosts_by_number(numbers))
        for host in hosts.split(", ")
    }
    assert named == numbers


def test_an_initiator_of_no_linked_host_is_left_over() -> None:
    found = leftover("iqn.2026-01.example:quay-09", "granite", {"iqn.2026-01.example:quay-01"}, ["berth-c"])
    assert found is not None
    assert (found.urgency, found.reasons) == (Urgency.SOON, ("berth-c",))
    assert leftover("iqn.2026-01.example:quay-01", "granite", {"iqn.2026-01.example:quay-01"}, ["berth-c"]) is None


def test_one_that_is_let_into_nothing_can_wait() -> None:
    found = leftover("iqn.x:old", "granite", (), ())
    assert found is not None
    assert found.urgency is Urgency.NOTE


@pytest.mark.parametrize(("offset", "off"), [(0.0, False), (60.0, False), (60.1, True), (-540.0, True), (None, False)])
def test_a_clock_off_by_more_than_a_minute_is_said_with_its_offset(offset: float | None, off: bool) -> None:
    found = clock_off("granite", offset)
    assert clock_is_off(offset) is off
    assert (found.figures["offset_seconds"] if found else None) == (offset if off else None)
