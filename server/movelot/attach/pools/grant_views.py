"""The API of grants: which pools, and how much of each, the storage team lets the virtualization team use."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import ReadsOrStorage, person
from movelot.audit.trail import tell
from movelot.inventory.models import Grant, Pool
from movelot.placement.grants import grant, promised_bytes


@dataclass
class GrantRow:
    """A pool with its grant; ``quota_bytes`` is null where the whole pool is granted."""

    pool: int
    name: str
    array: str
    capacity_bytes: int
    granted: bool
    quota_bytes: int | None
    promised_bytes: int
    granted_by: str
    granted_at: datetime | None


class GrantRowSerializer(DataclassSerializer[GrantRow]):
    class Meta:
        dataclass = GrantRow


class QuotaSerializer(serializers.Serializer[dict[str, Any]]):
    """A size as people type it; empty for the whole pool."""

    quota = serializers.CharField(max_length=40, allow_blank=True, default="")


def _row(pool: Pool, promised: dict[int, int]) -> GrantRow:
    found = getattr(pool, "grant", None)
    return GrantRow(
        pool.pk,
        pool.name,
        pool.device.name,
        pool.capacity_bytes,
        found is not None,
        found.quota_bytes if found else None,
        promised.get(pool.pk, 0),
        found.granted_by if found else "",
        found.granted_at if found else None,
    )


def _told(pool: Pool) -> dict[str, Any]:
    """A grant as the audit trail tells it."""
    found = getattr(pool, "grant", None)
    return {"granted": found is not None, "quota_bytes": found.quota_bytes if found else None}


class GrantListView(APIView):
    """Every pool with its grant."""

    @extend_schema(responses=GrantRowSerializer(many=True))
    def get(self, request: Request) -> Response:
        pools = Pool.objects.select_related("device", "grant").order_by("device__name", "name")
        promised = promised_bytes()
        return Response(GrantRowSerializer([_row(pool, promised) for pool in pools], many=True).data)


class GrantView(APIView):
    """A pool's grant: the storage team makes, changes and withdraws it."""

    permission_classes = [ReadsOrStorage]

    def _pool(self, pk: int) -> Pool:
        return get_object_or_404(Pool.objects.select_related("device", "grant"), pk=pk)

    @extend_schema(request=QuotaSerializer, responses=GrantRowSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = QuotaSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        before = _told(self._pool(pk))
        grant(self._pool(pk), given.validated_data["quota"], person(request).username)
        pool = self._pool(pk)
        tell(request, f"pool {pool.device.name}/{pool.name}", before, _told(pool))
        return Response(GrantRowSerializer(_row(pool, promised_bytes())).data)

    @extend_schema(responses=GrantRowSerializer)
    def delete(self, request: Request, pk: int) -> Response:
        """Withdraw the grant; what was made under it stays."""
        pool = self._pool(pk)
        tell(request, f"pool {pool.device.name}/{pool.name}", _told(pool))
        Grant.objects.filter(pool=pool).delete()
        return Response(GrantRowSerializer(_row(self._pool(pk), promised_bytes())).data)
