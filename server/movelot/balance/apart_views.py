"""The API of peaks apart: pools whose hours fit with one's, and disks of it that would fit into another's hours."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.inventory.known_groups import KnownGroup, hour_name, known_group
from movelot.inventory.models import BalanceGroup, Pool
from movelot.inventory.placement import stores_on
from movelot_core.balance.peaks import Fitting, Pair, fitting, pairs_apart

SHOWN = 6


@dataclass
class ApartPool:
    """A pool of a group: when it peaks, and how far the peak of both together lies under the sum of their peaks."""

    id: int
    name: str
    group: str
    peak_hour: int
    peak_day: str
    apart: float


@dataclass
class FittingDisk:
    """A disk that would fit into another pool's hours: where to, and how both pools answer at their peaks, in ms.

    Of its own peak the share ``quiet`` falls into hours at which the other pool is not at its peak.
    """

    disk: int
    name: str
    group: str
    target: int
    target_name: str
    pool: str
    peak_ms: float
    peak_ms_after: float
    other_ms: float
    other_ms_after: float
    quiet: float


@dataclass
class PeaksApart:
    """What fits with a pool: other pools, those first that fit best, and disks of it, those first that gain most."""

    pools: list[ApartPool]
    disks: list[FittingDisk]


class PeaksApartSerializer(DataclassSerializer[PeaksApart]):
    class Meta:
        dataclass = PeaksApart


class PeaksApartView(APIView):
    """What fits with the hours of a pool, in each of the groups whose datastores stand on it."""

    @extend_schema(responses=PeaksApartSerializer)
    def get(self, request: Request, pk: int) -> Response:
        pool = get_object_or_404(Pool, pk=pk)
        groups = BalanceGroup.objects.filter(members__datastore__in=stores_on(pool.pk)).order_by("name").distinct()
        known = [known_group(group) for group in groups]
        pools = [each for found in known for each in _pools(found, pool)]
        disks = [each for found in known for each in _disks(found, pool)]
        pools.sort(key=lambda each: -each.apart)
        disks.sort(key=lambda each: each.peak_ms_after - each.peak_ms)
        return Response(PeaksApartSerializer(PeaksApart(pools[:SHOWN], disks[:SHOWN])).data)


def _pools(found: KnownGroup, pool: Pool) -> Iterator[ApartPool]:
    for pair in pairs_apart(found.trading, found.state, found.pool_keys.index(pool.pk)):
        if pair.second < found.pools_known:
            yield _pool(found, pair)


def _pool(found: KnownGroup, pair: Pair) -> ApartPool:
    hour, day = hour_name(int(found.state.peak_hour[pair.second]))
    key, name = found.pool_keys[pair.second], found.group.pools[pair.second]
    return ApartPool(key, name, found.row.name, hour, day, pair.apart)


def _disks(found: KnownGroup, pool: Pool) -> Iterator[FittingDisk]:
    number = found.pool_keys.index(pool.pk)
    for move in fitting(found.trading, found.state, number, SHOWN):
        yield _disk(found, move, number)


def _disk(found: KnownGroup, move: Fitting, number: int) -> FittingDisk:
    group, other = found.group, int(found.group.pool_of[move.store])
    ms = [
        (float(found.state.peak_ms[p]), _peak_ms(found, p, change))
        for p, change in ((number, -move.falls), (other, move.rises))
    ]
    return FittingDisk(
        found.disk_keys[move.disk],
        group.disks[move.disk],
        found.row.name,
        found.store_keys[move.store],
        group.datastores[move.store],
        group.pools[other],
        *ms[0],
        *ms[1],
        move.quiet,
    )


def _peak_ms(found: KnownGroup, pool: int, change: float) -> float:
    """How a pool answers at its peak once that is another one, by a share of the load that it bears."""
    peak = float(found.state.load[pool].max()) + change * float(found.group.load_limit[pool])
    return float(found.group.curves[pool].latency_ms(peak))
