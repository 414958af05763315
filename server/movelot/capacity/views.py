"""The API of capacity: ledger and runway by kind, the history of one with its forecast, and what if."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.capacity.known import today
from movelot.capacity.reclaim import RECLAIMERS
from movelot.capacity.rows import (
    CURVES,
    GRID,
    KEPT_CURVES,
    KEPT_PASTS,
    KEPT_RECLAIMS,
    NAME,
    PASTS,
    RECLAIMS,
    ROWS,
    CapacityRow,
    Curve,
    ReclaimRow,
    forecast_of,
)
from movelot.capacity.shares import NAME as SHARES_NAME
from movelot.capacity.shares import SHARES, ShareRow
from movelot.findings.judging import kept
from movelot.problems import Problem
from movelot_core.capacity.forecast import HORIZON_DAYS, changed, runway

KINDS = ("pool", "datastore", "group", "array", "cluster", "policy", "label")
BEYOND = HORIZON_DAYS + 1
GROWTH_MOST = 10.0


@dataclass
class CapacityAnswer:
    """The rows of a kind, what runs out first on top."""

    rows: list[CapacityRow]


@dataclass
class PastDay:
    """A day (ISO) with what was used."""

    day: str
    used_bytes: int


@dataclass
class FutureDay:
    """A day (ISO) with what will be used: at least, likely, at most."""

    day: str
    low_bytes: int
    likely_bytes: int
    high_bytes: int


@dataclass
class CourseAnswer:
    """How the use of a row went and goes on; the future is empty for too little history."""

    past: list[PastDay]
    future: list[FutureDay]


class CapacitySerializer(DataclassSerializer[CapacityAnswer]):
    class Meta:
        dataclass = CapacityAnswer


class CourseSerializer(DataclassSerializer[CourseAnswer]):
    class Meta:
        dataclass = CourseAnswer


def kept_rows() -> list[CapacityRow]:
    """All rows as last judged; none before the first judgement."""
    found = kept(NAME)
    return ROWS.validate_json(found.document) if found else []


def kept_curves() -> dict[str, Curve]:
    """All forecasts as last judged, by kind and primary key."""
    found = kept(CURVES)
    return KEPT_CURVES.validate_json(found.document) if found else {}


def soonest_first(row: CapacityRow) -> tuple[Any, ...]:
    """What runs out first, then what is fullest."""
    days = [BEYOND if day is None else day for day in (row.early, row.likely, row.late)]
    return (*days, -row.used_bytes / max(1, row.capacity_bytes), row.name)


BY = OpenApiParameter("by", enum=KINDS, default="pool")


def _by(request: Request) -> str:
    by = request.query_params.get("by", "pool")
    if by not in KINDS:
        raise Problem(400, "kind_unknown", f"There is no capacity by {by}.", hint=f"Ask by one of {', '.join(KINDS)}.")
    return by


def _answer(rows: Iterable[CapacityRow]) -> Response:
    return Response(CapacitySerializer(CapacityAnswer(sorted(rows, key=soonest_first))).data)


class CapacityView(APIView):
    """Where the bytes are, and when room is used up."""

    @extend_schema(parameters=[BY], responses=CapacitySerializer)
    def get(self, request: Request) -> Response:
        by = _by(request)
        return _answer(row for row in kept_rows() if row.kind == by)


@dataclass
class ReclaimAnswer:
    """What could come back, the most bytes first; ``kinds`` are all reclaimers that look for it, by title."""

    rows: list[ReclaimRow]
    kinds: list[str]


class ReclaimSerializer(DataclassSerializer[ReclaimAnswer]):
    class Meta:
        dataclass = ReclaimAnswer


class ReclaimView(APIView):
    """What takes room and need not, with what bringing it back costs."""

    @extend_schema(responses=ReclaimSerializer)
    def get(self, request: Request) -> Response:
        found = kept(RECLAIMS)
        rows = KEPT_RECLAIMS.validate_json(found.document) if found else []
        return Response(ReclaimSerializer(ReclaimAnswer(rows, [each.title for each in RECLAIMERS])).data)


SHARED_BY = ("host", "cluster", "label", "policy", "datastore")


@dataclass
class SharesAnswer:
    """Who has how much of which pool, by name; ``pools`` are all pools of the rows."""

    rows: list[ShareRow]
    pools: list[str]


class SharesSerializer(DataclassSerializer[SharesAnswer]):
    class Meta:
        dataclass = SharesAnswer


class SharesView(APIView):
    """Who uses what, as last judged."""

    @extend_schema(parameters=[OpenApiParameter("by", enum=SHARED_BY, default="cluster")], responses=SharesSerializer)
    def get(self, request: Request) -> Response:
        by = request.query_params.get("by", "cluster")
        if by not in SHARED_BY:
            hint = f"Ask by one of {', '.join(SHARED_BY)}."
            raise Problem(400, "kind_unknown", f"Nobody is told of by {by}.", hint=hint)
        found = kept(SHARES_NAME)
        rows = [row for row in (SHARES.validate_json(found.document) if found else []) if row.by == by]
        pools = sorted({row.pool for row in rows})
        return Response(SharesSerializer(SharesAnswer(rows, pools)).data)


class WhatIfForm(serializers.Serializer[Any]):
    """Growth so many times as fast, and bytes that come into a pool or a datastore in so many days."""

    by = serializers.ChoiceField(choices=KINDS, default="pool")
    growth = serializers.FloatField(min_value=0, max_value=GROWTH_MOST, default=1.0)
    id = serializers.IntegerField(min_value=1, default=None, allow_null=True)
    add_bytes = serializers.IntegerField(min_value=-(2**60), max_value=2**60, default=0)
    room_bytes = serializers.IntegerField(min_value=-(2**60), max_value=2**60, default=0)
    in_days = serializers.IntegerField(min_value=0, max_value=HORIZON_DAYS, default=0)


class WhatIfView(APIView):
    """The runways as they would be; nothing is stored. All of a kind answer at once."""

    @extend_schema(parameters=[WhatIfForm], responses=CapacitySerializer)
    def get(self, request: Request) -> Response:
        form = WhatIfForm(data=request.query_params.dict())
        form.is_valid(raise_exception=True)
        asked = form.validated_data
        rows, curves = kept_rows(), kept_curves()
        return _answer(_if(row, curves.get(f"{row.kind}-{row.id}"), asked) for row in rows if row.kind == asked["by"])


def _if(row: CapacityRow, curve: Curve | None, asked: dict[str, Any]) -> CapacityRow:
    """A row with the runway that it would have; without a forecast only whether its ceiling would be passed at once."""
    meant = asked["id"] in (None, row.id)
    more, room = (asked["add_bytes"], asked["room_bytes"]) if meant else (0, 0)
    row.capacity_bytes += room
    row.used_bytes += more if asked["in_days"] == 0 else 0
    found = None
    if curve is not None:
        found = changed(forecast_of(curve), asked["growth"], [(asked["in_days"], float(more))] if more else [])
        row.growth_bytes = round(found.growth_bytes)
    reached = runway(found, row.ceiling * row.capacity_bytes, row.used_bytes)
    row.early, row.likely, row.late = reached.early, reached.likely, reached.late
    return row


class CourseView(APIView):
    """How the use of a row went, day by day, and goes on."""

    @extend_schema(responses=CourseSerializer)
    def get(self, request: Request, kind: str, pk: int) -> Response:
        key, found = f"{kind}-{pk}", kept(PASTS)
        past = (KEPT_PASTS.validate_json(found.document) if found else {}).get(key)
        if past is None:
            raise Problem(404, "not_found", f"There is no such {kind}.", hint="It may be gone since the last reading.")
        days = zip(past.days, past.used_bytes, strict=True)
        curve = kept_curves().get(key)
        answer = CourseAnswer(
            [PastDay(date.fromordinal(day).isoformat(), round(used)) for day, used in days],
            _future(curve) if curve else [],
        )
        return Response(CourseSerializer(answer).data)


def _future(curve: Curve) -> list[FutureDay]:
    begin = today()
    return [
        FutureDay((begin + timedelta(days=ahead)).isoformat(), round(low), round(likely), round(high))
        for ahead, low, likely, high in zip(GRID, curve.low, curve.likely, curve.high, strict=True)
    ]
