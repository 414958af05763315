"""The API of traces and of find."""

from __future__ import annotations

from dataclasses import dataclass

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.trace.chain import Link, Trace, trace
from movelot.trace.find import find


class TraceSerializer(DataclassSerializer[Trace]):
    class Meta:
        dataclass = Trace


class TraceView(APIView):
    """A thing with its chain."""

    @extend_schema(responses=TraceSerializer)
    def get(self, request: Request, kind: str, pk: int) -> Response:
        return Response(TraceSerializer(trace(kind, pk)).data)


@dataclass
class Hits:
    """What find found."""

    hits: list[Link]


class HitsSerializer(DataclassSerializer[Hits]):
    class Meta:
        dataclass = Hits


class FindView(APIView):
    """Find anything by what pages show of it."""

    @extend_schema(parameters=[OpenApiParameter("q", str)], responses=HitsSerializer)
    def get(self, request: Request) -> Response:
        return Response(HitsSerializer(Hits(find(request.query_params.get("q", "")))).data)
