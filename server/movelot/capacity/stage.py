"""Capacity: where every byte is, when room is used up, and what can come back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.urls import URLPattern, path

from movelot.findings.base import FindingKind
from movelot.findings.judging import Judge
from movelot.lots.kinds import AnyLotKind
from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.capacity.views import CapacityView, CourseView, ReclaimView, SharesView, WhatIfView

    return [
        path("capacity/", CapacityView.as_view()),
        path("capacity/reclaim/", ReclaimView.as_view()),
        path("capacity/shares/", SharesView.as_view()),
        path("capacity/what-if/", WhatIfView.as_view()),
        path("capacity/<str:kind>/<int:pk>/course/", CourseView.as_view()),
    ]


def _lot_kinds() -> Sequence[AnyLotKind]:
    from movelot.capacity.acts.growing import GrowKind

    return [GrowKind()]


def _finding_kinds() -> Sequence[FindingKind[Any]]:
    from movelot.capacity.findings import KINDS

    return KINDS


def _judges() -> Sequence[Judge]:
    from movelot.capacity.judge import CapacityJudge

    return [CapacityJudge()]


STAGE = Stage("capacity", _routes, _lot_kinds, finding_kinds=_finding_kinds, judges=_judges)
