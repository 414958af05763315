"""The API of “what if this is taken away”: components to choose from, the answer, and all of it as CSV."""

from __future__ import annotations

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.network.loss import ComponentRow, LossAnswer, components, loss_of
from movelot.spreadsheet import csv_text

COLUMNS = ("machine", "effect", "host", "operating_system", "address", "disks", "datastores", "labels")
NAMED = [OpenApiParameter("kind", str, required=True), OpenApiParameter("name", str, required=True)]


class ComponentSerializer(DataclassSerializer[ComponentRow]):
    class Meta:
        dataclass = ComponentRow


class LossSerializer(DataclassSerializer[LossAnswer]):
    class Meta:
        dataclass = LossAnswer


class ComponentsView(APIView):
    """Components that can be taken away in thought."""

    @extend_schema(parameters=[OpenApiParameter("q", str)], responses=ComponentSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(ComponentSerializer(components(request.query_params.get("q", "")), many=True).data)


class LossView(APIView):
    """What taking a component away would do."""

    @extend_schema(parameters=NAMED, responses=LossSerializer)
    def get(self, request: Request) -> Response:
        return Response(LossSerializer(_asked(request)).data)


class LossCsvView(APIView):
    """The same as CSV: one row a machine, all of them."""

    @extend_schema(parameters=NAMED, responses={(200, "text/csv"): OpenApiTypes.STR})
    def get(self, request: Request) -> HttpResponse:
        loss = _asked(request, whole=True)
        rows = (
            (m.name, m.effect, m.host, m.os, m.address, m.disks, " ".join(m.datastores), " ".join(m.labels))
            for m in loss.machines
        )
        name = f"without {loss.component.kind} {loss.component.name}.csv".replace("/", "-")
        headers = {"Content-Disposition": f'attachment; filename="{name}"'}
        return HttpResponse(csv_text(COLUMNS, rows), content_type="text/csv; charset=utf-8", headers=headers)


def _asked(request: Request, whole: bool = False) -> LossAnswer:
    kind, name = request.query_params.get("kind", ""), request.query_params.get("name", "")
    return loss_of(kind, name, None) if whole else loss_of(kind, name)
