"""The attach API: drafts of block volumes, computed while they are typed."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any, Literal

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.attach.detach import DetachKind, DetachPlan
from movelot.attach.drafting import AttachKind, AttachPlan
from movelot.attach.form import THICK, THIN, Form
from movelot.lots.actions import set_form
from movelot.lots.answers import LotDetail, document_of
from movelot.lots.models import Lot
from movelot_core.attach import REDUCTIONS, TIERINGS


@dataclass
class AttachForm:
    """The form as typed; nothing is refused here, what is wrong is said in the plan."""

    cluster: str
    name: str
    size: str
    count: str
    allocation: Literal["thin", "thick"]
    reduced: list[Literal["compression", "deduplication"]]
    tiering: Literal["", "by use", "fastest", "slowest"]
    own_target: bool
    raw: bool
    machines: list[int]
    pools: list[str]
    fixes: list[str]


@dataclass
class AttachDraft:
    """A draft of the attach page: the lot, the form as typed, and what it comes to."""

    lot: LotDetail
    form: AttachForm
    plan: AttachPlan


class AttachDraftSerializer(DataclassSerializer[AttachDraft]):
    class Meta:
        dataclass = AttachDraft


class AttachFormSerializer(serializers.Serializer[dict[str, Any]]):
    cluster = serializers.CharField(max_length=64, allow_blank=True, default="")
    name = serializers.CharField(max_length=200, allow_blank=True, default="", trim_whitespace=False)
    size = serializers.CharField(max_length=200, allow_blank=True, default="", trim_whitespace=False)
    count = serializers.CharField(max_length=20, allow_blank=True, default="1", trim_whitespace=False)
    allocation = serializers.ChoiceField([THIN, THICK], default=THIN)
    reduced = serializers.ListField(child=serializers.ChoiceField(REDUCTIONS), max_length=2, default=list)
    tiering = serializers.ChoiceField(TIERINGS, allow_blank=True, default="")
    own_target = serializers.BooleanField(default=False)
    raw = serializers.BooleanField(default=False)
    machines = serializers.ListField(child=serializers.IntegerField(min_value=1), max_length=50, default=list)
    pools = serializers.ListField(child=serializers.CharField(max_length=128), max_length=50, default=list)
    fixes = serializers.ListField(child=serializers.CharField(max_length=64), max_length=500, default=list)


def draft_of(lot: Lot) -> dict[str, Any]:
    """The answer for ``lot``; its plan is kept as JSON and has the shape of AttachPlan."""
    return {"lot": document_of(lot), "form": asdict(Form.of(lot.form)), "plan": lot.plan}


class AttachDraftView(APIView):
    """One attach draft."""

    def _lot(self, pk: int) -> Lot:
        return get_object_or_404(Lot, pk=pk, kind=AttachKind.name)

    @extend_schema(responses=AttachDraftSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(draft_of(self._lot(pk)))

    @extend_schema(request=AttachFormSerializer, responses=AttachDraftSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = AttachFormSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        return Response(draft_of(set_form(self._lot(pk), dict(given.validated_data), person(request))))


@dataclass
class DetachForm:
    """The form as typed: the volume's primary key, whether it stays on the array, its name typed to allow deleting."""

    volume: int | None
    keep: bool
    confirm: str


@dataclass
class DetachDraft:
    """A draft that takes a volume away; ``plan`` is null when the volume is no longer there."""

    lot: LotDetail
    form: DetachForm
    plan: DetachPlan | None


class DetachDraftSerializer(DataclassSerializer[DetachDraft]):
    class Meta:
        dataclass = DetachDraft


class DetachFormSerializer(serializers.Serializer[dict[str, Any]]):
    keep = serializers.BooleanField(default=False)
    confirm = serializers.CharField(max_length=128, allow_blank=True, default="")


class DetachDraftView(APIView):
    """One draft that takes a volume away."""

    def _lot(self, pk: int) -> Lot:
        return get_object_or_404(Lot, pk=pk, kind=DetachKind.name)

    def _answer(self, lot: Lot) -> Response:
        form = {
            "volume": lot.form.get("volume"),
            "keep": bool(lot.form.get("keep")),
            "confirm": lot.form.get("confirm", ""),
        }
        return Response({"lot": document_of(lot), "form": form, "plan": lot.plan or None})

    @extend_schema(responses=DetachDraftSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return self._answer(self._lot(pk))

    @extend_schema(request=DetachFormSerializer, responses=DetachDraftSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = DetachFormSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        lot = self._lot(pk)
        return self._answer(set_form(lot, {**lot.form, **given.validated_data}, person(request)))
