"""Trace: the chain of any thing from disk to array, and find, which leads to it."""

from __future__ import annotations

from collections.abc import Sequence

from django.urls import URLPattern, path

from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.trace.views import FindView, TraceView

    return [
        path("trace/<str:kind>/<int:pk>/", TraceView.as_view()),
        path("find/", FindView.as_view()),
    ]


STAGE = Stage("trace", _routes)
