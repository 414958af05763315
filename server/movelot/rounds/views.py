"""The first page, and what the frame shows on every page."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db.models import Count, Max, Min, Q, Sum
from django.shortcuts import get_object_or_404
from django.utils.timezone import now
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.audit.models import Entry
from movelot.audit.trail import tell
from movelot.findings.answers import FindingAnswer, answer_of, answers_of, in_order
from movelot.findings.judging import JUDGED
from movelot.findings.models import Finding, Judged
from movelot.health import Trouble, troubles
from movelot.inventory.changes import Aspect
from movelot.inventory.models import Datastore, Device, Disk, Pool
from movelot.inventory.versions import version
from movelot.lots.models import Lot
from movelot.problems import Problem
from movelot.rounds.first_hour import FirstStep, first_hour
from movelot.stages.base import Waiting, stages


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


class FindingSerializer(DataclassSerializer[FindingAnswer]):
    class Meta:
        dataclass = FindingAnswer


class ArrayUseSerializer(DataclassSerializer[ArrayUse]):
    class Meta:
        dataclass = ArrayUse


class SlowestPoolSerializer(DataclassSerializer[SlowestPool]):
    class Meta:
        dataclass = SlowestPool


class QuietSerializer(DataclassSerializer[Quiet]):
    class Meta:
        dataclass = Quiet


class FirstStepSerializer(DataclassSerializer[FirstStep]):
    class Meta:
        dataclass = FirstStep


class LastLotSerializer(serializers.Serializer[dict[str, Any]]):
    id = serializers.IntegerField()
    title = serializers.CharField()
    state = serializers.CharField()
    ended_at = serializers.DateTimeField()
    steps = serializers.IntegerField()


class RoundsSerializer(serializers.Serializer[dict[str, Any]]):
    """The first page. ``put_off`` are findings that somebody acknowledged until later."""

    findings = FindingSerializer(many=True)
    put_off = FindingSerializer(many=True)
    arrays = ArrayUseSerializer(many=True)
    slowest = SlowestPoolSerializer(allow_null=True)
    quiet = QuietSerializer()
    last_lot = LastLotSerializer(allow_null=True)
    first_hour = FirstStepSerializer(many=True)


class RoundsView(APIView):
    """What wants attention today, as it was last judged."""

    @extend_schema(responses=RoundsSerializer)
    def get(self, request: Request) -> Response:
        pools = (
            Pool.objects.values("device__name")
            .annotate(allocated=Sum("allocated_bytes"), capacity=Sum("capacity_bytes"))
            .order_by("device__name")
        )
        last = Lot.objects.filter(ended_at__isnull=False).order_by("-ended_at").first()
        rows = in_order(Finding.objects.filter(gone_at=None).select_related("acknowledged_by"))
        moment = now()
        put_off = [row for row in rows if row.acknowledged_until and row.acknowledged_until > moment]
        later = {row.pk for row in put_off}
        page = {
            "findings": answers_of(row for row in rows if row.pk not in later),
            "put_off": answers_of(put_off),
            "arrays": [ArrayUse(row["device__name"], row["allocated"], row["capacity"]) for row in pools],
            "slowest": slowest(),
            "first_hour": first_hour(),
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
    """The slowest pool of all groups, as they were last judged."""
    kept = Judged.objects.filter(name__startswith="slowest-").values_list("document", flat=True)
    pools = [found for text in kept if (found := json.loads(text))]
    worst = max(pools, key=lambda pool: float(pool["peak_ms"]), default=None)
    return worst and SlowestPool(worst["id"], worst["name"], worst["latency_ms"], worst["ceiling_ms"])


@dataclass
class Status:
    """What the frame shows: devices, age of the oldest reading, how many things wait in each stage, the newest lot.

    ``revision`` is another text whenever anything that pages show may be another one: they ask anew when it changes.
    """

    revision: str

    devices: int
    devices_away: int
    oldest_reading_at: datetime | None
    findings: int
    waiting: dict[str, int]
    lots: int
    active_lot: int | None
    newest_draft: int | None
    troubles: list[Trouble]


def revision() -> str:
    """Of all readings, what was judged of them, what people changed, and lots that began or ended."""
    lots = Lot.objects.aggregate(begun=Max("started_at"), ended=Max("ended_at"))
    acts = Entry.objects.aggregate(last=Max("pk"))
    rests_on = version(*map(str, Aspect), JUDGED), lots["begun"], lots["ended"], acts["last"]
    return hashlib.sha256(repr(rests_on).encode()).hexdigest()[:16]


class StatusSerializer(DataclassSerializer[Status]):
    class Meta:
        dataclass = Status


class StatusView(APIView):
    """The state of things, for the frame: asked often, so that it reads and computes nothing."""

    @extend_schema(responses=StatusSerializer)
    def get(self, request: Request) -> Response:
        open_now = Finding.objects.filter(gone_at=None).exclude(acknowledged_until__gt=now())
        counts = dict(open_now.values_list("stage").annotate(count=Count("pk")).order_by())
        states = [Lot.State.RUNNING, Lot.State.HALTING]
        active = list(Lot.objects.filter(state__in=states).only("state", "started_at", "driven_at"))
        drafts = Lot.objects.filter(state=Lot.State.DRAFT, created_by=person(request))
        waiting = Waiting(counts, len(active))
        well = Q(state__in=[Device.State.LINKED, Device.State.IMPORTED])
        devices = Device.objects.aggregate(all=Count("pk"), well=Count("pk", filter=well), oldest=Min("read_at"))
        answer = Status(
            revision=revision(),
            devices=devices["all"],
            devices_away=devices["all"] - devices["well"],
            oldest_reading_at=devices["oldest"],
            findings=sum(counts.values()),
            waiting={stage.name: stage.count(waiting) for stage in stages()},
            lots=len(active),
            active_lot=active[0].pk if active else None,
            newest_draft=drafts.values_list("pk", flat=True).first(),
            troubles=troubles(active),
        )
        return Response(StatusSerializer(answer).data)


class PutOffSerializer(serializers.Serializer[dict[str, Any]]):
    """Until when a finding is put off, and why."""

    until = serializers.DateTimeField()
    note = serializers.CharField(max_length=300, allow_blank=True, default="")


class AcknowledgeView(APIView):
    """Put a finding off until later, with a note, or take that back."""

    @extend_schema(request=PutOffSerializer, responses=FindingSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = PutOffSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        until = given.validated_data["until"]
        if until <= now():
            raise Problem(422, "until_past", "That time is past.", "The finding stays.", "Choose a later time.")
        return self._set(request, pk, until, given.validated_data["note"])

    @extend_schema(responses=FindingSerializer)
    def delete(self, request: Request, pk: int) -> Response:
        return self._set(request, pk, None, "")

    def _set(self, request: Request, pk: int, until: datetime | None, note: str) -> Response:
        by = person(request) if until else None
        found = get_object_or_404(Finding.objects.select_related("acknowledged_by"), pk=pk, gone_at=None)
        before, after = found.acknowledged_until, until
        tell(request, f"finding {found.kind} of {found.subject_name}", before, {"until": after, "note": note})
        found.acknowledged_until, found.acknowledged_by, found.acknowledged_note = until, by, note
        found.save(update_fields=["acknowledged_until", "acknowledged_by", "acknowledged_note"])
        return Response(FindingSerializer(answer_of(found)).data)
