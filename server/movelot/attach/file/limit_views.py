"""The API of file storage: drafts computed while they are typed, and the settings of NFS clients side by side."""

from __future__ import annotations

from dataclasses import dataclass

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.attach.file.limits import LimitRow, limit_rows
from movelot.inventory.exports import wanted_settings
from movelot.inventory.models import Device
from movelot_core.nfs import SETTINGS


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
