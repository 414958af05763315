"""The first page, and what the frame shows on every page."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db.models import Min, Sum
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.inventory.estates import WEEKDAY, estate_of
from movelot.inventory.models import BalanceGroup, Datastore, Device, Disk, Pool
from movelot.lots.models import Lot
from movelot.rounds.finding import findings


@dataclass
class ArrayUse:
    """An array's space: allocated of capacity."""

    name: str
    allocated_bytes: int
    capacity_bytes: int


@dataclass
class SlowestPool:
    """The pool with the highest peak, by weekday hour."""

    id: int
    name: str
    latency_ms: list[float]
    ceiling_ms: float


@dataclass
class Quiet:
    """What was looked at."""

    datastores: int
    hosts: int
    disks: int


class FindingFiguresField(serializers.DictField):
    """Figures of a finding by name; shares 0..1, sizes bytes, latencies ms."""


class FoundDraftSerializer(serializers.Serializer[dict[str, Any]]):
    kind = serializers.CharField()
    form = serializers.DictField()
    action = serializers.CharField()


class FindingSerializer(serializers.Serializer[dict[str, Any]]):
    """A finding: kind, urgency (now, soon, note), what it is about, figures, reasons, and the lot that settles it."""

    key = serializers.CharField()
    kind = serializers.CharField()
    urgency = serializers.CharField()
    subject_kind = serializers.CharField()
    subject = serializers.CharField()
    subject_id = serializers.IntegerField(allow_null=True)
    stage = serializers.CharField()
    figures = serializers.SerializerMethodField()
    reasons = serializers.ListField(child=serializers.CharField())
    draft = FoundDraftSerializer(allow_null=True)

    @extend_schema_field(
        {
            "type": "object",
            "additionalProperties": {"oneOf": [{"type": "number"}, {"type": "string"}], "nullable": True},
        }
    )
    def get_figures(self, row: dict[str, Any]) -> Any:
        return row["figures"]


class ArrayUseSerializer(DataclassSerializer[ArrayUse]):
    class Meta:
        dataclass = ArrayUse


class SlowestPoolSerializer(DataclassSerializer[SlowestPool]):
    class Meta:
        dataclass = SlowestPool


class QuietSerializer(DataclassSerializer[Quiet]):
    class Meta:
        dataclass = Quiet


class LastLotSerializer(serializers.Serializer[dict[str, Any]]):
    id = serializers.IntegerField()
    title = serializers.CharField()
    state = serializers.CharField()
    ended_at = serializers.DateTimeField()
    steps = serializers.IntegerField()


class RoundsSerializer(serializers.Serializer[dict[str, Any]]):
    """The first page."""

    findings = FindingSerializer(many=True)
    arrays = ArrayUseSerializer(many=True)
    slowest = SlowestPoolSerializer(allow_null=True)
    quiet = QuietSerializer()
    last_lot = LastLotSerializer(allow_null=True)


class RoundsView(APIView):
    """What wants attention today."""

    @extend_schema(responses=RoundsSerializer)
    def get(self, request: Request) -> Response:
        pools = (
            Pool.objects.values("device__name")
            .annotate(allocated=Sum("allocated_bytes"), capacity=Sum("capacity_bytes"))
            .order_by("device__name")
        )
        last = Lot.objects.filter(ended_at__isnull=False).order_by("-ended_at").first()
        page = {
            "findings": findings(),
            "arrays": [ArrayUse(row["device__name"], row["allocated"], row["capacity"]) for row in pools],
            "slowest": slowest(),
            "quiet": Quiet(Datastore.objects.count(), Device.objects.filter(kind="host").count(), Disk.objects.count()),
            "last_lot": last
            and {
                "id": last.pk,
                "title": last.title,
                "state": last.state,
                "ended_at": last.ended_at,
                "steps": last.steps.count(),
            },
        }
        return Response(RoundsSerializer(page).data)


def slowest() -> SlowestPool | None:
    """The slowest pool of all groups."""
    best: tuple[float, SlowestPool] | None = None
    for group in BalanceGroup.objects.filter(datastores__isnull=False).distinct():
        found = estate_of(group)
        for n, name in enumerate(found.estate.pools[: found.pools_known]):
            peak = float(found.state.peak_ms[n])
            if best is None or peak > best[0]:
                hours = [round(float(v), 3) for v in found.state.latency_ms[n, WEEKDAY]]
                best = (peak, SlowestPool(found.pool_keys[n], name, hours, group.latency_ceiling_ms))
    return best[1] if best else None


@dataclass
class Status:
    """What the frame shows: devices, the age of the oldest reading, counts per page, and the newest active lot."""

    devices: int
    devices_away: int
    oldest_reading_at: datetime | None
    findings: int
    attach: int
    balance: int
    lots: int
    active_lot: int | None
    newest_draft: int | None


class StatusSerializer(DataclassSerializer[Status]):
    class Meta:
        dataclass = Status


class StatusView(APIView):
    """The state of things, for the frame."""

    @extend_schema(responses=StatusSerializer)
    def get(self, request: Request) -> Response:
        rows = findings()
        stages = [row["stage"] for row in rows]
        active = Lot.objects.filter(state__in=[Lot.State.RUNNING, Lot.State.HALTING]).values_list("pk", flat=True)
        draft = (
            Lot.objects.filter(state=Lot.State.DRAFT, created_by=person(request)).values_list("pk", flat=True).first()
        )
        return Response(
            StatusSerializer(
                Status(
                    devices=Device.objects.count(),
                    devices_away=Device.objects.exclude(state__in=[Device.State.LINKED, Device.State.IMPORTED]).count(),
                    oldest_reading_at=Device.objects.aggregate(oldest=Min("read_at"))["oldest"],
                    findings=len(rows),
                    attach=stages.count("attach"),
                    balance=stages.count("balance"),
                    lots=len(active),
                    active_lot=active[0] if active else None,
                    newest_draft=draft,
                )
            ).data
        )
