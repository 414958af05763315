"""The API of noisy neighbours: who makes a pool slow, at which hours, and what fair caps would give to all."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.balance.demands import PoolDemands, demands_of
from movelot.balance.fair_caps import DAYS, FairCapsPlan, fair_plan
from movelot.inventory.known_groups import hour_name
from movelot.inventory.models import Pool
from movelot.placement.places import pool_peaks

SHOWN = 12


@dataclass
class BusyPool:
    """A pool with its slowest hour, as last judged; null where nothing on it is in a group."""

    id: int
    name: str
    array: str
    peak_ms: float | None


@dataclass
class LoudDisk:
    """A disk: its share of what the pool has to do at the pool's slowest hour, and at how many hours that is over."""

    id: int
    name: str
    machine: str
    datastore: str
    asks_iops: float
    share: float
    busiest_hour: int
    busiest_day: str


@dataclass
class PoolNeighbours:
    """Who makes a pool slow, the most first, with how much all others make; and what fair caps would come to."""

    over_hours: int
    neighbours: list[LoudDisk]
    others: int
    others_share: float
    caps: FairCapsPlan


class BusyPoolSerializer(DataclassSerializer[BusyPool]):
    class Meta:
        dataclass = BusyPool


class PoolNeighboursSerializer(DataclassSerializer[PoolNeighbours]):
    class Meta:
        dataclass = PoolNeighbours


class BusyPoolsView(APIView):
    """All pools, the slowest first."""

    @extend_schema(operation_id="busy_pools", responses=BusyPoolSerializer(many=True))
    def get(self, request: Request) -> Response:
        peaks = pool_peaks()
        pools = [
            BusyPool(pool.pk, pool.name, pool.device.name, peaks.get(pool.pk))
            for pool in Pool.objects.select_related("device").order_by("name", "pk")
        ]
        pools.sort(key=lambda pool: -(pool.peak_ms or 0))
        return Response(BusyPoolSerializer(pools, many=True).data)


class PoolNeighboursView(APIView):
    """Who makes a pool slow."""

    @extend_schema(responses=PoolNeighboursSerializer)
    def get(self, request: Request, pk: int) -> Response:
        found = demands_of(get_object_or_404(Pool.objects.select_related("device"), pk=pk))
        return Response(PoolNeighboursSerializer(_neighbours(found)).data)


def _neighbours(found: PoolDemands) -> PoolNeighbours:
    hour, asked = found.worst_hour, found.asked
    share = found.load[:, hour] / max(float(asked[hour]), 1e-9)
    order = np.lexsort((np.arange(len(share)), -share))
    shown = [int(n) for n in order[:SHOWN] if share[n] > 0]
    return PoolNeighbours(
        over_hours=found.hours_over(asked),
        neighbours=[_neighbour(found, n, hour, float(share[n])) for n in shown],
        others=len(share) - len(shown),
        others_share=float(1 - share[shown].sum()) if len(share) else 0.0,
        caps=fair_plan(found, DAYS),
    )


def _neighbour(found: PoolDemands, n: int, hour: int, share: float) -> LoudDisk:
    disk = found.disks[n]
    at, day = hour_name(int(found.load[n].argmax()))
    store = disk.datastore.name if disk.datastore else ""
    return LoudDisk(disk.pk, disk.name, disk.machine.name, store, float(found.iops[n, hour]), share, at, day)
