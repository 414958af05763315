"""The balance API: groups and their boards."""

from __future__ import annotations

import json
from dataclasses import dataclass

from django.db.models import Count
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.balance.board import GroupBoard, Stack, board_documents, board_name, stacks_name
from movelot.findings.judging import kept
from movelot.inventory.known_groups import known_group
from movelot.inventory.models import BalanceGroup
from movelot.problems import Problem


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


class StackSerializer(DataclassSerializer[Stack]):
    class Meta:
        dataclass = Stack


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
            return Response(board_documents(known_group(group))[0])
        # Kept as it is sent: many megabytes of a large group are not read and written anew.
        return HttpResponse(found.document, content_type="application/json")


class StackView(APIView):
    """A datastore of a large group with its largest disks, whose board leaves them out."""

    @extend_schema(responses=StackSerializer)
    def get(self, request: Request, name: str, pk: int) -> Response:
        group = get_object_or_404(BalanceGroup, name=name)
        found = kept(stacks_name(group.pk))
        stack = json.loads(found.document).get(str(pk)) if found else None
        if stack is None:
            raise Problem(404, "not_found", "No such datastore is in a large group.", hint="Reload the board.")
        return Response(stack)
