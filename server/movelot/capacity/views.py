"""The API of capacity: ledger and runway by kind, the history of one with its forecast, and what if."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from drf_spectacular.utils import OpenApiParameter, extend_schema
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
)
from movelot.capacity.shares import NAME as SHARES_NAME
from movelot.capacity.shares import SHARES, ShareRow, share_days
from movelot.findings.judging import kept
from movelot.problems import Problem
from movelot_core.capacity.forecast import HORIZON_DAYS

KINDS = ("pool", "datastore", "group", "array", "cluster", "policy", "label")
BEYOND = HORIZON_DAYS + 1


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


def by_of(request: Request) -> str:
    by = request.query_params.get("by", "pool")
    if by not in KINDS:
        raise Problem(400, "kind_unknown", f"There is no capacity by {by}.", hint=f"Ask by one of {', '.join(KINDS)}.")
    return by


class CapacityView(APIView):
    """Where the bytes are, and when room is used up."""

    @extend_schema(parameters=[BY], responses=CapacitySerializer)
    def get(self, request: Request) -> Response:
        by = by_of(request)
        rows = sorted((row for row in kept_rows() if row.kind == by), key=soonest_first)
        return Response(CapacitySerializer(CapacityAnswer(rows)).data)


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


# How far back it is told who used what.
SHARE_DAYS = 90
SHARED_BY = ("host", "cluster", "label", "policy", "datastore")


@dataclass
class ShareCourse:
    """What one had written at the start of days (ISO), of all pools together."""

    name: str
    days: list[str]
    written_bytes: list[int]


@dataclass
class SharesAnswer:
    """Who has how much of which pool, by name; ``pools`` are all pools of the rows; how it went in the last months."""

    rows: list[ShareRow]
    pools: list[str]
    courses: list[ShareCourse]


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
        told = share_days(by, today() - timedelta(days=SHARE_DAYS))
        courses = [
            ShareCourse(name, [day.isoformat() for day, _ in days], [written for _, written in days])
            for name, days in sorted(told.items())
        ]
        return Response(SharesSerializer(SharesAnswer(rows, pools, courses)).data)


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
