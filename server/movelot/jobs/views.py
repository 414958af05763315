"""The API of jobs: one way to follow all work that takes a while."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.jobs.models import Job
from movelot.jobs.work import cancel


@dataclass
class JobAnswer:
    """A job: how far it is (0 of 0 where that cannot be told), and once it has ended its result or its problem."""

    id: int
    kind: str
    state: str
    text: str
    done: int
    total: int
    result: dict[str, Any]
    problem: dict[str, Any] | None
    asked_at: datetime
    started_at: datetime | None
    ended_at: datetime | None


class JobSerializer(DataclassSerializer[JobAnswer]):
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
        job.result,
        job.problem,
        job.asked_at,
        job.started_at,
        job.ended_at,
    )


def accepted(job: Job) -> Response:
    """The answer to a request that became a job: 202 with where to look."""
    headers = {"Location": f"/api/jobs/{job.pk}/"}
    return Response(JobSerializer(answer_of(job)).data, status.HTTP_202_ACCEPTED, headers=headers)


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
