"""The balance API: groups, their boards, and drafts of moves."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db.models import Count
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.balance.board import GroupBoard, board_document, board_name
from movelot.balance.drafting import BalanceKind
from movelot.balance.planning import BalancePlan
from movelot.findings.judging import kept
from movelot.inventory.estates import estate_of
from movelot.inventory.models import BalanceGroup
from movelot.lots.actions import set_form
from movelot.lots.answers import LotDetail, document_of
from movelot.lots.drafting import new_draft
from movelot.lots.models import Lot


@dataclass
class GroupRow:
    """A group in the list."""

    id: int
    name: str
    datastores: int
    fill_ceiling: float
    latency_ceiling_ms: float


@dataclass
class BalanceDraft:
    """A draft of the balance page."""

    lot: LotDetail
    plan: BalancePlan


class GroupRowSerializer(DataclassSerializer[GroupRow]):
    class Meta:
        dataclass = GroupRow


class GroupBoardSerializer(DataclassSerializer[GroupBoard]):
    class Meta:
        dataclass = GroupBoard


class BalanceDraftSerializer(DataclassSerializer[BalanceDraft]):
    class Meta:
        dataclass = BalanceDraft


class MoveSerializer(serializers.Serializer[dict[str, int]]):
    disk = serializers.IntegerField(min_value=1)
    target = serializers.IntegerField(min_value=1)


class MovesSerializer(serializers.Serializer[dict[str, Any]]):
    """All moves of a draft, those of the plan and those a person added."""

    moves = serializers.ListField(child=MoveSerializer(), max_length=5000)


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
            return Response(board_document(estate_of(group)))
        # Kept as it is sent: many megabytes of a large group are not read and written anew.
        return HttpResponse(found.document, content_type="application/json")


class GroupPlanView(APIView):
    """Drafting the plan that clears a group."""

    @extend_schema(request=None, responses={201: BalanceDraftSerializer})
    def post(self, request: Request, name: str) -> Response:
        group = get_object_or_404(BalanceGroup, name=name)
        lot = new_draft(BalanceKind.name, {"group": group.name}, person(request))
        tell(request, f"lot {lot.pk}", None, {"kind": BalanceKind.name, "form": {"group": group.name}})
        return Response(draft_of(lot), status.HTTP_201_CREATED)


class BalanceDraftView(APIView):
    """One balance draft; putting moves computes it anew."""

    def _lot(self, pk: int) -> Lot:
        return get_object_or_404(Lot, pk=pk, kind=BalanceKind.name)

    @extend_schema(responses=BalanceDraftSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(draft_of(self._lot(pk)))

    @extend_schema(request=MovesSerializer, responses=BalanceDraftSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = MovesSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        lot = self._lot(pk)
        moves = [dict(move) for move in given.validated_data["moves"]]
        return Response(draft_of(set_form(lot, {**lot.form, "moves": moves}, person(request))))


def draft_of(lot: Lot) -> dict[str, Any]:
    """The answer for ``lot``; its plan is kept as JSON and has the shape of BalancePlan."""
    return {"lot": document_of(lot), "plan": lot.plan}
