"""Policies: what disks need, where it is served, which disks are not where they should be."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.urls import URLPattern, path

from movelot.findings.base import FindingKind
from movelot.findings.judging import Judge
from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.policies.views import (
        CellView,
        EffectView,
        ExportView,
        GiveManyView,
        GivenView,
        GiveView,
        ImportView,
        PolicyListView,
        PolicyView,
    )

    return [
        path("policies/", PolicyListView.as_view()),
        path("policies/export/", ExportView.as_view()),
        path("policies/import/", ImportView.as_view()),
        path("policies/effect/", EffectView.as_view()),
        path("policies/<int:pk>/", PolicyView.as_view()),
        path("policies/<int:pk>/places/<int:store>/", CellView.as_view()),
        path("policies/<int:pk>/given/", GiveView.as_view()),
        path("policies/given/", GiveManyView.as_view()),
        path("policies/given/<int:pk>/", GivenView.as_view()),
    ]


def _finding_kinds() -> Sequence[FindingKind[Any]]:
    from movelot.policies.findings import KINDS

    return KINDS


def _judges() -> Sequence[Judge]:
    from movelot.policies.judge import PolicyJudge

    return [PolicyJudge()]


STAGE = Stage("policies", _routes, finding_kinds=_finding_kinds, judges=_judges)
