"""The API of open formats."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.devices.tasks import collect_telemetry
from movelot.exchange.importing import Outcome, import_rows
from movelot.exchange.rows import rows_in

TEXT_MAX = 1024**2


@dataclass
class ImportAnswer:
    """Every row's outcome; ``done`` counts rows that were, ``wrong`` those that were not or could not be."""

    dry_run: bool
    rows: list[Outcome]
    done: int
    wrong: int


class ImportAnswerSerializer(DataclassSerializer[ImportAnswer]):
    class Meta:
        dataclass = ImportAnswer


class ImportSerializer(serializers.Serializer[dict[str, Any]]):
    """A file's text. With ``dry_run`` nothing is done, only said."""

    text = serializers.CharField(max_length=TEXT_MAX, trim_whitespace=False, write_only=True)
    written_as = serializers.ChoiceField(["csv", "yaml"])
    dry_run = serializers.BooleanField(default=True)


class ImportView(APIView):
    """Device links and grants from CSV or YAML."""

    @extend_schema(request=ImportSerializer, responses=ImportAnswerSerializer)
    def post(self, request: Request) -> Response:
        given = ImportSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        values = given.validated_data
        dry = values["dry_run"]
        rows = import_rows(rows_in(values["text"], values["written_as"]), person(request), dry)
        done = sum(row.outcome == "done" for row in rows)
        if any(row.outcome == "done" and row.kind == "link" for row in rows):
            collect_telemetry.delay()
        answer = ImportAnswer(dry, rows, done, sum(row.outcome == "wrong" for row in rows))
        return Response(ImportAnswerSerializer(answer).data)
