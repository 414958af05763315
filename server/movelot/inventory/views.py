"""Lists of disks, traces, and find."""

from __future__ import annotations

from dataclasses import dataclass

from django_filters import rest_framework as filters
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.inventory.models import Disk
from movelot.inventory.trace import Link, Trace, find, trace


class DiskSerializer(serializers.ModelSerializer[Disk]):
    """A disk in a list."""

    machine = serializers.CharField(source="machine.name")
    host = serializers.CharField(source="machine.host.name")
    datastore = serializers.CharField(source="datastore.name", default="")

    class Meta:
        model = Disk
        fields = ["id", "name", "machine", "host", "datastore", "size_bytes", "pinned"]


class DiskFilter(filters.FilterSet):  # type: ignore[misc]  # the library has no types
    datastore = filters.CharFilter(field_name="placement__datastore__name")
    group = filters.CharFilter(field_name="placement__datastore__membership__group__name")

    class Meta:
        model = Disk
        fields = ["datastore", "group", "pinned"]


class DiskList(generics.ListAPIView[Disk]):
    """Disks, paged, filtered, sorted and searched in the database."""

    queryset = Disk.objects.select_related("machine__placement__host", "placement__datastore").order_by("name", "pk")
    serializer_class = DiskSerializer
    filterset_class = DiskFilter
    search_fields = ["name"]
    ordering_fields = ["name", "size_bytes", "machine__name", "placement__datastore__name"]


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
    """Find anything by name or serial."""

    @extend_schema(parameters=[OpenApiParameter("q", str)], responses=HitsSerializer)
    def get(self, request: Request) -> Response:
        return Response(HitsSerializer(Hits(find(request.query_params.get("q", "")))).data)
