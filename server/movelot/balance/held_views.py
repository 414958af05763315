"""The API of datastores that are held empty: for maintenance, until they are released."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.balance.group_views import UNCHANGED, members_changed
from movelot.inventory.models import Datastore, GroupMember, HeldEmpty
from movelot.problems import Problem


class HoldForm(serializers.Serializer[Any]):
    """A datastore by its id."""

    datastore = serializers.IntegerField(min_value=1)


class HoldView(APIView):
    """Hold a datastore empty: plans of its group take its disks away and put none there."""

    @extend_schema(request=HoldForm, responses={204: None})
    def post(self, request: Request) -> Response:
        given = HoldForm(data=request.data)
        given.is_valid(raise_exception=True)
        store = get_object_or_404(Datastore, pk=given.validated_data["datastore"])
        if not GroupMember.objects.filter(datastore=store).exists():
            title = f"{store.name} is in no group: nobody says where its disks may go."
            raise Problem(422, "in_no_group", title, UNCHANGED, "Put it in one first.")
        with transaction.atomic():
            _held, made = HeldEmpty.objects.get_or_create(datastore=store, defaults={"by": person(request).username})
            if made:
                _told(store)
        if made:
            tell(request, f"datastore {store.name}", "used", "held empty")
        return Response(status=status.HTTP_204_NO_CONTENT)


class HeldView(APIView):
    """Release a datastore that is held empty."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        store = get_object_or_404(Datastore, pk=pk)
        with transaction.atomic():
            gone, _rows = HeldEmpty.objects.filter(datastore=store).delete()
            if gone:
                _told(store)
        if gone:
            tell(request, f"datastore {store.name}", "held empty", "used")
        return Response(status=status.HTTP_204_NO_CONTENT)


def _told(store: Datastore) -> None:
    members_changed(GroupMember.objects.filter(datastore=store).values_list("group_id", flat=True))
