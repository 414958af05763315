"""The API of paths: a cluster's board to an array, its single points of failure, and settings of devices row by row."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, fields

from django.core.cache import cache
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.inventory.models import Cluster, Device
from movelot.inventory.versions import version
from movelot.network.device_settings import DeviceFilter, DeviceRow, rows_of
from movelot.network.path_answers import KEPT_SECONDS, PathsSerializer, board_told, first_array, names_to_choose
from movelot.problems import Problem
from movelot_core.device_settings import SETTINGS, DeviceSetting


@dataclass
class DeviceSettingsAnswer:
    """Devices on hosts with their settings; at most 500 rows of ``total``."""

    rows: list[DeviceRow]
    total: int
    settings: list[DeviceSetting]
    clusters: list[str]
    arrays: list[str]


class DeviceSettingsSerializer(DataclassSerializer[DeviceSettingsAnswer]):
    class Meta:
        dataclass = DeviceSettingsAnswer


class PathsView(APIView):
    """The path board of a cluster and an array, for one volume or for all."""

    @extend_schema(
        parameters=[OpenApiParameter(name, str) for name in ("cluster", "array", "volume")], responses=PathsSerializer
    )
    def get(self, request: Request) -> Response:
        given = request.query_params
        clusters, arrays = names_to_choose()
        if not clusters or not arrays:
            raise Problem(404, "no_paths", "No array with hosts is linked yet.", hint="Link them under Devices.")
        cluster = Cluster.objects.filter(name=given.get("cluster") or clusters[0]).first()
        wanted = given.get("array") or (first_array(cluster) if cluster else "")
        array = Device.objects.filter(kind=Device.Kind.ARRAY, name=wanted).first()
        if cluster is None or array is None:
            raise Problem(404, "not_found", "There is no such cluster or array.", hint="Choose one of the lists.")
        told = board_told(cluster, array, given.get("volume", ""))
        # Devices may have been linked since it was judged.
        return Response({**told, "clusters": clusters, "arrays": arrays})


FILTERS = [each.name for each in fields(DeviceFilter)]


class DeviceSettingsView(APIView):
    """Settings of devices on hosts, filtered."""

    @extend_schema(
        parameters=[OpenApiParameter(name, str) for name in FILTERS],
        responses=DeviceSettingsSerializer,
    )
    def get(self, request: Request) -> Response:
        which = DeviceFilter(
            *(request.query_params.get(name, "")[:128] for name in ("cluster", "host", "array", "text"))
        )
        key = f"device-settings-{hashlib.sha256(repr(which).encode()).hexdigest()}-{version('fabric')}"
        data = cache.get(key)
        if data is None:
            rows, total = rows_of(which)
            clusters, arrays = names_to_choose()
            answer = DeviceSettingsAnswer(rows, total, list(SETTINGS.values()), clusters, arrays)
            data = dict(DeviceSettingsSerializer(answer).data)
            cache.set(key, data, KEPT_SECONDS)
        return Response(data)
