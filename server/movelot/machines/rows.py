"""The list of machines: filtered, sorted and paged by the database, as a page and as CSV."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass, fields
from typing import Any

from django.db.models import QuerySet
from django.http import StreamingHttpResponse
from django_filters import rest_framework as filters
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import generics
from rest_framework.filters import OrderingFilter
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.inventory.models import Compliance, Machine, MachineSummary
from movelot.inventory.search import in_one_form
from movelot.spreadsheet import csv_text

NO_POLICY = "no policy"
STATES = [(each, each) for each in (*Compliance.State.values, NO_POLICY)]
FIGURES = (
    "disks",
    "provisioned_bytes",
    "written_bytes",
    "snapshots",
    "snapshot_bytes",
    "peak_iops",
    "peak_hour",
    "latency_ms",
    "state",
    "out",
    "policies",
    "labels",
)


@dataclass
class MachineRow:
    """A machine in the list; figures are null until it was judged."""

    id: int
    name: str
    host: str
    host_id: int
    cluster: str
    power: str
    processors: int
    memory_bytes: int
    disks: int | None
    provisioned_bytes: int | None
    written_bytes: int | None
    snapshots: int | None
    snapshot_bytes: int | None
    peak_iops: float | None
    peak_hour: int | None
    latency_ms: float | None
    state: str
    out: int
    policies: str
    labels: str


# What stands for the figures of a machine that was not judged yet.
UNJUDGED: tuple[Any, ...] = (*[None] * 8, "", 0, "", "")


def row_of(machine: Machine) -> MachineRow:
    """A machine that was fetched with its host, cluster and summary."""
    host = machine.host
    summary: MachineSummary | None = getattr(machine, "summary", None)
    figures = UNJUDGED if summary is None else tuple(getattr(summary, name) for name in FIGURES)
    return MachineRow(
        machine.pk,
        machine.name,
        host.name,
        host.pk,
        host.cluster.name if host.cluster else "",
        machine.power,
        machine.processors,
        machine.memory_bytes,
        *figures,
    )


class MachineRowSerializer(DataclassSerializer[MachineRow]):
    class Meta:
        dataclass = MachineRow


class MachineFilter(filters.FilterSet):  # type: ignore[misc]  # the library has no types
    """``text`` is looked for in what Find looks through; ``label`` is key=value."""

    text = filters.CharFilter(method="with_text")
    cluster = filters.CharFilter(field_name="placement__host__cluster__name")
    host = filters.CharFilter(field_name="placement__host__name")
    datastore = filters.CharFilter(method="on_datastore")
    power = filters.CharFilter()
    policy = filters.NumberFilter(method="of_policy")
    state = filters.ChoiceFilter(
        method="in_state", choices=[(each, each) for each in (*Compliance.State.values, NO_POLICY)]
    )
    label = filters.CharFilter(method="with_label")

    class Meta:
        model = Machine
        fields: list[str] = []

    def with_text(self, rows: QuerySet[Machine], _name: str, text: str) -> QuerySet[Machine]:
        return rows.filter(searched__contains=in_one_form(text))

    def on_datastore(self, rows: QuerySet[Machine], _name: str, name: str) -> QuerySet[Machine]:
        there = Machine.objects.filter(disks__gone_at=None, disks__placement__datastore__name=name)
        return rows.filter(pk__in=there.values("pk"))

    def of_policy(self, rows: QuerySet[Machine], _name: str, key: int) -> QuerySet[Machine]:
        return rows.filter(pk__in=Compliance.objects.filter(policy=key).values("disk__machine_id"))

    def in_state(self, rows: QuerySet[Machine], _name: str, state: str) -> QuerySet[Machine]:
        return rows.filter(summary__state="" if state == NO_POLICY else state)

    def with_label(self, rows: QuerySet[Machine], _name: str, text: str) -> QuerySet[Machine]:
        key, mark, value = (part.strip() for part in text.partition("="))
        having = Machine.objects.filter(labels__key=key, **({"labels__value": value} if mark else {}))
        return rows.filter(pk__in=having.values("pk"))


class ByColumn(OrderingFilter):
    """Sorts by a column of the list, by its name there; then always by name, so that pages do not overlap."""

    def filter_queryset(self, request: Any, queryset: QuerySet[Any], view: Any) -> QuerySet[Any]:
        typed = request.query_params.get(self.ordering_param, "")
        column = view.columns.get(typed.removeprefix("-"))
        mark = "-" if typed.startswith("-") else ""
        return queryset.order_by(*([f"{mark}{column}"] if column else []), "name", "pk")

    def get_schema_operation_parameters(self, view: Any) -> list[dict[str, Any]]:
        said = f"One of {', '.join(view.columns)}; with - before it the other way round."
        asked = {"name": self.ordering_param, "in": "query", "required": False, "description": said}
        return [{**asked, "schema": {"type": "string"}}]


class MachineList(generics.ListAPIView[Machine]):
    """Machines with what their disks come to."""

    queryset = Machine.objects.select_related("placement__host__cluster", "summary")
    serializer_class = MachineRowSerializer
    filterset_class = MachineFilter
    filter_backends = (filters.DjangoFilterBackend, ByColumn)

    def list(self, request: Request, *args: Any, **kwargs: Any) -> Response:
        # Rows are answered as they are: a serializer takes longer for a hundred of them than the database.
        machines = self.paginate_queryset(self.filter_queryset(self.get_queryset())) or ()
        return self.get_paginated_response([asdict(row_of(machine)) for machine in machines])

    columns = {
        "name": "name",
        "host": "placement__host__name",
        "cluster": "placement__host__cluster__name",
        "power": "power",
        "processors": "processors",
        "memory_bytes": "memory_bytes",
        **{name: f"summary__{name}" for name in FIGURES},
    }


class MachineCsv(MachineList):
    """All machines that the filters take, as CSV."""

    pagination_class = None

    @extend_schema(operation_id="machines_csv", responses={(200, "text/csv"): OpenApiTypes.STR})
    def get(self, request: Any, *args: Any, **kwargs: Any) -> Any:
        rows = self.filter_queryset(self.get_queryset())
        headers = {"Content-Disposition": 'attachment; filename="machines.csv"'}
        return StreamingHttpResponse(_written(rows), content_type="text/csv; charset=utf-8", headers=headers)


def _written(rows: QuerySet[Machine]) -> Iterator[str]:
    heads = [each.name for each in fields(MachineRow) if each.name not in ("id", "host_id")]
    yield csv_text(heads, [])
    for machine in rows.iterator(chunk_size=500):
        row = row_of(machine)
        yield csv_text(heads, [[getattr(row, name) for name in heads]]).split("\n", 1)[1]
