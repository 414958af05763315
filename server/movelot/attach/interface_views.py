"""The API of new storage interfaces: a draft whose addresses are edited one by one."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.attach.interfaces import InterfaceForm, InterfaceKind, InterfacePlan
from movelot.lots.actions import set_form
from movelot.lots.answers import LotDetail, document_of
from movelot.lots.models import Lot


@dataclass
class InterfaceDraft:
    """A draft of new interfaces; ``plan`` is null when there is nothing to make."""

    lot: LotDetail
    form: InterfaceForm
    plan: InterfacePlan | None


class InterfaceDraftSerializer(DataclassSerializer[InterfaceDraft]):
    class Meta:
        dataclass = InterfaceDraft


class InterfaceFormSerializer(serializers.Serializer[dict[str, Any]]):
    cluster = serializers.CharField(max_length=64, allow_blank=True, default="")
    array = serializers.CharField(max_length=64, allow_blank=True, default="")
    addresses = serializers.DictField(child=serializers.CharField(max_length=64, allow_blank=True), default=dict)


class InterfaceDraftView(APIView):
    """One draft of new interfaces."""

    def _lot(self, pk: int) -> Lot:
        return get_object_or_404(Lot, pk=pk, kind=InterfaceKind.name)

    def _answer(self, lot: Lot) -> Response:
        form = asdict(InterfaceForm.of(lot.form))
        return Response({"lot": document_of(lot), "form": form, "plan": lot.plan or None})

    @extend_schema(responses=InterfaceDraftSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return self._answer(self._lot(pk))

    @extend_schema(request=InterfaceFormSerializer, responses=InterfaceDraftSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = InterfaceFormSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        return self._answer(set_form(self._lot(pk), dict(given.validated_data), person(request)))
