"""Policies as YAML, for those who keep them under version control: written, read, tried, taken in.

A file has all that a policy is but its history: name, requirements, and the labels that it is given by. What it is
given to by hand (disks, machines, clusters, datastores) has no name outside this installation, and stays as it is.
Policies that a file leaves out stay too. Its JSON Schema is made from the kinds of requirements.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import yaml
from django.db import transaction

from movelot.inventory.changes import people_said
from movelot.inventory.models import GivenPolicy, Policy
from movelot.placement.policies import asked_by, policies_in_force
from movelot.policies.answers import effect
from movelot.policies.storing import ask_from_now_on, make_policy
from movelot.problems import Problem
from movelot_core.errors import CoreError
from movelot_core.labels import parse_label
from movelot_core.placement.policies import Policy as Asked
from movelot_core.placement.policies import read_policy
from movelot_core.placement.requirements import KINDS

FORMAT, VERSION = "movelot-policies", 1
POLICIES_MAX = 500
UNCHANGED = "Nothing was stored."


@dataclass(frozen=True)
class Written:
    """A policy as a file has it."""

    name: str
    asked: Asked
    labels: tuple[str, ...]


@dataclass
class ImportedPolicy:
    """What the file does to one policy: makes it, has it ask something else, gives it by other labels, or nothing.

    ``out`` disks are out of it afterwards, ``move_bytes`` is what these would move.
    """

    name: str
    does: str
    sentence: str
    labels_given: list[str]
    labels_taken: list[str]
    newly_out: int
    out: int
    move_bytes: int


def as_yaml() -> str:
    """All policies in force."""
    labels: dict[int, list[str]] = {}
    for policy, label in GivenPolicy.objects.exclude(label=None).order_by("label").values_list("policy_id", "label"):
        labels.setdefault(policy, []).append(str(label))
    found = [
        {
            "name": policy.row.name,
            "requirements": [{each.kind: each.value} for each in policy.asked.requirements],
            "labels": labels.get(policy.row.pk, []),
        }
        for policy in policies_in_force()
    ]
    document = {"format": FORMAT, "version": VERSION, "policies": found}
    return str(yaml.safe_dump(document, sort_keys=False, allow_unicode=True))


def read_yaml(text: str) -> list[Written]:
    """The policies of a file. Problem 422 with the policy and what is wrong with it."""
    try:
        # Texts only: nothing becomes a date or a truth by how it is written.
        document = yaml.load(text, Loader=yaml.BaseLoader)
    except (yaml.YAMLError, RecursionError) as error:
        raise _odd("The file is not YAML.", "Check indents and quotes.") from error
    if not isinstance(document, dict) or document.get("format") != FORMAT or document.get("version") != str(VERSION):
        raise _odd(f"The file does not say that it has policies (format: {FORMAT}, version: {VERSION}).")
    rows = document.get("policies")
    if not isinstance(rows, list) or len(rows) > POLICIES_MAX:
        raise _odd(f"The file has no list of policies, or one of more than {POLICIES_MAX}.")
    found = [_written(n, row) for n, row in enumerate(rows, 1)]
    twice = {each.name for n, each in enumerate(found) if each.name in {other.name for other in found[:n]}}
    if twice:
        raise _odd(f"{sorted(twice)[0]} is there twice.")
    return found


def _odd(message: str, hint: str = "") -> Problem:
    return Problem(422, "policies_unreadable", message, UNCHANGED, hint)


def _written(number: int, row: object) -> Written:
    name = row.get("name") if isinstance(row, dict) else None
    if not isinstance(row, dict) or not isinstance(name, str) or not 0 < len(name.strip()) <= 64:
        raise _odd(f"Policy {number} has no name of at most 64 characters.")
    unknown = set(row) - {"name", "requirements", "labels"}
    if unknown:
        raise _odd(f"{name}: there is no {sorted(unknown)[0]}; there are name, requirements and labels.")
    requirements, labels = row.get("requirements") or [], row.get("labels") or []
    if not isinstance(requirements, list) or not isinstance(labels, list):
        raise _odd(f"{name}: requirements and labels are lists.")
    try:
        asked = read_policy([_requirement(each) for each in requirements])
        return Written(name.strip(), asked, tuple(str(parse_label(str(label))) for label in labels))
    except CoreError as error:
        raise _odd(f"{name}: {error.message}", error.hint) from error


def _requirement(given: object) -> dict[str, object]:
    """One of the list, as ``media: SSD``; a number where its kind asks for one."""
    if not isinstance(given, dict) or len(given) != 1:
        raise CoreError("requirement_odd", "write each requirement as a kind with its value, as media: SSD.")
    ((kind, value),) = given.items()
    known = KINDS.get(str(kind))
    if known is not None and known.editor.how == "number" and isinstance(value, str):
        try:
            number = float(value)
        except ValueError:
            return {"kind": kind, "value": value}
        return {"kind": kind, "value": int(number) if number.is_integer() else number}
    return {"kind": kind, "value": value}


@transaction.atomic
def take_in(written: Iterable[Written], by: str, dry_run: bool) -> list[ImportedPolicy]:
    """What the policies of a file do, one after the other; nothing is stored for a ``dry_run``."""
    found = [_taken(each, by, dry_run) for each in written]
    if not dry_run:
        people_said("policy", 0)
    return found


def _taken(written: Written, by: str, dry_run: bool) -> ImportedPolicy:
    policy = Policy.objects.select_for_update().filter(name=written.name).first()
    if policy and policy.retired_at:
        raise _odd(f"{written.name} was retired.", "Choose another name.")
    had = set(policy.given.exclude(label=None).values_list("label", flat=True)) if policy else set()
    given, taken = sorted(set(written.labels) - had), sorted(str(label) for label in had - set(written.labels))
    told = effect(policy, written.asked)
    asks = policy is None or asked_by(policy) != written.asked
    does = "new" if policy is None else "asks otherwise" if asks else "other labels" if given or taken else "same"
    if not dry_run:
        policy = policy or make_policy(written.name, written.asked, "from a file", by)
        ask_from_now_on(policy, written.asked, "from a file", by)
        policy.given.filter(label__in=taken).delete()
        for label in given:
            GivenPolicy.objects.update_or_create(label=label, defaults={"policy": policy, "by": by})
    return ImportedPolicy(
        written.name,
        does,
        told.sentence,
        given,
        taken,
        told.newly_out_count,
        told.out_count,
        told.move_bytes,
    )


def json_schema() -> dict[str, Any]:
    """The JSON Schema (draft 2020-12) of a file, from the kinds of requirements there are."""
    each = [_schema_of(kind) for kind in KINDS]
    policy = {
        "type": "object",
        "required": ["name"],
        "additionalProperties": False,
        "properties": {
            "name": {"type": "string", "minLength": 1, "maxLength": 64},
            "requirements": {"type": "array", "maxItems": 40, "items": {"oneOf": each}},
            "labels": {"type": "array", "items": {"type": "string", "pattern": "^[a-z][a-z0-9._-]*=.+$"}},
        },
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Policies of Move Lot",
        "type": "object",
        "required": ["format", "version", "policies"],
        "additionalProperties": False,
        "properties": {
            "format": {"const": FORMAT},
            "version": {"const": VERSION},
            "policies": {"type": "array", "maxItems": POLICIES_MAX, "items": policy},
        },
    }


def _schema_of(kind: str) -> dict[str, Any]:
    editor = KINDS[kind].editor
    value: dict[str, Any] = {"type": "string", "minLength": 1}
    if editor.how == "number":
        value = {"type": "number", "minimum": editor.least, "maximum": editor.most}
    elif editor.how == "choice":
        value = {"enum": [option for option, _said in editor.options]}
    shape: dict[str, Any] = {"type": "object", "required": [kind], "additionalProperties": False}
    return {**shape, "description": KINDS[kind].label, "properties": {kind: value}}
