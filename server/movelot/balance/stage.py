"""Balance: groups of datastores kept under their ceilings by moving disks."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.urls import URLPattern, path

from movelot.findings.base import FindingKind
from movelot.findings.judging import Judge
from movelot.lots.drafting import DraftKind
from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.balance.views import BalanceDraftView, GroupListView, GroupPlanView, GroupView

    return [
        path("balance/groups/", GroupListView.as_view()),
        path("balance/groups/<str:name>/", GroupView.as_view()),
        path("balance/groups/<str:name>/plan/", GroupPlanView.as_view()),
        path("balance/drafts/<int:pk>/", BalanceDraftView.as_view()),
    ]


def _lot_kinds() -> Sequence[DraftKind]:
    from movelot.balance.drafting import BalanceKind

    return [BalanceKind()]


def _finding_kinds() -> Sequence[FindingKind[Any]]:
    from movelot.balance.judge import OVER_FILL, SLOW_POOL

    return [OVER_FILL, SLOW_POOL]


def _judges() -> Sequence[Judge]:
    from movelot.balance.judge import GroupJudge

    return [GroupJudge()]


STAGE = Stage("balance", _routes, _lot_kinds, _finding_kinds, _judges)
