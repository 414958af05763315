"""The balance API: groups and their boards."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Count
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.balance.board import GroupBoard, board_document, board_name
from movelot.findings.judging import kept
from movelot.inventory.known_groups import known_group
from movelot.inventory.models import BalanceGroup


@dataclass
class GroupRow:
    """A group in the list."""

    id: int
    name: str
    datastores: int
    fill_ceiling: float
    latency_ceiling_ms: float


class GroupRowSerializer(DataclassSerializer[GroupRow]):
    class Meta:
        dataclass = GroupRow


class GroupBoardSerializer(DataclassSerializer[GroupBoard]):
    class Meta:
        dataclass = GroupBoard


class GroupListView(APIView):
    """All balance groups, the one with most disks first."""

    @extend_schema(responses=GroupRowSerializer(many=True))
    def get(self, request: Request) -> Response:
        groups = BalanceGroup.objects.annotate(disks=Count("datastores__disk_placements"))
        rows = [
            GroupRow(g.pk, g.name, g.datastores.count(), g.fill_ceiling, g.latency_ceiling_ms)
            for g in groups.order_by("-disks", "name")
        ]
        return Response(GroupRowSerializer(rows, many=True).data)


class GroupView(APIView):
    """A group's board."""

    @extend_schema(responses=GroupBoardSerializer)
    def get(self, request: Request, name: str) -> HttpResponse:
        group = get_object_or_404(BalanceGroup, name=name)
        found = kept(board_name(group.pk))
        if found is None:
            # Nothing was judged yet: only a moment after the first device was linked.
            return Response(board_document(known_group(group)))
        # Kept as it is sent: many megabytes of a large group are not read and written anew.
        return HttpResponse(found.document, content_type="application/json")
