"""Plans of a group side by side: what each aim moves, takes and leaves, as last computed."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.balance.aims import AIMS, Aim, KeptPlan, aim_of
from movelot.balance.group_views import group_named
from movelot.findings.judging import kept
from movelot_core.balance.even import LEAST_GAIN


@dataclass
class Alternative:
    """A plan for an aim, made for the group as it is judged now; what it would leave, and remarks on it.

    ``over`` is what stays over ceilings altogether, in shares of these.
    """

    aim: str
    called: str
    least_gain: float
    moves: int
    moved_bytes: int
    bound_bytes: int
    takes_seconds: float
    fullest: str
    fullest_fill: float
    slowest: str
    slowest_ms: float
    over: float
    remarks: list[str]
    made_at: datetime


class AlternativeSerializer(DataclassSerializer[Alternative]):
    class Meta:
        dataclass = Alternative


class AlternativesView(APIView):
    """The plans that there are for a group. One that nobody asked for since it is another group is left out."""

    @extend_schema(responses=AlternativeSerializer(many=True))
    def get(self, request: Request, name: str) -> Response:
        group = group_named(name)
        return Response(AlternativeSerializer(list(_known(group.pk)), many=True).data)


def _known(group: int) -> Iterator[Alternative]:
    digest = ""
    for name in AIMS:
        aim = aim_of(name, LEAST_GAIN)
        stored = kept(aim.kept_as(group))
        if stored is None:
            continue
        plan = KeptPlan(**json.loads(stored.document))
        # Whoever judges the group clears it first: that plan is always of the group as it is judged now.
        digest = digest or plan.digest
        if plan.digest == digest:
            yield _told(aim_of(name, plan.least_gain or LEAST_GAIN), plan, stored.made_at)


def _told(aim: Aim, plan: KeptPlan, made_at: datetime) -> Alternative:
    return Alternative(
        aim=aim.name,
        called=aim.called,
        least_gain=plan.least_gain,
        moves=len(plan.moves),
        moved_bytes=plan.moved_bytes,
        bound_bytes=plan.bound_bytes,
        takes_seconds=plan.takes_seconds,
        fullest=plan.fullest,
        fullest_fill=plan.fullest_fill,
        slowest=plan.slowest,
        slowest_ms=plan.slowest_ms,
        over=plan.over,
        remarks=aim.remarks(plan),
        made_at=made_at,
    )
