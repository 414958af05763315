"""The API of compression and deduplication: a pool's volumes, what was estimated of them, and the estimate's job."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.capacity.estimates import (
    VOLUMES_MAX,
    EstimateJob,
    PoolEstimate,
    kept_estimate,
    reducible,
    ways_of,
)
from movelot.inventory.models import Extent, Pool
from movelot.jobs.views import JobSerializer, accepted
from movelot.jobs.work import start
from movelot.problems import Problem


@dataclass
class ReducibleVolume:
    """A volume: what it holds in its pool, how it is reduced now, what that saves (null where nobody tells)."""

    id: int
    serial: str
    name: str
    datastore: str
    held_bytes: int
    reduced: list[str]
    saved_bytes: int | None


@dataclass
class ReductionAnswer:
    """The volumes of a pool that can be reduced; ``ways`` are those it can do; ``estimate`` the last one, if any."""

    pool: str
    ways: list[list[str]]
    volumes: list[ReducibleVolume]
    estimate: PoolEstimate | None


class ReductionSerializer(DataclassSerializer[ReductionAnswer]):
    class Meta:
        dataclass = ReductionAnswer


def _pool(key: int) -> Pool:
    found = Pool.objects.filter(pk=key).first()
    if found is None:
        raise Problem(404, "not_found", "There is no such pool.", hint="It may be gone since the last reading.")
    return found


class ReductionView(APIView):
    """What could be, and is, compressed and deduplicated in a pool."""

    @extend_schema(responses=ReductionSerializer)
    def get(self, request: Request, pk: int) -> Response:
        found = _pool(pk)
        volumes = reducible(found)
        serials = [volume.serial for volume in volumes]
        # A volume in a set is on the datastore that its set is.
        serials += [volume.set_serial for volume in volumes if volume.set_serial]
        on = dict(Extent.objects.filter(serial__in=serials).values_list("serial", "datastore__name"))
        rows = [
            ReducibleVolume(
                volume.pk,
                volume.serial,
                volume.name,
                on.get(volume.set_serial or volume.serial, ""),
                volume.allocated_bytes,
                volume.reduced,
                volume.reduced_bytes,
            )
            for volume in volumes
        ]
        answer = ReductionAnswer(found.name, ways_of(found), rows, kept_estimate(found.pk))
        return Response(ReductionSerializer(answer).data)


class EstimateForm(serializers.Serializer[Any]):
    """Volumes of the pool, by their primary keys."""

    volumes = serializers.ListField(
        child=serializers.IntegerField(min_value=1), allow_empty=False, max_length=VOLUMES_MAX
    )


class EstimateView(APIView):
    """Has volumes of a pool sampled by a job; nothing is changed."""

    @extend_schema(request=EstimateForm, responses={202: JobSerializer})
    def post(self, request: Request, pk: int) -> Response:
        found = _pool(pk)
        form = EstimateForm(data=request.data)
        form.is_valid(raise_exception=True)
        params = {"pool": found.pk, "volumes": sorted(set(form.validated_data["volumes"]))}
        return accepted(start(EstimateJob.name, params, person(request)))
