"""How a pool answers under load, as was learned, and how far plans may load it by people's word."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import transaction
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.audit.trail import tell
from movelot.inventory import changes
from movelot.inventory.changes import Aspect, Change
from movelot.inventory.curves import curve_of
from movelot.inventory.models import Pool
from movelot.problems import Problem

# Nobody means more than this many reads a second.
LOAD_MAX = 1e9


@dataclass
class PoolCurve:
    """What was learned of a pool from ``samples`` hours. Loads are in reads of 8 KiB a second that weigh as much.

    ``seen`` is the highest, ``known`` how far plans may go by what was learned (null: as far as its ceiling), and
    ``allowed`` by people's word; null where nobody said so. Nine in ten hours lay between ``low`` and ``high`` times
    what the curve says; ``cautious``: it says nothing beyond what was seen.
    """

    shape: str
    samples: int
    idle_ms: float
    seen_ms: float
    seen: float
    known: float | None
    allowed: float | None
    low: float
    high: float
    cautious: bool


class PoolCurveSerializer(DataclassSerializer[PoolCurve]):
    class Meta:
        dataclass = PoolCurve


class AllowedLoadSerializer(serializers.Serializer[PoolCurve]):
    allowed = serializers.FloatField(min_value=1, max_value=LOAD_MAX, allow_null=True)


class PoolCurveView(APIView):
    """How a pool answers, and the load up to which people allow plans to go whatever was seen."""

    @extend_schema(responses=PoolCurveSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(PoolCurveSerializer(_told(_pool(pk))).data)

    @extend_schema(request=AllowedLoadSerializer, responses=PoolCurveSerializer)
    def put(self, request: Request, pk: int) -> Response:
        pool = _pool(pk)
        given = AllowedLoadSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        before, pool.allowed_load = pool.allowed_load, given.validated_data["allowed"]
        with transaction.atomic():
            pool.save(update_fields=["allowed_load"])
            tell(request, f"load of {pool.name}", before, pool.allowed_load)
            # Who judges by what was measured judges by this as well.
            changes.tell([Change(Aspect.LOAD, "array", pool.device_id)])
        return Response(PoolCurveSerializer(_told(pool)).data)


def _pool(key: int) -> Pool:
    found = Pool.objects.filter(pk=key).first()
    if found is None:
        raise Problem(404, "not_found", "There is no such pool.", hint="It may be gone since the last reading.")
    return found


def _told(pool: Pool) -> PoolCurve:
    curve = curve_of(pool)
    return PoolCurve(
        shape=pool.curve_shape,
        samples=pool.fit_samples,
        idle_ms=float(curve.latency_ms(0.0)),
        seen_ms=float(curve.latency_ms(pool.fit_seen_max)),
        seen=pool.fit_seen_max,
        known=pool.curve_known_max,
        allowed=pool.allowed_load,
        low=pool.fit_low,
        high=pool.fit_high,
        cautious=pool.fit_cautious,
    )
