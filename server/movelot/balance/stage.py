"""Balance: groups of datastores kept under their ceilings by moving disks."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.urls import URLPattern, path

from movelot.findings.base import FindingKind
from movelot.findings.judging import Judge
from movelot.lots.kinds import AnyLotKind
from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.balance.drafting import BalanceKind
    from movelot.balance.views import GroupListView, GroupView, StackView
    from movelot.lots.draft_views import draft_view

    return [
        path("balance/groups/", GroupListView.as_view()),
        path("balance/groups/<str:name>/", GroupView.as_view()),
        path("balance/groups/<str:name>/datastores/<int:pk>/", StackView.as_view()),
        path("balance/drafts/<int:pk>/", draft_view(BalanceKind())),
    ]


def _lot_kinds() -> Sequence[AnyLotKind]:
    from movelot.balance.drafting import BalanceKind

    return [BalanceKind()]


def _finding_kinds() -> Sequence[FindingKind[Any]]:
    from movelot.balance.judge import OVER_FILL, SLOW_POOL

    return [OVER_FILL, SLOW_POOL]


def _judges() -> Sequence[Judge]:
    from movelot.balance.judge import GroupJudge

    return [GroupJudge()]


STAGE = Stage("balance", _routes, _lot_kinds, _finding_kinds, _judges)
