"""The API of file storage: drafts computed while they are typed, and the settings of NFS clients side by side."""

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
from movelot.attach.file_limits import LimitRow, limit_rows
from movelot.attach.files import HOSTS, SUBNET, VERSIONS, AttachFileKind, FileForm, FilePlan
from movelot.inventory.files import wanted_settings
from movelot.inventory.models import Device
from movelot.lots.actions import set_form
from movelot.lots.answers import LotDetail, document_of
from movelot.lots.models import Lot
from movelot_core.files import SETTINGS


@dataclass
class FileDraft:
    """A draft of file storage: the lot, the form as typed, and what it comes to."""

    lot: LotDetail
    form: FileForm
    plan: FilePlan


class FileDraftSerializer(DataclassSerializer[FileDraft]):
    class Meta:
        dataclass = FileDraft


class FileFormSerializer(serializers.Serializer[dict[str, Any]]):
    cluster = serializers.CharField(max_length=64, allow_blank=True, default="")
    name = serializers.CharField(max_length=200, allow_blank=True, default="", trim_whitespace=False)
    size = serializers.CharField(max_length=200, allow_blank=True, default="", trim_whitespace=False)
    pool = serializers.CharField(max_length=128, allow_blank=True, default="")
    server = serializers.CharField(max_length=253, allow_blank=True, default="")
    version = serializers.ChoiceField(list(VERSIONS), default="NFSv4_1")
    clients = serializers.ChoiceField([HOSTS, SUBNET], default=HOSTS)
    limits = serializers.BooleanField(default=True)


class FileDraftView(APIView):
    """One draft of file storage."""

    def _answer(self, lot: Lot) -> Response:
        form = asdict(FileForm.of(lot.form))
        return Response({"lot": document_of(lot), "form": form, "plan": lot.plan})

    @extend_schema(responses=FileDraftSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return self._answer(get_object_or_404(Lot, pk=pk, kind=AttachFileKind.name))

    @extend_schema(request=FileFormSerializer, responses=FileDraftSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = FileFormSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        lot = get_object_or_404(Lot, pk=pk, kind=AttachFileKind.name)
        return self._answer(set_form(lot, dict(given.validated_data), person(request)))


@dataclass
class Setting:
    """A setting of NFS clients, the value that serves all arrays, and the array that asks for it."""

    name: str
    label: str
    unit: str
    wanted: int
    array: str


@dataclass
class ClientRow:
    """A host's values, in the order of the settings (null where the host has none), and how many exports it mounts."""

    host: str
    values: list[int | None]
    mounts: int


@dataclass
class FileLimits:
    """The settings of every host side by side, and each that differs."""

    settings: list[Setting]
    hosts: list[ClientRow]
    differ: list[LimitRow]


class FileLimitsSerializer(DataclassSerializer[FileLimits]):
    class Meta:
        dataclass = FileLimits


class FileLimitsView(APIView):
    """Timeouts and limits of the hosts' NFS clients beside what arrays recommend, of those that tell."""

    @extend_schema(responses=FileLimitsSerializer)
    def get(self, request: Request) -> Response:
        rows = Device.objects.filter(kind=Device.Kind.HOST).order_by("name").prefetch_related("mounts")
        hosts = [host for host in rows if host.file_client]
        wanted = wanted_settings()
        settings = [Setting(name, *SETTINGS[name], value, array) for name, (value, array) in wanted.items()]
        clients = [
            ClientRow(
                host.name,
                [host.file_client.get(name) for name in wanted],
                sum(1 for mount in host.mounts.all() if mount.server),
            )
            for host in hosts
        ]
        return Response(FileLimitsSerializer(FileLimits(settings, clients, limit_rows(hosts))).data)
