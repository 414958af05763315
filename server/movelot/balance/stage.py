"""Balance: groups of datastores kept under their ceilings by moving disks."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.urls import URLPattern, path

from movelot.findings.base import FindingKind
from movelot.findings.judging import Judge
from movelot.jobs.work import AnyJobKind
from movelot.lots.kinds import AnyLotKind
from movelot.stages.base import Chore, Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.balance.alternatives import AlternativesView
    from movelot.balance.apart_views import PeaksApartView
    from movelot.balance.drafting import BalanceKind
    from movelot.balance.group_views import GroupMembersView, MembersEffectView, MembersView
    from movelot.balance.held_views import HeldView, HoldView
    from movelot.balance.neighbour_views import BusyPoolsView, PoolNeighboursView
    from movelot.balance.rehearsal_views import RehearsalSeenView, RehearsalsView
    from movelot.balance.rule_views import RuleListView, RuleView
    from movelot.balance.switch_views import ActsHaltedView
    from movelot.balance.views import GroupCeilingsView, GroupListView, GroupView, StackView
    from movelot.balance.week_views import GroupWeekView, LetActView, WeekCalendarView, WeekFromCalendarView
    from movelot.lots.draft_views import draft_view

    return [
        path("balance/groups/", GroupListView.as_view()),
        path("balance/groups/<str:name>/", GroupView.as_view()),
        path("balance/groups/<str:name>/alternatives/", AlternativesView.as_view()),
        path("balance/groups/<str:name>/ceilings/", GroupCeilingsView.as_view()),
        path("balance/groups/<str:name>/datastores/<int:pk>/", StackView.as_view()),
        path("balance/groups/<str:name>/members/", GroupMembersView.as_view()),
        path("balance/groups/<str:name>/acts/", LetActView.as_view()),
        path("balance/groups/<str:name>/rehearsals/", RehearsalsView.as_view()),
        path("balance/groups/<str:name>/week/", GroupWeekView.as_view()),
        path("balance/groups/<str:name>/week/read/", WeekFromCalendarView.as_view()),
        path("balance/groups/<str:name>/week.ics", WeekCalendarView.as_view()),
        path("balance/acts/", ActsHaltedView.as_view()),
        path("balance/rehearsals/<int:pk>/seen/", RehearsalSeenView.as_view()),
        path("balance/held/", HoldView.as_view()),
        path("balance/held/<int:pk>/", HeldView.as_view()),
        path("balance/members/", MembersView.as_view()),
        path("balance/members/effect/", MembersEffectView.as_view()),
        path("balance/pools/", BusyPoolsView.as_view()),
        path("balance/pools/<int:pk>/neighbours/", PoolNeighboursView.as_view()),
        path("balance/pools/<int:pk>/apart/", PeaksApartView.as_view()),
        path("balance/rules/", RuleListView.as_view()),
        path("balance/rules/<int:pk>/", RuleView.as_view()),
        path("balance/drafts/<int:pk>/", draft_view(BalanceKind())),
    ]


def _lot_kinds() -> Sequence[AnyLotKind]:
    from movelot.balance.drafting import BalanceKind
    from movelot.balance.fair_caps import FairCapsKind

    return [BalanceKind(), FairCapsKind()]


def _finding_kinds() -> Sequence[FindingKind[Any]]:
    from movelot.balance.judge import ACTS_ITSELF, BROKEN_RULE, NOT_EMPTY, OVER_FILL, SLOW_POOL

    return [OVER_FILL, SLOW_POOL, BROKEN_RULE, NOT_EMPTY, ACTS_ITSELF]


def _judges() -> Sequence[Judge]:
    from movelot.balance.judge import GroupJudge

    return [GroupJudge()]


def _jobs() -> Sequence[AnyJobKind]:
    from movelot.balance.acting import ActJob
    from movelot.balance.rehearsing import RehearseJob

    return [ActJob(), RehearseJob()]


def _chores() -> Sequence[Chore]:
    from movelot.balance.acting import act
    from movelot.balance.rules_end import end_rules
    from movelot.balance.ways import follow

    # What is in force is known before anybody acts on it.
    return [end_rules, follow, act]


STAGE = Stage("balance", _routes, _lot_kinds, _finding_kinds, _judges, jobs=_jobs, chores=_chores)
