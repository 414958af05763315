"""The API of machines: one with all that is known of it, and what is said of many at once."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.audit.trail import tell
from movelot.inventory.labels import change_labels
from movelot.inventory.models import Cluster, Machine
from movelot.machines.answers import MachineAnswer, machine_answer

MANY_MAX = 5000


class MachineSerializer(DataclassSerializer[MachineAnswer]):
    class Meta:
        dataclass = MachineAnswer


class MachineView(APIView):
    """A machine."""

    @extend_schema(responses=MachineSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(MachineSerializer(machine_answer(pk)).data)


class ClustersView(APIView):
    """The names of all clusters, for filters."""

    @extend_schema(responses=serializers.ListSerializer(child=serializers.CharField()))
    def get(self, request: Request) -> Response:
        return Response(list(Cluster.objects.order_by("name").values_list("name", flat=True)))


class ManyLabelsForm(serializers.Serializer[Any]):
    """Labels, as key=value, that machines get, and that are taken from them."""

    machines = serializers.ListField(child=serializers.IntegerField(min_value=1), min_length=1, max_length=MANY_MAX)
    add = serializers.ListField(child=serializers.CharField(max_length=200), max_length=20, default=list)
    remove = serializers.ListField(child=serializers.CharField(max_length=200), max_length=20, default=list)


class ManyAnswer(serializers.Serializer[Any]):
    """How many machines or disks were said something of."""

    count = serializers.IntegerField()


class ManyLabelsView(APIView):
    """Labels of many machines at once: all of them, or none."""

    @extend_schema(request=ManyLabelsForm, responses=ManyAnswer)
    def post(self, request: Request) -> Response:
        given = ManyLabelsForm(data=request.data)
        given.is_valid(raise_exception=True)
        values = given.validated_data
        keys = list(Machine.objects.filter(pk__in=values["machines"]).order_by("name").values_list("pk", flat=True))
        change_labels("machine", keys, values["add"], values["remove"])
        names = list(Machine.objects.filter(pk__in=keys).order_by("name").values_list("name", flat=True))
        said = {"machines": names, "add": values["add"], "remove": values["remove"]}
        tell(request, f"labels of {len(keys)} machines", None, said)
        return Response({"count": len(keys)})
