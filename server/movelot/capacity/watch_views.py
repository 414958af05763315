"""From when on capacity is told of, as administrators set it."""

from __future__ import annotations

from django.db import transaction
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from movelot.accounts.roles import AdministratorsInPerson
from movelot.audit.trail import tell
from movelot.inventory.changes import people_said
from movelot.inventory.models import RoomWatch


class RoomWatchSerializer(serializers.ModelSerializer[RoomWatch]):
    class Meta:
        model = RoomWatch
        fields = ["runway_days", "promised_percent"]
        extra_kwargs = {name: {"required": True} for name in fields}


class RoomWatchView(APIView):
    """Days of runway below which, and percent of its size promised above which, a pool or datastore is a finding."""

    permission_classes = [AdministratorsInPerson]

    @extend_schema(responses=RoomWatchSerializer)
    def get(self, request: Request) -> Response:
        return Response(RoomWatchSerializer(RoomWatch.now()).data)

    @extend_schema(request=RoomWatchSerializer, responses=RoomWatchSerializer)
    def put(self, request: Request) -> Response:
        row = RoomWatch.now()
        before = dict(RoomWatchSerializer(row).data)
        given = RoomWatchSerializer(row, data=request.data)
        given.is_valid(raise_exception=True)
        with transaction.atomic():
            given.save()
            tell(request, "room watch", before, dict(given.data))
            people_said("room watch", 1)
        return Response(given.data)
