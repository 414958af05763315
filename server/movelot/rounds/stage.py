"""Rounds: what wants attention today, whichever stage settles it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.urls import URLPattern, path

from movelot.findings.base import FindingKind
from movelot.findings.judging import Judge
from movelot.stages.base import Stage, Waiting


def _routes() -> Sequence[URLPattern]:
    from movelot.rounds.views import AcknowledgeView, RoundsView, StatusView

    return [
        path("status/", StatusView.as_view()),
        path("rounds/", RoundsView.as_view()),
        path("rounds/findings/<int:pk>/acknowledged/", AcknowledgeView.as_view()),
    ]


def _finding_kinds() -> Sequence[FindingKind[Any]]:
    from movelot.rounds.judge import CLOCK_OFF, DEVICE_TROUBLE

    return [CLOCK_OFF, DEVICE_TROUBLE]


def _judges() -> Sequence[Judge]:
    from movelot.rounds.judge import DeviceJudge

    return [DeviceJudge()]


def _all(waiting: Waiting) -> int:
    return sum(waiting.findings.values())


STAGE = Stage(
    "rounds",
    _routes,
    finding_kinds=_finding_kinds,
    judges=_judges,
    waits=_all,
)
