"""The path board of a cluster and an array: judged ahead for all volumes together, computed when asked for one.

It takes seconds for 400 hosts, and the page is opened far more often than paths change: whoever judges a cluster's
paths keeps the board, with what it rests on. A request that comes before that computes it.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from django.core.cache import cache
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.fabric.board import Board, board_of_paths
from movelot.findings.judging import keep, kept
from movelot.inventory.clusters import clusters
from movelot.inventory.models import Cluster, Device
from movelot.inventory.paths import ClusterPaths, cluster_paths
from movelot.inventory.versions import version
from movelot.network.chap import SessionRow, session_rows
from movelot.network.interface_rows import StorageInterface, interface_rows
from movelot.network.zoning import ZoneChangeRow, zone_change_rows
from movelot.problems import Problem
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


class PathsSerializer(DataclassSerializer[PathsAnswer]):
    class Meta:
        dataclass = PathsAnswer


def names_to_choose() -> tuple[list[str], list[str]]:
    """The clusters and the arrays, by name."""
    arrays = Device.objects.filter(kind=Device.Kind.ARRAY).order_by("name").values_list("name", flat=True)
    return clusters(), list(arrays)


def rests_on(cluster: Cluster) -> str:
    """What the paths of a cluster rest on: another text whenever they may be other ones."""
    return version(f"fabric-cluster-{cluster.pk}", "fabric-arrays")


def keep_board(cluster: Cluster, seen_at: str, paths: ClusterPaths) -> None:
    """Keep the board to an array, which rests on ``seen_at``."""
    keep(_kept_as(cluster, paths.array), seen_at, _told(_answer(cluster, paths, None)))


def keep_first(cluster: Cluster, seen_at: str, wants: Mapping[str, tuple[int, int]]) -> None:
    """Keep which array is shown when none is asked for, from how much each of them ``wants_a_look``."""
    keep(f"paths-first-{cluster.pk}", seen_at, max(sorted(wants), key=lambda name: wants[name], default=""))


def board_told(cluster: Cluster, array: Device, volume: str) -> dict[str, Any]:
    """The answer for one volume (by its primary key, as text), or for all: as judged, else computed now.

    Problem for a volume that is not offered there.
    """
    seen_at = rests_on(cluster)
    judged = None if volume else _judged(_kept_as(cluster, array), seen_at)
    if judged is not None:
        return dict(judged)
    # Whatever is asked for as a volume: a key of the cache takes few characters.
    key = f"paths-{cluster.pk}-{array.pk}-{hashlib.sha256(volume.encode()).hexdigest()[:32]}-{seen_at}"
    told: dict[str, Any] | None = cache.get(key)
    if told is None:
        paths = cluster_paths(cluster, array)
        if volume and volume not in map(str, paths.volumes):
            message = "This volume is not offered to the cluster."
            raise Problem(404, "not_found", message, hint="Choose one of the list.")
        told = _told(_answer(cluster, paths, paths.volumes.index(int(volume)) if volume else None))
        cache.set(key, told, KEPT_SECONDS)
    return told


def first_array(cluster: Cluster) -> str:
    """The array to show when none is asked for: the one that most paths to are missing, else that most lead to."""
    seen_at = rests_on(cluster)
    judged = _judged(f"paths-first-{cluster.pk}", seen_at)
    if judged is not None:
        return str(judged)

    def found() -> str:
        arrays = Device.objects.filter(kind=Device.Kind.ARRAY).order_by("name")
        return max(arrays, key=lambda array: wants_a_look(cluster_paths(cluster, array))).name

    return str(cache.get_or_set(f"first-array-{cluster.pk}-{seen_at}", found, KEPT_SECONDS))


def wants_a_look(paths: ClusterPaths) -> tuple[int, int]:
    """More for an array that more paths to are missing, then for one that more lead to."""
    return int(paths.matrix.missing.sum()), int(paths.matrix.expected.sum())


def _kept_as(cluster: Cluster, array: Device) -> str:
    return f"paths-{cluster.pk}-{array.pk}"


def _judged(name: str, seen_at: str) -> Any:
    """What was kept under ``name``; None where it rests on something else than ``seen_at``."""
    row = kept(name)
    return json.loads(row.document) if row and row.rests_on == seen_at else None


def _told(answer: PathsAnswer) -> dict[str, Any]:
    return dict(PathsSerializer(answer).data)


def _answer(cluster: Cluster, paths: ClusterPaths, volume: int | None) -> PathsAnswer:
    """The board of the volume of this number among those of ``paths``, or of all."""
    clusters, arrays = names_to_choose()
    board, more = board_of_paths(paths.matrix, volume, HOSTS_SHOWN)
    return PathsAnswer(
        cluster.name,
        paths.array.name,
        clusters,
        arrays,
        [Named(key, name) for key, name in zip(paths.volumes, paths.names, strict=True)],
        None if volume is None else paths.volumes[volume],
        board,
        more,
        _weak_points(paths, volume),
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
