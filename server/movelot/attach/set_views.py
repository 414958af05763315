"""The API of volume sets: drafts computed while they are typed."""

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
from movelot.attach.sets import AttachSetKind, SetForm, SetPlan
from movelot.lots.actions import set_form
from movelot.lots.answers import LotDetail, document_of
from movelot.lots.models import Lot


@dataclass
class SetDraft:
    """A draft of a volume set: the lot, the form as typed, and what it comes to."""

    lot: LotDetail
    form: SetForm
    plan: SetPlan


class SetDraftSerializer(DataclassSerializer[SetDraft]):
    class Meta:
        dataclass = SetDraft


class SetFormSerializer(serializers.Serializer[dict[str, Any]]):
    cluster = serializers.CharField(max_length=64, allow_blank=True, default="")
    name = serializers.CharField(max_length=200, allow_blank=True, default="", trim_whitespace=False)
    pool = serializers.CharField(max_length=128, allow_blank=True, default="")
    fixes = serializers.ListField(child=serializers.CharField(max_length=64), max_length=500, default=list)


class SetDraftView(APIView):
    """One draft of a volume set."""

    def _lot(self, pk: int) -> Lot:
        return get_object_or_404(Lot, pk=pk, kind=AttachSetKind.name)

    def _answer(self, lot: Lot) -> Response:
        form = asdict(SetForm.of(lot.form))
        return Response({"lot": document_of(lot), "form": form, "plan": lot.plan})

    @extend_schema(responses=SetDraftSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return self._answer(self._lot(pk))

    @extend_schema(request=SetFormSerializer, responses=SetDraftSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = SetFormSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        return self._answer(set_form(self._lot(pk), dict(given.validated_data), person(request)))
