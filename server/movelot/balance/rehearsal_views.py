"""The API of rehearsals: asking for one, looking at it, and saying that somebody did."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.shortcuts import get_object_or_404
from django.utils.timezone import now
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.balance.group_views import group_named
from movelot.balance.rehearsing import DOCUMENT, RehearsalDocument, RehearseJob
from movelot.balance.ways import digest_of, ways_of
from movelot.inventory.models import BalanceGroup, Rehearsal
from movelot.jobs.views import JobSerializer, accepted
from movelot.jobs.work import start


@dataclass
class RehearsalAnswer:
    """A rehearsal; ``fits`` the ways as they are now, or those that were when it was made."""

    id: int
    group: str
    by: str
    at: datetime
    seen_by: str
    seen_at: datetime | None
    fits: bool
    document: RehearsalDocument


class RehearsalSerializer(DataclassSerializer[RehearsalAnswer]):
    class Meta:
        dataclass = RehearsalAnswer


class RehearsalsView(APIView):
    """The rehearsals of a group; and asking for one of its ways as they are."""

    @extend_schema(operation_id="rehearsals", responses=RehearsalSerializer(many=True))
    def get(self, request: Request, name: str) -> Response:
        group = group_named(name)
        of = digest_of(group, ways_of(group))
        rows = Rehearsal.objects.filter(group=group)[:3]
        return Response(RehearsalSerializer([_answer(group, row, of) for row in rows], many=True).data)

    @extend_schema(request=None, responses={202: JobSerializer})
    def post(self, request: Request, name: str) -> Response:
        group = group_named(name)
        params = {"group": group.pk, "of": digest_of(group, ways_of(group))}
        return accepted(start(RehearseJob.name, params, person(request)))


class RehearsalSeenView(APIView):
    """Say that one looked at a rehearsal: a group acts by itself only as somebody saw it would."""

    @extend_schema(request=None, responses=RehearsalSerializer)
    def post(self, request: Request, pk: int) -> Response:
        row = get_object_or_404(Rehearsal.objects.select_related("group"), pk=pk)
        if not row.seen_by:
            row.seen_by, row.seen_at = person(request).username, now()
            row.save(update_fields=["seen_by", "seen_at"])
        of = digest_of(row.group, ways_of(row.group))
        return Response(RehearsalSerializer(_answer(row.group, row, of)).data)


def _answer(group: BalanceGroup, row: Rehearsal, of: str) -> RehearsalAnswer:
    document = DOCUMENT.validate_python(row.document)
    return RehearsalAnswer(row.pk, group.name, row.by, row.at, row.seen_by, row.seen_at, row.of == of, document)
