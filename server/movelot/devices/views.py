"""The devices API: links, certificates, readings."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.devices.linking import change_account, link, pin_again, probe
from movelot.devices.tasks import collect_telemetry
from movelot.inventory.capabilities import label_of
from movelot.inventory.models import Device
from movelot.inventory.store import unlink
from movelot.jobs.sending import give
from movelot.jobs.views import JobSerializer, accepted
from movelot.jobs.work import start
from movelot.problems import Problem
from movelot_core.rounds import clock_is_off


@dataclass
class CapabilityAnswer:
    """Something a device can do, or not, and the detail it gave."""

    name: str
    has: bool
    detail: str


@dataclass
class DeviceAnswer:
    """A linked device; ``detail`` says what is wrong when its state is not linked.

    ``clock_offset_seconds`` is how far its clock is ahead of ours; ``clock_off`` whether that is more than a minute.
    """

    id: int
    name: str
    kind: str
    url: str
    user: str
    fingerprint: str
    state: str
    detail: str
    cluster: str
    read_at: datetime | None
    clock_offset_seconds: float | None
    clock_off: bool
    capabilities: list[CapabilityAnswer]


@dataclass
class ShownCertificate:
    """What a device shows before it is trusted."""

    fingerprint: str
    subject: str
    not_before: datetime
    not_after: datetime


# Refused, timed out and not trusted look alike to who may not link devices.
HIDDEN = "cannot be read"


class DeviceSerializer(DataclassSerializer[DeviceAnswer]):
    class Meta:
        dataclass = DeviceAnswer


class ShownSerializer(DataclassSerializer[ShownCertificate]):
    class Meta:
        dataclass = ShownCertificate


class ProbeSerializer(serializers.Serializer[dict[str, str]]):
    url = serializers.CharField(max_length=200)


class LinkSerializer(ProbeSerializer):
    user = serializers.CharField(max_length=64)
    password = serializers.CharField(max_length=200, trim_whitespace=False, write_only=True)
    fingerprint = serializers.CharField(max_length=95)


class PinSerializer(serializers.Serializer[dict[str, str]]):
    fingerprint = serializers.CharField(max_length=95)


def answer_of(device: Device, in_detail: bool = True) -> DeviceAnswer:
    """A device; what exactly is wrong with it only where ``in_detail``, as it tells what answers at an address."""
    return DeviceAnswer(
        device.pk,
        device.name,
        device.kind,
        device.address,
        device.user,
        device.fingerprint,
        device.state,
        device.detail if in_detail or not device.detail else HIDDEN,
        device.cluster.name if device.cluster else "",
        device.read_at,
        device.clock_offset_seconds,
        clock_is_off(device.clock_offset_seconds),
        [CapabilityAnswer(label_of(row.code), row.able, row.detail) for row in device.capabilities.all()],
    )


def listed(in_detail: bool) -> list[dict[str, Any]]:
    devices = Device.objects.select_related("cluster").prefetch_related("capabilities").order_by("kind", "name")
    return list(DeviceSerializer([answer_of(device, in_detail) for device in devices], many=True).data)


class DeviceListView(APIView):
    """All device links."""

    @extend_schema(responses=DeviceSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(listed(person(request).may_change))

    @extend_schema(request=LinkSerializer, responses={201: DeviceSerializer})
    def post(self, request: Request) -> Response:
        given = LinkSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        values = given.validated_data
        device = link(values["url"], values["user"], values["password"], values["fingerprint"])
        tell(request, f"device {device.name}", None, {"url": device.url, "user": device.user})
        give(collect_telemetry)
        return Response(DeviceSerializer(answer_of(device)).data, status.HTTP_201_CREATED)


class AccountSerializer(serializers.Serializer[dict[str, str]]):
    user = serializers.CharField(max_length=64)
    password = serializers.CharField(max_length=200, trim_whitespace=False, write_only=True)


class AccountView(APIView):
    """The account that a device is read with: use another one, or another password, once the device takes it."""

    @extend_schema(request=AccountSerializer, responses=DeviceSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = AccountSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        device = get_object_or_404(Device.objects.exclude(state=Device.State.IMPORTED), pk=pk)
        before = device.user
        change_account(device, **given.validated_data)
        tell(request, f"device {device.name}", {"user": before}, {"user": device.user})
        return Response(DeviceSerializer(answer_of(device)).data)


class ProbeView(APIView):
    """The certificate at an address, for a person to compare."""

    @extend_schema(request=ProbeSerializer, responses=ShownSerializer)
    def post(self, request: Request) -> Response:
        given = ProbeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        shown = probe(given.validated_data["url"])
        return Response(
            ShownSerializer(ShownCertificate(shown.fingerprint, shown.subject, shown.not_before, shown.not_after)).data
        )


class RereadView(APIView):
    """A new reading of every device, now; a job."""

    @extend_schema(request=None, responses={202: JobSerializer})
    def post(self, request: Request) -> Response:
        return accepted(start("reread", {}, person(request)))


class DeviceView(APIView):
    """One device link: pin its new certificate, or unlink it."""

    @extend_schema(request=PinSerializer, responses=DeviceSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = PinSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        device = get_object_or_404(Device, pk=pk)
        before = device.fingerprint
        pin_again(device, given.validated_data["fingerprint"])
        tell(request, f"device {device.name}", {"fingerprint": before}, {"fingerprint": device.fingerprint})
        return Response(DeviceSerializer(answer_of(device)).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        device = get_object_or_404(Device, pk=pk)
        # What a device did that never answers again is given up with its link.
        given_up = device.step_set.filter(state="unknown").values("lot")
        under_way = device.step_set.filter(lot__state__in=["running", "halting", "halted"])
        begun = under_way.exclude(lot__in=given_up).values_list("lot", flat=True)
        if begun:
            raise Problem(
                409,
                "in_use",
                f"Lot {begun[0]} has begun on {device.name}.",
                "The link stays.",
                "Let the lot end, or undo it, then unlink the device.",
            )
        tell(request, f"device {device.name}", {"url": device.url, "fingerprint": device.fingerprint})
        unlink(device)
        return Response(status=status.HTTP_204_NO_CONTENT)
