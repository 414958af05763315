"""The API of drafts that make a datastore of a volume that is there already."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.attach.use import UseKind, UsePlan
from movelot.lots.actions import set_form
from movelot.lots.answers import LotDetail, document_of
from movelot.lots.models import Lot


@dataclass
class UseForm:
    """The form as typed: the datastore's name, and the volume's, typed to allow wiping what is on it."""

    name: str
    confirm: str


@dataclass
class UseDraft:
    """A draft that makes a datastore of a volume; ``plan`` is null when the volume is no longer there."""

    lot: LotDetail
    form: UseForm
    plan: UsePlan | None


class UseDraftSerializer(DataclassSerializer[UseDraft]):
    class Meta:
        dataclass = UseDraft


class UseFormSerializer(serializers.Serializer[dict[str, Any]]):
    name = serializers.CharField(max_length=200, allow_blank=True, default="", trim_whitespace=False)
    confirm = serializers.CharField(max_length=128, allow_blank=True, default="")


class UseDraftView(APIView):
    """One draft that makes a datastore of a volume."""

    def _lot(self, pk: int) -> Lot:
        return get_object_or_404(Lot, pk=pk, kind=UseKind.name)

    def _answer(self, lot: Lot) -> Response:
        form = {part: str(lot.form.get(part) or "") for part in ("name", "confirm")}
        return Response({"lot": document_of(lot), "form": form, "plan": lot.plan or None})

    @extend_schema(responses=UseDraftSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return self._answer(self._lot(pk))

    @extend_schema(request=UseFormSerializer, responses=UseDraftSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = UseFormSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        lot = self._lot(pk)
        return self._answer(set_form(lot, {**lot.form, **given.validated_data}, person(request)))
