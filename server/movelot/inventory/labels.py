"""Labels that people give datastores, pools, machines and disks."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from django.contrib.contenttypes.models import ContentType
from django.db import transaction
from django.db.models import Model, Q

from movelot.inventory.changes import people_said
from movelot.inventory.models import Datastore, Disk, Durable, Label, Machine, Pool
from movelot.problems import Problem
from movelot_core import labels as core

LABELLED: dict[str, type[Durable]] = {"datastore": Datastore, "pool": Pool, "machine": Machine, "disk": Disk}


def _thing(kind: str, pk: int) -> Model:
    """The thing; Problem where it cannot be labelled or is not there."""
    if kind not in LABELLED:
        raise Problem(404, "not_found", f"A {kind} has no labels.", hint=f"Label one of {', '.join(LABELLED)}.")
    found = LABELLED[kind].objects.filter(pk=pk).first()
    if found is None:
        raise Problem(404, "not_found", f"There is no such {kind}.", hint="It may be gone since the last reading.")
    return found


def labels_of(kind: str, pk: int) -> list[str]:
    """The labels of a thing, by key."""
    _thing(kind, pk)
    return labels_of_many(kind, [pk]).get(pk, [])


def labels_of_many(kind: str, keys: Iterable[int]) -> dict[int, list[str]]:
    """The labels of things that have any, by primary key."""
    found: dict[int, list[str]] = {}
    for row in Label.objects.filter(content_type=_type(kind), object_id__in=list(keys)).order_by("object_id", "key"):
        found.setdefault(row.object_id, []).append(str(row))
    return found


def labels_by_thing(kind: str) -> dict[int, dict[str, str]]:
    """The labels of all things of a kind, by primary key."""
    found: dict[int, dict[str, str]] = {}
    for thing, key, value in Label.objects.filter(content_type=_type(kind)).values_list("object_id", "key", "value"):
        found.setdefault(thing, {})[key] = value
    return found


def _type(kind: str) -> ContentType:
    return ContentType.objects.get_for_model(LABELLED[kind])


def set_labels(kind: str, pk: int, texts: Iterable[str]) -> list[str]:
    """Make these the labels of a thing. All or none: LabelError of core for a text that is no label."""
    wanted = core.parse_labels(texts)
    _thing(kind, pk)
    with transaction.atomic():
        Label.objects.filter(content_type=_type(kind), object_id=pk).delete()
        Label.objects.bulk_create(
            Label(content_type=_type(kind), object_id=pk, key=label.key, value=label.value) for label in wanted
        )
        people_said(kind, pk)
    return [str(label) for label in wanted]


def put_labels(kind: str, rows: Sequence[tuple[int, str, str]]) -> None:
    """Give things, by primary key, a label each (key and value); a key that is there gets the new value."""
    labels = [Label(content_type=_type(kind), object_id=pk, key=key, value=value) for pk, key, value in rows]
    Label.objects.bulk_create(labels, update_conflicts=True, update_fields=["value"], batch_size=500)
    people_said(kind, 0)


def change_labels(kind: str, keys: Sequence[int], add: Iterable[str], remove: Iterable[str]) -> None:
    """Give things labels and take others from them: all or none. LabelError of core for a text that is no label.

    A key that a thing has gets the new value.
    """
    given, taken = core.parse_labels(add), core.parse_labels(remove)
    with transaction.atomic():
        for label in taken:
            rows = Label.objects.filter(content_type=_type(kind), object_id__in=keys)
            rows.filter(key=label.key, value=label.value).delete()
        put_labels(kind, [(key, label.key, label.value) for key in keys for label in given])


def labelled(text: str, most: int) -> dict[str, list[int]]:
    """Primary keys of things with a label that ``text`` names, by kind; so many at most.

    It is key=value with the beginning of a value, or without the mark a whole key, or a whole value.
    """
    key, mark, value = (part.strip() for part in text.partition("="))
    if not key:
        return {}
    wanted = Q(labels__key=key)
    wanted = wanted & Q(labels__value__startswith=value) if mark else wanted | Q(labels__value=key)
    found: dict[str, list[int]] = {}
    for kind, model in LABELLED.items():
        rows: Any = model.objects.filter(wanted).order_by("name", "pk")
        found[kind] = list(rows.values_list("pk", flat=True).distinct()[:most])
    return found
