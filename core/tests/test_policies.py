"""Policies against places: worked examples, and that asking for less never takes a place away."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.errors import RequirementError
from movelot_core.placement.facts import DiskFacts, PlaceFacts
from movelot_core.placement.policies import Because, Policy, fit, in_force, kinds_offered, read_policy
from movelot_core.placement.requirements import KINDS
from movelot_core.placement.requirements.base import Answer, Part

BERTH_C = PlaceFacts(
    1,
    "berth-c",
    "block",
    labels={"site": "shore"},
    clusters=frozenset({"quayside"}),
    paths=4,
    weak=("switch-1",),
    media="HDD",
    raid="RAID6",
    drives=24,
    peak_ms=8.9,
    thin=True,
)
CHALK = replace(
    BERTH_C,
    key=2,
    name="chalk-vd",
    kind="set",
    media="SSD",
    raid="RAID10",
    peak_ms=2.0,
    weak=(),
    makes=frozenset({"compression"}),
)
# Nothing is told of it.
BARE = PlaceFacts(3, "loft", "local")


def policy(**asked: Any) -> Policy:
    return read_policy([{"kind": kind, "value": value} for kind, value in asked.items()])


def test_the_worked_example_has_all_reasons_the_nearest_first() -> None:
    asked = policy(media="SSD", peak_ms=6, reduction="compression")
    assert fit(asked, BERTH_C).reasons == [
        "8.9 ms at the peak hour, 2.9 more than 6",
        "not compressed",
        "its pool has spinning drives",
    ]
    found = fit(asked, CHALK)
    assert (found.answer, found.serves, found.reasons) == (Answer.MAKES, True, ["not compressed"])
    assert asked.sentence() == "On flash, compressed, at most 6 ms at the peak hour."


@pytest.mark.parametrize(
    ("asked", "place", "answer", "reason"),
    [
        ({"label": "site=shore"}, BERTH_C, Answer.HAS, ""),
        ({"label": "site=sea"}, BERTH_C, Answer.CANNOT, "label site=shore, not site=sea"),
        ({"label": "team=berths"}, BERTH_C, Answer.CANNOT, "no label team=berths"),
        ({"no_label": "site=shore"}, BERTH_C, Answer.CANNOT, "it carries site=shore"),
        ({"no_label": "site=sea"}, BERTH_C, Answer.HAS, ""),
        ({"cluster": "gatehouse"}, BERTH_C, Answer.CANNOT, "not mounted by all hosts of gatehouse"),
        ({"paths": 4}, BERTH_C, Answer.HAS, ""),
        ({"paths": 8}, BERTH_C, Answer.CANNOT, "a host has 4 paths, not 8"),
        ({"paths": 2}, BARE, Answer.UNKNOWN, "how many paths lead there is not known"),
        ({"no_single_point": "none"}, BERTH_C, Answer.CANNOT, "a host hangs on switch-1 alone"),
        ({"no_single_point": "none"}, CHALK, Answer.HAS, ""),
        ({"storage": "file"}, BERTH_C, Answer.CANNOT, "it is on volumes"),
        ({"may_lose": 2}, BERTH_C, Answer.HAS, ""),
        ({"may_lose": 2}, CHALK, Answer.CANNOT, "RAID10 bears the loss of 1 drive, not 2"),
        ({"kept_by": "mirror"}, CHALK, Answer.HAS, ""),
        ({"kept_by": "mirror"}, BERTH_C, Answer.CANNOT, "RAID6 is parity"),
        ({"may_lose": 1}, BARE, Answer.UNKNOWN, "its redundancy is not told"),
        ({"drives": 25}, BERTH_C, Answer.CANNOT, "on 24 drives, not 25"),
        ({"room": "thick"}, BERTH_C, Answer.CANNOT, "what lies beneath is thin"),
        ({"peak_ms": 8.9}, BERTH_C, Answer.HAS, ""),
        ({"peak_ms": 1}, BARE, Answer.UNKNOWN, "its latency at the peak hour is not known"),
    ],
)
def test_each_requirement_says_whether_and_why_not(
    asked: dict[str, Any], place: PlaceFacts, answer: Answer, reason: str
) -> None:
    found = fit(policy(**asked), place)
    assert (found.answer, found.reasons) == (answer, [reason] if reason else [])


def test_what_keeps_it_out_is_told_before_what_is_not_known() -> None:
    asked = policy(peak_ms=6, storage="block")
    assert fit(asked, BARE).reasons == ["it is on a host's own drives", "its latency at the peak hour is not known"]


@pytest.mark.parametrize(
    ("documents", "said"),
    [
        ([{"kind": "colour", "value": "red"}], "There is no requirement “colour”"),
        ([{"kind": "paths", "value": True}], "say a number, 1 to 64 paths"),
        ([{"kind": "paths", "value": float("nan")}], "say a number, 1 to 64 paths"),
        ([{"kind": "paths", "value": "2"}], "say a number"),
        ([{"kind": "media", "value": "paper"}], "“paper” is none of SSD, HDD"),
        ([{"kind": "media", "value": ""}], "say a value, as SSD"),
        ([{"kind": "label", "value": "shore"}], "is no key=value"),
        ([{"kind": "media", "value": "SSD"}, {"kind": "media", "value": "HDD"}], "media is asked for twice"),
        ([{"kind": "label", "value": "a=b"}, {"kind": "label", "value": "a=b"}], "label is asked for twice"),
        ([{"kind": "label", "value": f"a{n}=b"} for n in range(41)], "41 requirements are more than 40"),
    ],
)
def test_what_is_no_requirement_is_refused_with_the_reason(documents: list[dict[str, Any]], said: str) -> None:
    with pytest.raises(RequirementError, match=said):
        read_policy(documents)


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_keeps_the_contract(kind: str) -> None:
    each = KINDS[kind]
    assert each.__doc__
    assert each.label
    assert each.part in Part
    editor = each.editor
    values = [option for option, _said in editor.options] or (
        [editor.least, editor.most] if editor.how == "number" else [editor.example]
    )
    for value in values:
        made = each(each.read(value))
        assert made.sentence()
        for place in (BERTH_C, CHALK, BARE):
            found = made.fit(place)
            assert bool(found.reason) is (found.answer is not Answer.HAS)
            assert 0 <= found.miss <= 1
    # What a place is said to serve it serves, or can make.
    for place in (BERTH_C, CHALK):
        for value in each.values_of(place):
            wanted = each(each.read(value))
            expected = {Answer.HAS, Answer.MAKES} if kind != "no_label" else {Answer.CANNOT}
            assert wanted.fit(place).answer in expected


def test_a_cap_is_served_where_it_can_be_set_and_each_disk_is_judged_besides() -> None:
    asked = policy(cap_iops=400, floor_iops=100, media="SSD")
    chalk = replace(CHALK, makes=frozenset({"cap", "floor"}))
    assert fit(asked, chalk).answer is Answer.HAS
    assert fit(asked, replace(chalk, makes=frozenset({"cap"}))).reasons == ["nobody guarantees a disk IOPS there"]
    assert asked.lacking(DiskFacts(400, 100)) == []
    assert asked.lacking(DiskFacts(600, 0)) == ["its cap is 600 IOPS, not 400", "it has no floor, not 100 IOPS"]
    assert asked.lacking(DiskFacts()) == ["its cap is not told", "its floor is not told"]
    assert asked.limits() == (400, 100)
    assert asked.sentence() == "On flash, each disk capped at 400 IOPS, 100 IOPS guaranteed to each disk."


VALUES = st.one_of(
    st.tuples(st.just("cap_iops"), st.integers(1, 9)),
    st.tuples(st.just("floor_iops"), st.integers(1, 9)),
    st.tuples(st.just("label"), st.sampled_from(["site=shore", "site=sea", "team=berths"])),
    st.tuples(st.just("no_label"), st.sampled_from(["site=shore", "site=sea"])),
    st.tuples(st.just("cluster"), st.sampled_from(["quayside", "gatehouse"])),
    st.tuples(st.just("paths"), st.integers(1, 8)),
    st.tuples(st.just("storage"), st.sampled_from(["block", "file", "set", "local"])),
    st.tuples(st.just("media"), st.sampled_from(["SSD", "HDD"])),
    st.tuples(st.just("may_lose"), st.integers(1, 3)),
    st.tuples(st.just("reduction"), st.sampled_from(["compression", "deduplication"])),
    st.tuples(st.just("peak_ms"), st.floats(0.1, 20)),
    st.tuples(st.just("room"), st.sampled_from(["thin", "thick"])),
)
PLACES = st.builds(
    PlaceFacts,
    key=st.just(1),
    name=st.just("a"),
    kind=st.sampled_from(["block", "file", "set", "local"]),
    labels=st.dictionaries(st.sampled_from(["site", "team"]), st.sampled_from(["shore", "sea", "berths"])),
    clusters=st.frozensets(st.sampled_from(["quayside", "gatehouse"])),
    paths=st.none() | st.integers(0, 8),
    media=st.none() | st.sampled_from(["SSD", "HDD", "tape"]),
    raid=st.none() | st.sampled_from(["RAID0", "RAID6", "RAID10", "odd"]),
    peak_ms=st.none() | st.floats(0, 30),
    reduced=st.frozensets(st.sampled_from(["compression", "deduplication"])),
    thin=st.none() | st.booleans(),
    makes=st.frozensets(st.sampled_from(["compression", "deduplication", "cap", "floor"])),
)


@given(asked=st.lists(VALUES, unique_by=lambda pair: pair[0], max_size=6), place=PLACES, left=st.integers(0, 5))
def test_asking_for_less_never_takes_a_place_away(asked: list[tuple[str, Any]], place: PlaceFacts, left: int) -> None:
    whole = read_policy([{"kind": kind, "value": value} for kind, value in asked])
    less = Policy(whole.requirements[:left] + whole.requirements[left + 1 :])
    assert fit(less, place).answer.rank <= fit(whole, place).answer.rank
    # Every answer of the whole is one of its requirements'.
    assert {each for each, _found in fit(whole, place).lacks} <= set(whole.requirements)
    assert read_policy(whole.documents()) == whole


def test_what_is_given_to_the_disk_counts_before_its_label_and_that_before_its_place() -> None:
    assert in_force({}) is None
    assert in_force({Because.CLUSTER: 1, Because.DATASTORE: 2}) == (Because.DATASTORE, 2)
    assert in_force({Because.LABEL: 3, Because.DATASTORE: 2, Because.MACHINE: 4}) == (Because.MACHINE, 4)
    assert in_force({Because.LABEL: 3, Because.DISK: 5, Because.MACHINE: 4}) == (Because.DISK, 5)


def test_values_are_offered_with_how_many_places_serve_them() -> None:
    offered = kinds_offered([BERTH_C, CHALK, BARE])
    assert offered["media"] == [("HDD", 1), ("SSD", 1)]
    assert offered["reduction"] == [("compression", 1)]
    assert offered["label"] == [("site=shore", 2)]
    assert offered["peak_ms"] == []
