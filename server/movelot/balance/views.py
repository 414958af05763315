"""The balance API: groups and their boards."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Count
from django.http import HttpResponse
from django.utils.timezone import now
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.balance.board import GroupBoard, Stack, board_documents, board_name, stacks_name
from movelot.balance.group_views import (
    GroupForm,
    GroupMembersSerializer,
    group_named,
    make_group,
    retire_group,
)
from movelot.balance.ways import in_force_text
from movelot.findings.judging import kept
from movelot.inventory.changes import people_said
from movelot.inventory.known_groups import known_group
from movelot.inventory.models import BalanceGroup
from movelot.preconditions import IF_MATCH, ChangedSince, demand, etag, seen_by
from movelot.problems import Problem

# Below these every datastore, or pool, would be over; above nobody would wait for it.
FILL_LEAST, LATENCY_LEAST_MS, LATENCY_MOST_MS = 0.05, 0.1, 1000.0


@dataclass
class GroupRow:
    """A group in the list; ``in_force`` says which way of working holds and until when, empty where it has none."""

    id: int
    name: str
    datastores: int
    fill_ceiling: float
    latency_ceiling_ms: float
    in_force: str


class GroupRowSerializer(DataclassSerializer[GroupRow]):
    class Meta:
        dataclass = GroupRow


class GroupBoardSerializer(DataclassSerializer[GroupBoard]):
    class Meta:
        dataclass = GroupBoard


class StackSerializer(DataclassSerializer[Stack]):
    class Meta:
        dataclass = Stack


@dataclass
class GroupCeilings:
    """The ceilings that a group is kept under.

    ``number`` is another one each time they are set, ``by`` whom last; nobody so far for an empty one.
    """

    group: str
    number: int
    fill_ceiling: float
    latency_ceiling_ms: float
    by: str
    at: datetime | None


class GroupCeilingsSerializer(DataclassSerializer[GroupCeilings]):
    class Meta:
        dataclass = GroupCeilings


class CeilingsForm(serializers.Serializer[Any]):
    fill_ceiling = serializers.FloatField(min_value=FILL_LEAST, max_value=1)
    latency_ceiling_ms = serializers.FloatField(min_value=LATENCY_LEAST_MS, max_value=LATENCY_MOST_MS)


class GroupCeilingsView(APIView):
    """What a group is kept under: looking, and setting it."""

    @extend_schema(responses=GroupCeilingsSerializer)
    def get(self, request: Request, name: str) -> Response:
        return _ceilings(group_named(name))

    @extend_schema(request=CeilingsForm, responses=GroupCeilingsSerializer, parameters=[IF_MATCH])
    def put(self, request: Request, name: str) -> Response:
        given = CeilingsForm(data=request.data)
        given.is_valid(raise_exception=True)
        with transaction.atomic():
            group = BalanceGroup.objects.select_for_update().get(pk=group_named(name).pk)
            before = _said(group)
            since = ChangedSince([f"its ceilings are {before}"], [group.by] if group.by else [], group.at)
            demand(seen_by(request), str(group.number), f"Group {group.name}", lambda _seen: since)
            group.own_fill_ceiling = given.validated_data["fill_ceiling"]
            group.own_latency_ceiling_ms = given.validated_data["latency_ceiling_ms"]
            group.set_ceilings()
            if _said(group) != before:
                group.number, group.by, group.at = group.number + 1, person(request).username, now()
                group.save()
                people_said("group", group.pk)
        if _said(group) != before:
            tell(request, f"ceilings of {group.name}", before, _said(group))
        return _ceilings(group)


def _said(group: BalanceGroup) -> str:
    return f"{group.own_fill_ceiling:.1%} full and {group.own_latency_ceiling_ms:g} ms"


def _ceilings(group: BalanceGroup) -> Response:
    own = group.own_fill_ceiling, group.own_latency_ceiling_ms
    shown = GroupCeilings(group.name, group.number, *own, group.by, group.at)
    return Response(GroupCeilingsSerializer(shown).data, headers=etag(str(group.number)))


class GroupListView(APIView):
    """All balance groups, the one with most disks first; and making one."""

    @extend_schema(responses=GroupRowSerializer(many=True))
    def get(self, request: Request) -> Response:
        groups = BalanceGroup.objects.annotate(disks=Count("datastores__disk_placements"))
        rows = [
            GroupRow(g.pk, g.name, g.datastores.count(), g.fill_ceiling, g.latency_ceiling_ms, in_force_text(g))
            for g in groups.select_related("in_force").order_by("-disks", "name")
        ]
        return Response(GroupRowSerializer(rows, many=True).data)

    @extend_schema(request=GroupForm, responses={201: GroupMembersSerializer})
    def post(self, request: Request) -> Response:
        return make_group(request)


class GroupView(APIView):
    """A group's board; and retiring the group."""

    @extend_schema(responses=GroupBoardSerializer)
    def get(self, request: Request, name: str) -> HttpResponse:
        group = group_named(name)
        found = kept(board_name(group.pk))
        if found is None:
            # Nothing was judged yet: only a moment after the first device was linked.
            return Response(board_documents(known_group(group))[0])
        # Kept as it is sent: many megabytes of a large group are not read and written anew.
        return HttpResponse(found.document, content_type="application/json")

    @extend_schema(responses={204: None}, parameters=[IF_MATCH])
    def delete(self, request: Request, name: str) -> Response:
        return retire_group(request, name)


class StackView(APIView):
    """A datastore of a large group with its largest disks, whose board leaves them out."""

    @extend_schema(responses=StackSerializer)
    def get(self, request: Request, name: str, pk: int) -> Response:
        group = group_named(name)
        found = kept(stacks_name(group.pk))
        stack = json.loads(found.document).get(str(pk)) if found else None
        if stack is None:
            raise Problem(404, "not_found", "No such datastore is in a large group.", hint="Reload the board.")
        return Response(stack)
