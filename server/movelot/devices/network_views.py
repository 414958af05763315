"""Networks in which devices may be linked, as administrators keep them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import AdministratorsInPerson, person
from movelot.audit.trail import tell
from movelot.devices.models import AllowedNetwork
from movelot.devices.networks import network_of
from movelot.problems import Problem


@dataclass
class NetworkAnswer:
    """A network in which devices may be."""

    id: int
    cidr: str
    note: str
    added_by: str
    added_at: datetime


class NetworkSerializer(DataclassSerializer[NetworkAnswer]):
    class Meta:
        dataclass = NetworkAnswer


class NewNetworkSerializer(serializers.Serializer[dict[str, str]]):
    cidr = serializers.CharField(max_length=60)
    note = serializers.CharField(max_length=200, allow_blank=True, default="")


def answer_of(row: AllowedNetwork) -> NetworkAnswer:
    return NetworkAnswer(row.pk, row.cidr, row.note, row.added_by, row.added_at)


class NetworksView(APIView):
    """All of them; where there are none, devices may be anywhere but at this machine and on its link."""

    permission_classes = [AdministratorsInPerson]

    @extend_schema(responses=NetworkSerializer(many=True), operation_id="networks_list")
    def get(self, request: Request) -> Response:
        return Response(
            NetworkSerializer([answer_of(row) for row in AllowedNetwork.objects.order_by("cidr")], many=True).data
        )

    @extend_schema(request=NewNetworkSerializer, responses={201: NetworkSerializer})
    def post(self, request: Request) -> Response:
        given = NewNetworkSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        values = {**given.validated_data, "cidr": str(network_of(given.validated_data["cidr"]))}
        if AllowedNetwork.objects.filter(cidr=values["cidr"]).exists():
            raise Problem(409, "network_there", f"{values['cidr']} is allowed already.", "Nothing was added.")
        row = AllowedNetwork.objects.create(**values, added_by=person(request).username)
        tell(request, f"network {row.cidr}", None, {"note": row.note})
        return Response(NetworkSerializer(answer_of(row)).data, status.HTTP_201_CREATED)


class NetworkView(APIView):
    """One network: allow it no longer. Devices linked there stay linked."""

    permission_classes = [AdministratorsInPerson]

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        row = get_object_or_404(AllowedNetwork, pk=pk)
        tell(request, f"network {row.cidr}", {"note": row.note})
        row.delete()
        return Response(status=status.HTTP_204_NO_CONTENT)
