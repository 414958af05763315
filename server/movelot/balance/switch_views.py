"""The API of the one switch that keeps all groups from acting by themselves."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.balance.acting import halt_all
from movelot.inventory.changes import people_said
from movelot.inventory.models import ActsHalted, BalanceGroup, WayOfWorking
from movelot.lots.models import Lot


@dataclass
class ActsSwitch:
    """Whether all groups are kept from acting by themselves, by whom; which groups act otherwise, and their lots
    that run."""

    halted: bool
    by: str
    at: datetime | None
    reason: str
    groups: list[str]
    lots: list[int]


class ActsSwitchSerializer(DataclassSerializer[ActsSwitch]):
    class Meta:
        dataclass = ActsSwitch


class ActsSwitchForm(serializers.Serializer[Any]):
    halted = serializers.BooleanField()
    reason = serializers.CharField(max_length=200, allow_blank=True, default="")


class ActsHaltedView(APIView):
    """The switch: looking, halting all groups, and letting them act again."""

    @extend_schema(responses=ActsSwitchSerializer)
    def get(self, request: Request) -> Response:
        return _answer()

    @extend_schema(request=ActsSwitchForm, responses=ActsSwitchSerializer)
    def put(self, request: Request) -> Response:
        given = ActsSwitchForm(data=request.data)
        given.is_valid(raise_exception=True)
        halt, reason = given.validated_data["halted"], given.validated_data["reason"]
        with transaction.atomic():
            before = ActsHalted.objects.select_for_update().first()
            if halt and before is None:
                ActsHalted.objects.create(pk=1, by=person(request).username, reason=reason)
            elif not halt:
                ActsHalted.objects.all().delete()
            for key in _let_act().values_list("pk", flat=True):
                # Whether it acts is announced.
                people_said("group", key)
        lots = halt_all() if halt else []
        if halt != (before is not None):
            said = f"halted{f': {reason}' if reason else ''}; lots halted: {', '.join(map(str, lots)) or 'none'}"
            tell(
                request, "groups that act by themselves", "halted" if before else "let act", said if halt else "let act"
            )
        return _answer()


def _let_act() -> QuerySet[BalanceGroup]:
    """The groups that act by themselves while nobody halts all."""
    return BalanceGroup.objects.exclude(acts_by="").filter(ways__does=WayOfWorking.Does.ACT).distinct()


def _answer() -> Response:
    halted = ActsHalted.objects.first()
    running = Lot.objects.filter(by_itself=True, state__in=[Lot.State.RUNNING, Lot.State.HALTING])
    shown = ActsSwitch(
        halted is not None,
        halted.by if halted else "",
        halted.at if halted else None,
        halted.reason if halted else "",
        list(_let_act().order_by("name").values_list("name", flat=True)),
        list(running.order_by("pk").values_list("pk", flat=True)),
    )
    return Response(ActsSwitchSerializer(shown).data)
