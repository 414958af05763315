"""The API of device links and grants in open formats."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from movelot.accounts.roles import person
from movelot.exchange.jobs import start_rows
from movelot.jobs.views import JobSerializer, accepted

TEXT_MAX = 1024**2


class ImportSerializer(serializers.Serializer[dict[str, Any]]):
    """A file's text. With ``dry_run`` nothing is done, only said."""

    text = serializers.CharField(max_length=TEXT_MAX, trim_whitespace=False, write_only=True)
    written_as = serializers.ChoiceField(["csv", "yaml"])
    dry_run = serializers.BooleanField(default=True)


class ImportView(APIView):
    """Device links and grants from CSV or YAML, by a job; its result is an ImportAnswer."""

    @extend_schema(request=ImportSerializer, responses={202: JobSerializer})
    def post(self, request: Request) -> Response:
        given = ImportSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        values = given.validated_data
        return accepted(start_rows(values["text"], values["written_as"], values["dry_run"], person(request)))
