"""The API of estates as Data Packages, and of metrics from elsewhere."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.exchange.checking import check_meaning
from movelot.exchange.metrics import Taken, take_in
from movelot.exchange.reading import Fault, read_package
from movelot.exchange.storing import store
from movelot.exchange.writing import package
from movelot.problems import Problem

ZIP_MAX = 64 * 1024**2
METRICS_MAX = 32 * 1024**2


@dataclass
class TableCount:
    """Rows of a table that can be taken in."""

    table: str
    rows: int


@dataclass
class PackageAnswer:
    """What a package holds and all that is wrong with it; ``imported`` says whether it was taken in.

    ``faults`` are the first 500 of ``fault_count``.
    """

    imported: bool
    tables: list[TableCount]
    faults: list[Fault]
    fault_count: int


class PackageAnswerSerializer(DataclassSerializer[PackageAnswer]):
    class Meta:
        dataclass = PackageAnswer


class PackageSerializer(serializers.Serializer[dict[str, Any]]):
    """A zipped Data Package. With ``dry_run`` nothing is taken in, only checked."""

    file = serializers.FileField(write_only=True)
    dry_run = serializers.BooleanField(default=True)


class PackageView(APIView):
    """The whole inventory out, and an estate without devices in."""

    parser_classes = [MultiPartParser]

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: Request) -> HttpResponse:
        name = {"Content-Disposition": 'attachment; filename="estate.zip"'}
        return HttpResponse(package(), content_type="application/zip", headers=name)

    @extend_schema(request={"multipart/form-data": PackageSerializer}, responses=PackageAnswerSerializer)
    def post(self, request: Request) -> Response:
        given = PackageSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        file = given.validated_data["file"]
        if file.size > ZIP_MAX:
            raise Problem(
                413, "package_too_large", "The file is larger than 64 MiB.", "Nothing was imported.", "Leave loads out."
            )
        found = read_package(file)
        if not found.faults.count:
            check_meaning(found)
        taken = not given.validated_data["dry_run"] and not found.faults.count
        if taken:
            store(found, person(request).username)
        tables = [TableCount(table, len(rows)) for table, rows in found.rows.items() if rows]
        answer = PackageAnswer(taken, tables, found.faults.first, found.faults.count)
        return Response(PackageAnswerSerializer(answer).data)


class TakenSerializer(DataclassSerializer[Taken]):
    class Meta:
        dataclass = Taken


class MetricsSerializer(serializers.Serializer[dict[str, Any]]):
    """A file's text."""

    text = serializers.CharField(max_length=METRICS_MAX, trim_whitespace=False, write_only=True)
    written_as = serializers.ChoiceField(["csv", "openmetrics"])


class MetricsView(APIView):
    """Samples measured elsewhere, for devices that are not asked."""

    @extend_schema(request=MetricsSerializer, responses=TakenSerializer)
    def post(self, request: Request) -> Response:
        given = MetricsSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        taken = take_in(given.validated_data["text"], given.validated_data["written_as"])
        return Response(TakenSerializer(taken).data)
