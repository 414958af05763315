"""Views of a list that a person keeps: its filters and order under a name."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.permissions import IsAuthenticated
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.models import SavedView
from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.problems import Problem

KEPT_MAX = 50


@dataclass
class KeptView:
    """A view of a page: ``query`` is what stands after the question mark of its address."""

    id: int
    page: str
    name: str
    query: str


class KeptViewSerializer(DataclassSerializer[KeptView]):
    class Meta:
        dataclass = KeptView


class KeepViewForm(serializers.Serializer[Any]):
    page = serializers.CharField(max_length=40)
    name = serializers.CharField(max_length=60)
    query = serializers.CharField(max_length=500, allow_blank=True)


def _told(row: SavedView) -> KeptView:
    return KeptView(row.pk, row.page, row.name, row.query)


class SavedViewsView(APIView):
    """One's own views of a page, by name; keeping one more, or another one under a name that is there."""

    permission_classes = [IsAuthenticated]

    @extend_schema(
        operation_id="saved_views_list",
        parameters=[OpenApiParameter("page", str, required=True)],
        responses=KeptViewSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        rows = SavedView.objects.filter(person=person(request), page=request.query_params.get("page", ""))
        return Response(KeptViewSerializer([_told(row) for row in rows.order_by("name")], many=True).data)

    @extend_schema(request=KeepViewForm, responses={201: KeptViewSerializer})
    def post(self, request: Request) -> Response:
        given = KeepViewForm(data=request.data)
        given.is_valid(raise_exception=True)
        values: dict[str, Any] = given.validated_data
        with transaction.atomic():
            mine = SavedView.objects.filter(person=person(request))
            others = mine.exclude(page=values["page"], name=values["name"])
            if others.count() >= KEPT_MAX:
                message = f"You keep {KEPT_MAX} views already."
                raise Problem(409, "views_full", message, "Nothing was stored.", "Let one go first.")
            query = {"query": values["query"]}
            which = {"person": person(request), "page": values["page"], "name": values["name"]}
            row, _made = SavedView.objects.update_or_create(**which, defaults=query)
        tell(request, f"view {row.name}", None, row.query)
        return Response(KeptViewSerializer(_told(row)).data, status.HTTP_201_CREATED)


class SavedViewView(APIView):
    """One view: letting it go."""

    permission_classes = [IsAuthenticated]

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        row = get_object_or_404(SavedView, pk=pk, person=person(request))
        row.delete()
        tell(request, f"view {row.name}", row.query, None)
        return Response(status=status.HTTP_204_NO_CONTENT)
