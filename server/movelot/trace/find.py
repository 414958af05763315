"""Find: things by any of the words that pages show of them, however these are typed.

What is looked for, and what it is looked for in, are brought into one form first: small letters, no colons, so that a
WWPN is found with and without them, and no form of a SCSI or NVMe name before a serial.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from django.db.models import F, Model, Q, QuerySet, Value
from django.db.models.functions import Lower, Replace

from movelot.inventory.labels import labelled
from movelot.inventory.models import (
    Cluster,
    Datastore,
    Device,
    Disk,
    DriveGroup,
    Export,
    Extent,
    HostInitiator,
    HostPort,
    Machine,
    Mount,
    Pool,
    Portal,
    Volume,
)
from movelot.inventory.search import in_one_form
from movelot.trace.chain import Link, link_of, rows_of

FOUND_MAX = 10
TEXT_MAX = 64


@dataclass(frozen=True)
class Beside:
    """Rows that tell of a thing besides its own: their model, columns, which leads to it, and which rows."""

    model: type[Model]
    columns: tuple[str, ...]
    leads: str
    only: Q = field(default_factory=Q)


@dataclass(frozen=True)
class Searched:
    """A kind of thing with the columns that its pages show, and what tells of it besides."""

    kind: str
    model: type[Model]
    columns: tuple[str, ...]
    beside: tuple[Beside, ...] = ()
    only: Q = field(default_factory=Q)


# Of kinds with many things the database keeps the one form of all their columns, in an index.
KEPT = ("searched",)
KINDS = (
    Searched("machine", Machine, KEPT),
    Searched("disk", Disk, KEPT),
    Searched(
        "host",
        Device,
        ("name", "url", "nqn", "identity"),
        (Beside(HostInitiator, ("identifier",), "host"),),
        Q(kind=Device.Kind.HOST),
    ),
    Searched(
        "datastore",
        Datastore,
        ("name", "identity"),
        (Beside(Extent, ("serial",), "datastore"), Beside(Mount, ("server", "path"), "datastore", Q(server__gt=""))),
    ),
    Searched("volume", Volume, KEPT, (Beside(Export, ("path",), "volume"),)),
    Searched("pool", Pool, ("name",)),
    Searched("drive_group", DriveGroup, ("name",)),
    Searched("array", Device, ("name", "url", "target", "nqn", "identity"), (), Q(kind=Device.Kind.ARRAY)),
    Searched("port", HostPort, ("name", "network")),
    Searched("portal", Portal, ("name", "network", "host_name")),
)


def _having(rows: QuerySet[Any], columns: Iterable[str], wanted: str) -> QuerySet[Any]:
    """The rows in any of whose columns ``wanted`` stands; it is in the one form already."""
    forms = {f"form_{column}": _form_of(column) for column in columns}
    query = Q()
    for name in forms:
        query |= Q(**{f"{name}__contains": wanted})
    having: QuerySet[Any] = rows.alias(**forms).filter(query)
    return having


def _form_of(column: str) -> Any:
    return F(column) if (column,) == KEPT else Replace(Lower(F(column)), Value(":"), Value(""))


def find(text: str) -> list[Link]:
    """Things that ``text`` names by anything pages show of them; at most ten a kind, those that begin so first.

    A label is found as key=value, key=, its key or its value.
    """
    typed = text.strip()[:TEXT_MAX]
    wanted = in_one_form(typed)
    if not wanted:
        return []
    labels = labelled(typed, FOUND_MAX)
    found = [link for searched in KINDS for link in _found(searched, wanted, labels.get(searched.kind, []))]
    found += [*_clusters(wanted), *_switches(wanted)]
    return sorted(found, key=lambda link: not link.name.lower().startswith(typed.lower()))


def _found(searched: Searched, wanted: str, labelled_keys: list[int]) -> list[Link]:
    rows = rows_of(searched.model).filter(searched.only)
    keys = set(labelled_keys)
    first = "searched" if searched.columns == KEPT else "name"
    keys.update(_having(rows, searched.columns, wanted).order_by(first).values_list("pk", flat=True)[:FOUND_MAX])
    for beside in searched.beside:
        told = _having(beside.model._default_manager.filter(beside.only), beside.columns, wanted)
        keys.update(told.values_list(beside.leads, flat=True).distinct()[:FOUND_MAX])
    # What is gone may be told of still.
    listed = rows.filter(pk__in=keys).order_by("name")[:FOUND_MAX] if keys else []
    return [link_of(searched.kind, row) for row in listed]


def _clusters(wanted: str) -> list[Link]:
    rows = _having(Cluster.objects.all(), ("name",), wanted).order_by("name")[:FOUND_MAX]
    return [Link("cluster", row.pk, row.name, None, "its hosts' paths") for row in rows]


def _switches(wanted: str) -> list[Link]:
    """Switches are known from what is cabled to them; they are numbered by their place, as they have no rows."""
    names = set[str]()
    for model in (HostPort, Portal):
        rows = _having(model._default_manager.exclude(switch=""), ("switch",), wanted)
        names.update(rows.values_list("switch", flat=True).distinct()[:FOUND_MAX])
    return [Link("switch", n, name, None, "what its loss would do") for n, name in enumerate(sorted(names))]
