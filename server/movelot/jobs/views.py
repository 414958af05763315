"""The API of jobs: one way to follow all work that takes a while."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.http import StreamingHttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import PolymorphicProxySerializer, extend_schema, extend_schema_field
from rest_framework import status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.serializers import DictField, Serializer
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.jobs.files import parts_of
from movelot.jobs.models import Job
from movelot.jobs.work import KINDS, cancel
from movelot.problems import Problem


@dataclass
class JobAnswer:
    """A job: how far it is (0 of 0 where that cannot be told), and once it has ended its result or its problem."""

    id: int
    kind: str
    state: str
    text: str
    done: int
    total: int
    result: dict[str, Any] | None
    problem: dict[str, Any] | None
    asked_at: datetime
    started_at: datetime | None
    ended_at: datetime | None


def _results() -> list[Serializer[Any]]:
    """What each kind of job comes to, for the schema; kinds that come to the same share one."""
    kinds = sorted({kind.result for kind in KINDS.values()}, key=lambda each: each.__name__)
    return [_result_serializer(each)() for each in kinds]


def _result_serializer(answer: type[Any]) -> type[Serializer[Any]]:
    meta = type("Meta", (), {"dataclass": answer})
    return type(f"{answer.__name__}Serializer", (DataclassSerializer,), {"Meta": meta})


@extend_schema_field(PolymorphicProxySerializer("JobResult", _results, resource_type_field_name=None))
class ResultField(DictField):
    """The result as its kind made it."""


class JobSerializer(DataclassSerializer[JobAnswer]):
    """``result`` is null until the job is done."""

    result = ResultField(allow_null=True)

    class Meta:
        dataclass = JobAnswer


def answer_of(job: Job) -> JobAnswer:
    return JobAnswer(
        job.pk,
        job.kind,
        job.state,
        job.text,
        job.done,
        job.total,
        job.result or None,
        job.problem,
        job.asked_at,
        job.started_at,
        job.ended_at,
    )


def accepted(job: Job) -> Response:
    """The answer to a request that became a job: 202 with where to look."""
    headers = {"Location": f"/api/jobs/{job.pk}/"}
    return Response(JobSerializer(answer_of(job)).data, status.HTTP_202_ACCEPTED, headers=headers)


class JobFileView(APIView):
    """The file that a job made, as it is kept."""

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, pk: int) -> StreamingHttpResponse:
        job = get_object_or_404(Job, pk=pk, state=Job.State.DONE)
        makes = KINDS[job.kind].makes if job.kind in KINDS else None
        if makes is None or not job.parts.filter(out=True).exists():
            raise Problem(404, "no_file", f"Job {pk} made no file.", hint="Ask for it anew.")
        name, media = makes
        headers = {"Content-Disposition": f'attachment; filename="{name}"'}
        return StreamingHttpResponse(parts_of(job, out=True), content_type=media, headers=headers)


class JobView(APIView):
    """A job, to be followed; deleting asks it to end."""

    @extend_schema(responses=JobSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(JobSerializer(answer_of(get_object_or_404(Job, pk=pk))).data)

    @extend_schema(responses=JobSerializer)
    def delete(self, request: Request, pk: int) -> Response:
        job = get_object_or_404(Job, pk=pk)
        cancel(job)
        return Response(JobSerializer(answer_of(job)).data)
