"""The API of estates as Data Packages, and of metrics from elsewhere; all of it is done by jobs."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.parsers import MultiPartParser
from rest_framework.permissions import IsAuthenticated
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from movelot.accounts.roles import person
from movelot.exchange.jobs import ExportPackage, ImportMetrics, ImportPackage, start_with
from movelot.jobs.views import JobSerializer, accepted
from movelot.jobs.work import start
from movelot.problems import Problem

ZIP_MAX = 64 * 1024**2
METRICS_MAX = 32 * 1024**2


class PackageSerializer(serializers.Serializer[dict[str, Any]]):
    """A zipped Data Package. With ``dry_run`` nothing is taken in, only checked."""

    file = serializers.FileField(write_only=True)
    dry_run = serializers.BooleanField(default=True)


class PackageView(APIView):
    """An estate without devices, taken in by a job; its result is a PackageAnswer."""

    parser_classes = [MultiPartParser]

    @extend_schema(request={"multipart/form-data": PackageSerializer}, responses={202: JobSerializer})
    def post(self, request: Request) -> Response:
        given = PackageSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        file = given.validated_data["file"]
        if file.size > ZIP_MAX:
            raise Problem(
                413, "package_too_large", "The file is larger than 64 MiB.", "Nothing was imported.", "Leave loads out."
            )
        dry_run = given.validated_data["dry_run"]
        return accepted(start_with(ImportPackage.name, file.read(), person(request), dry_run=dry_run))


class PackageOutView(APIView):
    """The whole inventory, written by a job; its result says where the file is. Whoever may read may have it."""

    permission_classes = [IsAuthenticated]

    @extend_schema(request=None, responses={202: JobSerializer})
    def post(self, request: Request) -> Response:
        return accepted(start(ExportPackage.name, {}, person(request)))


class MetricsSerializer(serializers.Serializer[dict[str, Any]]):
    """A file's text."""

    text = serializers.CharField(max_length=METRICS_MAX, trim_whitespace=False, write_only=True)
    written_as = serializers.ChoiceField(["csv", "openmetrics"])


class MetricsView(APIView):
    """Samples measured elsewhere, for devices that are not asked; taken in by a job, whose result says how many."""

    @extend_schema(request=MetricsSerializer, responses={202: JobSerializer})
    def post(self, request: Request) -> Response:
        given = MetricsSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        text, written_as = given.validated_data["text"], given.validated_data["written_as"]
        return accepted(start_with(ImportMetrics.name, text.encode(), person(request), written_as=written_as))
