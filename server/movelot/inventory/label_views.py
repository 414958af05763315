"""The API of labels."""

from __future__ import annotations

from dataclasses import dataclass

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.audit.trail import tell
from movelot.inventory.labels import labels_of, set_labels


@dataclass
class Labels:
    """The labels of a thing, each as key=value."""

    labels: list[str]


class LabelsSerializer(DataclassSerializer[Labels]):
    class Meta:
        dataclass = Labels


class LabelsFormSerializer(serializers.Serializer[Labels]):
    labels = serializers.ListField(child=serializers.CharField(max_length=200), max_length=100)


class LabelsView(APIView):
    """The labels of a datastore, pool, machine or disk."""

    @extend_schema(responses=LabelsSerializer)
    def get(self, request: Request, kind: str, pk: int) -> Response:
        return Response(LabelsSerializer(Labels(labels_of(kind, pk))).data)

    @extend_schema(request=LabelsFormSerializer, responses=LabelsSerializer)
    def put(self, request: Request, kind: str, pk: int) -> Response:
        given = LabelsFormSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        before = labels_of(kind, pk)
        labels = set_labels(kind, pk, given.validated_data["labels"])
        tell(request, f"{kind} {pk}", before, labels)
        return Response(LabelsSerializer(Labels(labels)).data)
