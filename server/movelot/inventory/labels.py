"""Labels that people give datastores, pools, machines and disks."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db import transaction
from django.db.models import CharField, F, Model, Q, Value
from django.db.models.functions import Concat

from movelot.inventory.models import Datastore, Disk, Label, Machine, Pool
from movelot.problems import Problem
from movelot_core import labels as core

# What each kind of thing is known by while its rows come and go: a machine keeps its labels when it changes its host.
_ARRAY_AND_NAME = Concat(F("device__name"), Value("/"), F("name"), output_field=CharField())
KNOWN_BY: dict[str, tuple[type[Model], Any]] = {
    "datastore": (Datastore, F("identity")),
    "pool": (Pool, _ARRAY_AND_NAME),
    "machine": (Machine, F("name")),
    "disk": (Disk, F("identity")),
}


def _subject(kind: str, pk: int) -> str:
    """What a thing is known by; Problem where it cannot be labelled or is not there."""
    if kind not in KNOWN_BY:
        raise Problem(404, "not_found", f"A {kind} has no labels.", hint=f"Label one of {', '.join(KNOWN_BY)}.")
    model, known_by = KNOWN_BY[kind]
    row = model._default_manager.filter(pk=pk).annotate(known_by=known_by).values_list("known_by", flat=True).first()
    if row is None:
        raise Problem(404, "not_found", f"There is no such {kind}.", hint="It may be gone since the last reading.")
    return str(row)


def labels_of(kind: str, pk: int) -> list[str]:
    """The labels of a thing, by key."""
    rows = Label.objects.filter(kind=kind, subject=_subject(kind, pk)).order_by("key")
    return [str(row) for row in rows]


def labels_of_many(kind: str, subjects: Iterable[str]) -> dict[str, list[str]]:
    """The labels of things that have any, by what each is known by (a machine by its name)."""
    found: dict[str, list[str]] = {}
    for row in Label.objects.filter(kind=kind, subject__in=subjects).order_by("subject", "key"):
        found.setdefault(row.subject, []).append(str(row))
    return found


def set_labels(kind: str, pk: int, texts: Iterable[str]) -> list[str]:
    """Make these the labels of a thing. All or none: LabelError of core for a text that is no label."""
    wanted, subject = core.parse_labels(texts), _subject(kind, pk)
    with transaction.atomic():
        Label.objects.filter(kind=kind, subject=subject).delete()
        Label.objects.bulk_create(
            Label(kind=kind, subject=subject, key=label.key, value=label.value) for label in wanted
        )
    return [str(label) for label in wanted]


def labelled(text: str, most: int) -> dict[str, list[int]]:
    """Primary keys of things with a label that ``text`` names, as key=value or key=, by kind; so many at most."""
    key, mark, value = (part.strip() for part in text.partition("="))
    if not mark or not key:
        return {}
    wanted = Q(key=key, value__startswith=value)
    found: dict[str, list[int]] = {}
    for kind, (model, known_by) in KNOWN_BY.items():
        subjects = Label.objects.filter(wanted, kind=kind).values("subject")
        rows = model._default_manager.annotate(known_by=known_by).filter(known_by__in=subjects)
        found[kind] = list(rows.order_by("name", "pk").values_list("pk", flat=True)[:most])
    return found
