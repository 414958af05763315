"""The API of the audit trail: read, filtered, exported, proven. Nothing here changes it."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from django.db.models import Q, QuerySet
from django.http import StreamingHttpResponse
from django_filters import rest_framework as filters
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import generics, serializers
from rest_framework.permissions import IsAuthenticated
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from movelot.accounts.roles import person
from movelot.audit.jobs import ProveJob
from movelot.audit.models import Entry
from movelot.jobs.views import JobSerializer, accepted
from movelot.jobs.work import start
from movelot.problems import Problem
from movelot.spreadsheet import csv_text

COLUMNS = ("id", "at", "who", "role", "address", "what", "subject", "before", "after", "previous", "digest")


class EntrySerializer(serializers.ModelSerializer[Entry]):
    """One change by a person."""

    before = serializers.JSONField(allow_null=True)
    after = serializers.JSONField(allow_null=True)

    class Meta:
        model = Entry
        fields = [*COLUMNS]


class EntryFilter(filters.FilterSet):  # type: ignore[misc]  # the library has no types
    since = filters.IsoDateTimeFilter(field_name="at", lookup_expr="gte")
    until = filters.IsoDateTimeFilter(field_name="at", lookup_expr="lt")
    text = filters.CharFilter(method="with_text")

    class Meta:
        model = Entry
        fields = ["who", "what", "subject"]

    def with_text(self, rows: QuerySet[Entry], _name: str, text: str) -> QuerySet[Entry]:
        return rows.filter(Q(what__icontains=text) | Q(subject__icontains=text) | Q(who__icontains=text))


class EntryList(generics.ListAPIView[Entry]):
    """Entries, the newest first, paged and filtered in the database."""

    queryset = Entry.objects.order_by("-pk")
    serializer_class = EntrySerializer
    filterset_class = EntryFilter


class ProofView(APIView):
    """Whether every entry is as it was written, and none is missing: a job, which auditors may ask for too."""

    permission_classes = (IsAuthenticated,)

    @extend_schema(request=None, responses={202: JobSerializer})
    def post(self, request: Request) -> Response:
        return accepted(start(ProveJob.name, {}, person(request)))


def _as_csv() -> Iterator[str]:
    heads = True
    for rows in _in_parts():
        text = csv_text(COLUMNS, ([_cell(row[name]) for name in COLUMNS] for row in rows))
        yield text if heads else text.split("\n", 1)[1]
        heads = False


def _cell(value: Any) -> Any:
    return json.dumps(value, sort_keys=True) if isinstance(value, (dict, list)) else value


def _as_lines() -> Iterator[str]:
    for rows in _in_parts():
        yield "".join(f"{json.dumps(row, default=str)}\n" for row in rows)


def _in_parts(size: int = 1000) -> Iterator[list[dict[str, Any]]]:
    """All entries, the oldest first, some at a time; at least one part, so that there are heads."""
    last = 0
    while True:
        rows = list(Entry.objects.filter(pk__gt=last).order_by("pk").values(*COLUMNS)[:size])
        if rows or not last:
            yield rows
        if len(rows) < size:
            return
        last = rows[-1]["id"]


WRITERS = {"csv": (_as_csv, "text/csv; charset=utf-8"), "jsonl": (_as_lines, "application/jsonl; charset=utf-8")}


class ExportView(APIView):
    """The whole trail as CSV or JSON Lines."""

    @extend_schema(
        parameters=[OpenApiParameter("written_as", str, enum=[*WRITERS])],
        responses={(200, "text/csv"): OpenApiTypes.STR},
    )
    def get(self, request: Request) -> StreamingHttpResponse:
        written_as = request.query_params.get("written_as", "csv")
        if written_as not in WRITERS:
            raise Problem(422, "form_unknown", f"There is no trail as “{written_as}”.", hint="Use csv or jsonl.")
        write, content_type = WRITERS[written_as]
        headers = {"Content-Disposition": f'attachment; filename="audit-trail.{written_as}"'}
        return StreamingHttpResponse(write(), content_type=content_type, headers=headers)
