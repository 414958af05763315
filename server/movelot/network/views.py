"""The API of paths: a cluster's board to an array, its single points of failure, and settings of devices row by row."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, fields

import numpy as np
from django.core.cache import cache
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.fabric.board import Board, board_of_paths
from movelot.inventory.clusters import clusters
from movelot.inventory.models import Cluster, Device
from movelot.inventory.paths import ClusterPaths, cluster_paths
from movelot.inventory.versions import version
from movelot.network.chap import SessionRow, session_rows
from movelot.network.device_settings import DeviceFilter, DeviceRow, rows_of
from movelot.network.interface_rows import StorageInterface, interface_rows
from movelot.network.zoning import ZoneChangeRow, zone_change_rows
from movelot.problems import Problem
from movelot_core.device_settings import SETTINGS, DeviceSetting
from movelot_core.fabric.matrix import PathMatrix, single_points_all

HOSTS_SHOWN = 60
KEPT_SECONDS = 600


@dataclass
class Named:
    """A thing to choose."""

    id: int
    name: str


@dataclass
class WeakPoint:
    """A component that alone carries all paths of some hosts to some volumes."""

    kind: str
    component: str
    hosts: list[str]
    volumes: list[str]


@dataclass
class PathsAnswer:
    """A cluster's paths to an array as last read; ``volume`` is null where the board counts for all of them.

    ``more_hosts`` counts hosts that are not listed; those that miss paths are listed first. ``zones`` are what to ask
    of those who zone the FC fabrics; ``sessions`` has the hosts that log in over iSCSI. ``interfaces`` are listed for
    as many hosts, those with a trouble first, and leave out ``more_interface_hosts``.
    """

    cluster: str
    array: str
    clusters: list[str]
    arrays: list[str]
    volumes: list[Named]
    volume: int | None
    board: Board
    more_hosts: int
    points: list[WeakPoint]
    zones: list[ZoneChangeRow]
    sessions: list[SessionRow]
    interfaces: list[StorageInterface]
    more_interface_hosts: int


@dataclass
class DeviceSettingsAnswer:
    """Devices on hosts with their settings; at most 500 rows of ``total``."""

    rows: list[DeviceRow]
    total: int
    settings: list[DeviceSetting]
    clusters: list[str]
    arrays: list[str]


class PathsSerializer(DataclassSerializer[PathsAnswer]):
    class Meta:
        dataclass = PathsAnswer


class DeviceSettingsSerializer(DataclassSerializer[DeviceSettingsAnswer]):
    class Meta:
        dataclass = DeviceSettingsAnswer


def _names() -> tuple[list[str], list[str]]:
    arrays = Device.objects.filter(kind=Device.Kind.ARRAY).order_by("name").values_list("name", flat=True)
    return clusters(), list(arrays)


class PathsView(APIView):
    """The path board of a cluster and an array, for one volume or for all."""

    @extend_schema(
        parameters=[OpenApiParameter(name, str) for name in ("cluster", "array", "volume")], responses=PathsSerializer
    )
    def get(self, request: Request) -> Response:
        given = request.query_params
        clusters, arrays = _names()
        if not clusters or not arrays:
            raise Problem(404, "no_paths", "No array with hosts is linked yet.", hint="Link them under Devices.")
        cluster = Cluster.objects.filter(name=given.get("cluster") or clusters[0]).first()
        wanted = given.get("array") or (_first_array(cluster) if cluster else "")
        array = Device.objects.filter(kind=Device.Kind.ARRAY, name=wanted).first()
        if cluster is None or array is None:
            raise Problem(404, "not_found", "There is no such cluster or array.", hint="Choose one of the lists.")
        # Whatever is asked for as a volume: a key of the cache takes few characters.
        volume = hashlib.sha256(given.get("volume", "").encode()).hexdigest()[:32]
        key = f"paths-{cluster.pk}-{array.pk}-{volume}-{version('fabric')}"
        data = cache.get(key)
        if data is None:
            data = dict(PathsSerializer(_answer(cluster, array, given.get("volume", ""))).data)
            cache.set(key, data, KEPT_SECONDS)
        return Response(data)


def _first_array(cluster: Cluster) -> str:
    """The array to show when none is asked for: the one that most paths to are missing, else that most lead to."""

    def found() -> str:
        def wants_a_look(array: Device) -> tuple[int, int]:
            matrix = cluster_paths(cluster, array).matrix
            return int(matrix.missing.sum()), int(matrix.expected.sum())

        arrays = Device.objects.filter(kind=Device.Kind.ARRAY).order_by("name")
        return max(arrays, key=wants_a_look).name

    return str(cache.get_or_set(f"first-array-{cluster.pk}-{version('fabric')}", found, KEPT_SECONDS))


def _answer(cluster: Cluster, array: Device, volume: str) -> PathsAnswer:
    """The board of one volume (by its primary key, as text), or of all. Problem for one that is not offered here."""
    clusters, arrays = _names()
    paths = cluster_paths(cluster, array)
    if volume and volume not in map(str, paths.volumes):
        raise Problem(404, "not_found", "This volume is not offered to the cluster.", hint="Choose one of the list.")
    number = paths.volumes.index(int(volume)) if volume else None
    board, more = board_of_paths(paths.matrix, number, HOSTS_SHOWN)
    return PathsAnswer(
        cluster.name,
        array.name,
        clusters,
        arrays,
        [Named(key, name) for key, name in zip(paths.volumes, paths.names, strict=True)],
        int(volume) if volume else None,
        board,
        more,
        _weak_points(paths, number),
        zone_change_rows(paths),
        session_rows(paths),
        *interface_rows(paths, HOSTS_SHOWN),
    )


def _weak_points(paths: ClusterPaths, volume: int | None) -> list[WeakPoint]:
    """Single points of failure, each once, with the hosts and volumes that hang on it; most hosts first."""
    matrix = paths.matrix if volume is None else _only(paths.matrix, volume)
    found: dict[tuple[str, str], tuple[set[str], set[str]]] = {}
    for point in single_points_all(matrix):
        hosts, volumes = found.setdefault((point.kind, point.component), (set(), set()))
        hosts.add(point.host)
        volumes.add(point.volume)
    rows = [
        WeakPoint(kind, name, sorted(hosts), sorted(map(paths.name_of, volumes)))
        for (kind, name), (hosts, volumes) in found.items()
    ]
    return sorted(rows, key=lambda row: (-len(row.hosts), row.kind, row.component))


def _only(matrix: PathMatrix, volume: int) -> PathMatrix:
    """The matrix with the paths of one volume alone."""
    seen = np.zeros_like(matrix.seen)
    seen[volume] = matrix.seen[volume]
    return PathMatrix(matrix.fabric, matrix.expected, seen, matrix.cause)


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
            clusters, arrays = _names()
            answer = DeviceSettingsAnswer(rows, total, list(SETTINGS.values()), clusters, arrays)
            data = dict(DeviceSettingsSerializer(answer).data)
            cache.set(key, data, KEPT_SECONDS)
        return Response(data)
