"""The API of the room plan."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.capacity.room import RoomAnswer
from movelot.capacity.room_job import RoomJob, kept_plan
from movelot.jobs.views import JobSerializer, accepted
from movelot.jobs.work import start
from movelot_core.capacity.forecast import HORIZON_DAYS

DAYS = 90


class RoomSerializer(DataclassSerializer[RoomAnswer]):
    class Meta:
        dataclass = RoomAnswer


class RoomForm(serializers.Serializer[Any]):
    """The runway that is wanted, and whether what nothing brings back may be deleted for it."""

    days = serializers.IntegerField(min_value=1, max_value=HORIZON_DAYS, default=DAYS)
    deleting = serializers.BooleanField(default=False)


class RoomView(APIView):
    """The cheapest acts that give every pool and datastore its runway; 202 with the job that finds them."""

    @extend_schema(parameters=[RoomForm], responses={200: RoomSerializer, 202: JobSerializer})
    def get(self, request: Request) -> Response:
        form = RoomForm(data=request.query_params.dict())
        form.is_valid(raise_exception=True)
        params = {"days": form.validated_data["days"], "deleting": form.validated_data["deleting"]}
        found = kept_plan(**params)
        if found is None:
            return accepted(start(RoomJob.name, params, person(request)))
        return Response(RoomSerializer(found).data)
