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
from movelot.attach.grants import promised_bytes
from movelot.inventory.models import Grant, Pool
from movelot.inventory.store import changed
from movelot.problems import Problem
from movelot_core.units import format_size, parse_size


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


def _row(pool: Pool) -> GrantRow:
    grant = getattr(pool, "grant", None)
    return GrantRow(
        pool.pk,
        pool.name,
        pool.device.name,
        pool.capacity_bytes,
        grant is not None,
        grant.quota_bytes if grant else None,
        promised_bytes(pool),
        grant.granted_by if grant else "",
        grant.granted_at if grant else None,
    )


class GrantListView(APIView):
    """Every pool with its grant."""

    @extend_schema(responses=GrantRowSerializer(many=True))
    def get(self, request: Request) -> Response:
        pools = Pool.objects.select_related("device", "grant").order_by("device__name", "name")
        return Response(GrantRowSerializer([_row(pool) for pool in pools], many=True).data)


class GrantView(APIView):
    """A pool's grant: the storage team makes, changes and withdraws it."""

    permission_classes = [ReadsOrStorage]

    def _pool(self, pk: int) -> Pool:
        return get_object_or_404(Pool.objects.select_related("device", "grant"), pk=pk)

    @extend_schema(request=QuotaSerializer, responses=GrantRowSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = QuotaSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        pool, text = self._pool(pk), given.validated_data["quota"].strip()
        quota = parse_size(text) if text else None
        if quota is not None and quota > pool.capacity_bytes:
            raise Problem(
                422,
                "quota_beyond_pool",
                f"{pool.name} has {format_size(pool.capacity_bytes)}; {format_size(quota)} cannot be granted of it.",
                "The grant stays as it was.",
                "Type less, or nothing for the whole pool.",
            )
        promised = promised_bytes(pool)
        if quota is not None and quota < promised:
            raise Problem(
                409,
                "quota_below_promised",
                f"{format_size(promised)} of {pool.name} are promised already; {format_size(quota)} is less.",
                "The grant stays as it was.",
                "Type more, or have volumes taken away first.",
            )
        Grant.objects.update_or_create(
            pool=pool, defaults={"quota_bytes": quota, "granted_by": person(request).username}
        )
        changed()
        return Response(GrantRowSerializer(_row(self._pool(pk))).data)

    @extend_schema(responses=GrantRowSerializer)
    def delete(self, request: Request, pk: int) -> Response:
        """Withdraw the grant; what was made under it stays."""
        Grant.objects.filter(pool=self._pool(pk)).delete()
        changed()
        return Response(GrantRowSerializer(_row(self._pool(pk))).data)
