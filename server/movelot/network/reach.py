"""Reach: every cluster against every array, as last judged."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import Any

from django.db.models import Count, Sum
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.findings.judging import keep
from movelot.findings.models import Judged
from movelot.inventory.models import Cluster, Device, Grant, Machine, Pool, Portal
from movelot.inventory.sentences import cause_text
from movelot_core.fabric.causes import Cause
from movelot_core.fabric.reach import Reach, ReachState
from movelot_core.fabric.transports import transport_of

KEPT = "reach-"


@dataclass
class ReachArray:
    """An array: what it serves (block, file), over which transports, and its space."""

    id: int
    name: str
    serves: list[str]
    protocols: list[str]
    allocated_bytes: int
    capacity_bytes: int
    granted: bool


@dataclass
class ReachCluster:
    """A cluster with what is in it."""

    name: str
    hosts: int
    machines: int


@dataclass
class ReachCell:
    """A cluster's paths to an array: ``text`` says what is worst, or why there are none."""

    cluster: str
    array: str
    state: str
    seen: int
    expected: int
    possible: int
    text: str


@dataclass
class ReachAnswer:
    """Clusters as rows, arrays as columns. A cell that is not judged yet is left out."""

    clusters: list[ReachCluster]
    arrays: list[ReachArray]
    cells: list[ReachCell]


class ReachSerializer(DataclassSerializer[ReachAnswer]):
    class Meta:
        dataclass = ReachAnswer


def keep_reach(cluster: Cluster, version: str, found: Iterable[tuple[str, Reach]]) -> None:
    """Keep how far a cluster reaches each array."""
    keep(f"{KEPT}{cluster.pk}", version, {array: asdict(reach) for array, reach in found})


def _text(reach: Reach, granted: bool) -> str:
    match reach.state:
        case ReachState.APART:
            return "no network in common"
        case ReachState.UNUSED:
            return "nothing attached yet" if granted else "not granted"
        case ReachState.WHOLE:
            return ""
    cause = cause_text(Cause(reach.cause or Cause.NOT_RESCANNED), reach.port)
    more = f", and {reach.troubled - 1} more" if reach.troubled > 1 else ""
    return f"{reach.worst}: {cause}{more}"


def _cells(clusters: dict[int, str], granted: dict[str, bool]) -> Iterable[ReachCell]:
    names = [f"{KEPT}{key}" for key in clusters]
    for name, document in Judged.objects.filter(name__in=names).values_list("name", "document"):
        cluster = clusters[int(name.removeprefix(KEPT))]
        told: dict[str, dict[str, Any]] = json.loads(document)
        for array, row in told.items():
            if array in granted:
                reach = Reach(**{**row, "state": ReachState(row["state"])})
                text = _text(reach, granted[array])
                yield ReachCell(cluster, array, reach.state, reach.seen, reach.expected, reach.possible, text)


def _arrays() -> list[ReachArray]:
    space = {
        row["device"]: row
        for row in Pool.objects.values("device").annotate(used=Sum("allocated_bytes"), size=Sum("capacity_bytes"))
    }
    granted = set(Grant.objects.values_list("pool__device", flat=True))
    spoken: dict[int, set[str]] = {}
    for key, protocol in Portal.objects.values_list("device", "protocol").distinct():
        spoken.setdefault(key, set()).add(protocol)
    found = []
    for array in Device.objects.filter(kind=Device.Kind.ARRAY).order_by("name"):
        protocols = sorted(spoken.get(array.pk, ()))
        serves = {"block" if transport_of(each).carries_blocks else "file" for each in protocols}
        row = space.get(array.pk, {"used": 0, "size": 0})
        found.append(
            ReachArray(array.pk, array.name, sorted(serves), protocols, row["used"], row["size"], array.pk in granted)
        )
    return found


class ReachView(APIView):
    """Every cluster against every array, with paths seen of those expected and what is worst."""

    @extend_schema(responses=ReachSerializer)
    def get(self, request: Request) -> Response:
        arrays = _arrays()
        hosts = Cluster.objects.annotate(hosts=Count("devices")).order_by("name")
        running = dict(Machine.objects.values_list("placement__host__cluster").annotate(count=Count("pk")).order_by())
        clusters = [ReachCluster(row.name, row.hosts, running.get(row.pk, 0)) for row in hosts]
        keys = {row.pk: row.name for row in hosts}
        cells = list(_cells(keys, {array.name: array.granted for array in arrays}))
        return Response(ReachSerializer(ReachAnswer(clusters, arrays, cells)).data)
