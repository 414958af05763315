"""Policies as pages show them: the fit board, a policy with its versions, and what a change of it would do."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from itertools import zip_longest
from typing import Any

from django.db.models import Count
from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from movelot.inventory.models import Compliance, Disk, GivenPolicy, Policy, PolicyPlace, PolicyVersion
from movelot.placement.kept_places import KeptPlace, kept_places
from movelot.placement.policies import PolicyInForce, policies_in_force, stands
from movelot.policies.settling import SettlePlan, kept_plans
from movelot_core.placement.facts import DiskFacts
from movelot_core.placement.policies import Policy as Asked
from movelot_core.placement.policies import fit, kinds_offered, read_policy
from movelot_core.placement.requirements import KINDS
from movelot_core.placement.requirements.base import Answer, Requirement

NAMES_SAID = 20
# Under which name the board is kept, as it is sent: it has a cell for each policy and datastore.
BOARD = "policies-board"


@dataclass
class FitColumn:
    """A datastore of the board, with the pool it lies on; empty for a host's own drives."""

    id: int
    name: str
    pool: str
    array: str


@dataclass
class FitCell:
    """Whether the datastore serves the policy, how many of its disks lie there, and how many of these are out of it."""

    store: int
    answer: str
    disks: int
    out: int


@dataclass
class PolicyRow:
    """A policy of the board."""

    id: int
    name: str
    sentence: str
    number: int
    disks: int
    out: int
    not_judged: int
    cells: list[FitCell]


@dataclass
class EditorOption:
    """A value to choose, and how many datastores have or can make it."""

    value: str
    label: str
    places: int


@dataclass
class RequirementKind:
    """A kind of requirement with its editor: number, choice or text; ``places`` offers values that datastores have."""

    kind: str
    part: str
    label: str
    several: bool
    how: str
    unit: str
    least: float
    most: float
    example: str
    options: list[EditorOption]


@dataclass
class PoliciesAnswer:
    """The fit board, the kinds of requirements, how many disks have a policy, and what settles those that are out."""

    columns: list[FitColumn]
    policies: list[PolicyRow]
    kinds: list[RequirementKind]
    disks: int
    with_policy: int
    settling: list[SettlePlan]


@extend_schema_field({"oneOf": [{"type": "string"}, {"type": "number"}]})
class ValueField(serializers.JSONField):
    """The value of a requirement: a number for kinds whose editor is one, else a text."""


@dataclass
class AskedRequirement:
    """A requirement with its value."""

    kind: str
    value: Any = field(metadata={"serializer_field": ValueField()})


@dataclass
class VersionAnswer:
    """What the policy asked for a while; ``changes`` is what is another thing than in the version before."""

    number: int
    sentence: str
    changes: list[str]
    requirements: list[AskedRequirement]
    note: str
    by: str
    at: datetime


@dataclass
class GivenAnswer:
    """What the policy is given to: a disk, a machine, its own files or snapshots, a cluster, datastore or label, by its
    name."""

    id: int
    scope: str
    name: str
    by: str
    at: datetime


@dataclass
class PolicyAnswer:
    """A policy with its versions, the newest first, and what it is given to."""

    id: int
    name: str
    number: int
    versions: list[VersionAnswer]
    given: list[GivenAnswer]


@dataclass
class EffectAnswer:
    """What a policy with other requirements would do: its cells, and which disks go in or out.

    ``move_bytes`` is what those out would move; ``homeless`` are those that no datastore serves.
    """

    sentence: str
    cells: list[FitCell]
    newly_out: list[str]
    newly_out_count: int
    newly_in_count: int
    out_count: int
    move_bytes: int
    homeless_count: int


@dataclass
class CellAnswer:
    """Why a datastore serves a policy or not: what it lacks, the nearest first."""

    policy: str
    store: int
    name: str
    answer: str
    reasons: list[str]
    disks: list[str]


def board() -> PoliciesAnswer:
    """The board as last judged."""
    found = kept_places()
    which = "policy_id", "state", "disk__placement__datastore_id"
    rows_of = Compliance.objects.values_list(*which).annotate(count=Count("pk")).order_by()
    counts: dict[int, dict[tuple[str, int], int]] = {}
    for policy, state, store, count in rows_of:
        counts.setdefault(policy, {})[state, store] = count
    cells: dict[int, dict[int, str]] = {}
    for policy, store, answer in PolicyPlace.objects.values_list("policy_id", "datastore_id", "answer"):
        cells.setdefault(policy, {})[store] = answer
    stores = [place.facts.key for place in found]
    rows = [_row(each, stores, cells.get(each.row.pk, {}), counts.get(each.row.pk, {})) for each in policies_in_force()]
    columns = [FitColumn(place.facts.key, place.facts.name, place.pool, place.array) for place in found]
    had = Compliance.objects.count()
    return PoliciesAnswer(
        columns, rows, _kinds(found), Disk.objects.count(), had, [each.whole for each in kept_plans()]
    )


def _row(
    policy: PolicyInForce, stores: Sequence[int], cells: Mapping[int, str], counts: Mapping[tuple[str, int], int]
) -> PolicyRow:
    """``cells`` has the answer of each datastore, ``counts`` the disks of the policy by state and datastore."""
    by_state, there = Counter[str](), Counter[int]()
    for (state, store), count in counts.items():
        by_state[state] += count
        there[store] += count
    out = str(Compliance.State.OUT)
    shown = [
        FitCell(store, cells.get(store, str(Answer.UNKNOWN)), there[store], counts.get((out, store), 0))
        for store in stores
    ]
    return PolicyRow(
        policy.row.pk,
        policy.row.name,
        policy.asked.sentence(),
        policy.row.number,
        by_state.total(),
        by_state[out],
        by_state[str(Compliance.State.UNKNOWN)],
        shown,
    )


def _kinds(found: Sequence[KeptPlace]) -> list[RequirementKind]:
    offered = kinds_offered([place.facts for place in found])
    return [_kind(each, dict(offered[kind])) for kind, each in KINDS.items()]


def _kind(each: type[Requirement], places: Mapping[Any, int]) -> RequirementKind:
    editor = each.editor
    said = editor.options or tuple((str(value), str(value)) for value in places)
    options = [EditorOption(value, label, places.get(value, 0)) for value, label in said]
    return RequirementKind(
        each.kind,
        str(each.part),
        each.label,
        each.several,
        editor.how,
        editor.unit,
        editor.least,
        editor.most,
        editor.example,
        options,
    )


def policy_answer(policy: Policy) -> PolicyAnswer:
    """A policy whole."""
    versions = [_version(*pair) for pair in _with_before(list(policy.versions.all()))]
    given = [_given(row) for row in policy.given.select_related(*SCOPES)]
    return PolicyAnswer(policy.pk, policy.name, policy.number, versions, given)


def _with_before(rows: list[PolicyVersion]) -> Iterator[tuple[PolicyVersion, PolicyVersion | None]]:
    """Each version with the one before it; they come newest first."""
    return zip_longest(rows, rows[1:])


def _version(row: PolicyVersion, before: PolicyVersion | None) -> VersionAnswer:
    asked = read_policy(row.requirements)
    requirements = [AskedRequirement(each.kind, each.value) for each in asked.requirements]
    changes = _changes(read_policy(before.requirements), asked) if before else []
    return VersionAnswer(row.number, asked.sentence(), changes, requirements, row.note, row.by, row.at)


def _changes(before: Asked, after: Asked) -> list[str]:
    """What is asked besides, and what no longer."""
    was, now_is = ([each.sentence() for each in asked.requirements] for asked in (before, after))
    more = [f"asks besides: {text}" for text in now_is if text not in was]
    return more + [f"no longer: {text}" for text in was if text not in now_is]


SCOPES = ("disk", "machine", "files_of", "snapshots_of", "cluster", "datastore")
SCOPE_WORDS = {"files_of": "own files of", "snapshots_of": "snapshots of"}


def _given(row: GivenPolicy) -> GivenAnswer:
    scope = next((each for each in SCOPES if getattr(row, f"{each}_id")), "label")
    return GivenAnswer(row.pk, SCOPE_WORDS.get(scope, scope), str(getattr(row, scope)), row.by, row.at)


def effect(policy: Policy | None, asked: Asked) -> EffectAnswer:
    """What ``policy``, or a new one, would do if it asked that."""
    found = kept_places()
    fits = {place.facts.key: fit(asked, place.facts) for place in found}
    had = Compliance.objects.filter(policy=policy).order_by("disk__name") if policy else Compliance.objects.none()
    limits = "disk__cap_iops", "disk__floor_iops"
    columns = "disk__name", "disk__size_bytes", "disk__placement__datastore_id", "state", *limits
    rows = list(had.values_list(*columns))
    served = any(each.answer is Answer.HAS for each in fits.values())
    newly_out, newly_in, out, move_bytes = list[str](), 0, Counter[int](), 0
    for name, size, store, before, *limited in rows:
        state, _reason = stands(fits.get(store), asked.lacking(DiskFacts(*limited)))
        if state == Compliance.State.OUT:
            out[store] += 1
            # One that only lacks a limit is given it where it lies.
            lies_well = store in fits and fits[store].answer is Answer.HAS
            move_bytes += size if served and not lies_well else 0
            if before != state:
                newly_out.append(name)
        elif state == Compliance.State.IN and before == Compliance.State.OUT:
            newly_in += 1
    there = Counter(row[2] for row in rows)
    cells = [FitCell(key, str(each.answer), there[key], out[key]) for key, each in fits.items()]
    return EffectAnswer(
        asked.sentence(),
        cells,
        newly_out[:NAMES_SAID],
        len(newly_out),
        newly_in,
        out.total(),
        move_bytes,
        0 if served else out.total(),
    )


def cell(policy: Policy, asked: Asked, store: int) -> CellAnswer | None:
    """Why a datastore serves a policy or not; None for one that is not known."""
    place = next((each for each in kept_places() if each.facts.key == store), None)
    if place is None:
        return None
    found = fit(asked, place.facts)
    there = Compliance.objects.filter(policy=policy, disk__placement__datastore=store).order_by("disk__name")
    names = list(there.values_list("disk__name", flat=True)[:NAMES_SAID])
    return CellAnswer(policy.name, store, place.facts.name, str(found.answer), found.reasons, names)
