"""Capacity: where every byte is, when room is used up, and what can come back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.urls import URLPattern, path

from movelot.findings.base import FindingKind
from movelot.findings.judging import Judge
from movelot.jobs.work import AnyJobKind
from movelot.lots.kinds import AnyLotKind
from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.capacity.level_views import LevelsView
    from movelot.capacity.note_views import NotesView, NoteView
    from movelot.capacity.pool_views import PoolView
    from movelot.capacity.reduction_views import EstimateView, ReductionView
    from movelot.capacity.room_views import RoomView
    from movelot.capacity.views import CapacityView, CourseView, ReclaimView, SharesView
    from movelot.capacity.watch_views import RoomWatchView
    from movelot.capacity.what_if_views import CompareView, WhatIfRowView, WhatIfsView, WhatIfView

    return [
        path("capacity/", CapacityView.as_view()),
        path("capacity/notes/<int:pk>/", NoteView.as_view()),
        path("capacity/pools/<int:pk>/", PoolView.as_view()),
        path("capacity/reclaim/", ReclaimView.as_view()),
        path("capacity/reduction/<int:pk>/", ReductionView.as_view()),
        path("capacity/reduction/<int:pk>/estimate/", EstimateView.as_view()),
        path("capacity/room/", RoomView.as_view()),
        path("capacity/shares/", SharesView.as_view()),
        path("capacity/watch/", RoomWatchView.as_view()),
        path("capacity/what-if/", WhatIfView.as_view()),
        path("capacity/what-ifs/", WhatIfsView.as_view()),
        path("capacity/what-ifs/<int:pk>/", WhatIfRowView.as_view()),
        path("capacity/what-ifs/compared/", CompareView.as_view()),
        path("capacity/<str:kind>/<int:pk>/course/", CourseView.as_view()),
        path("capacity/<str:kind>/<int:pk>/levels/", LevelsView.as_view()),
        path("capacity/<str:kind>/<int:pk>/notes/", NotesView.as_view()),
    ]


def _lot_kinds() -> Sequence[AnyLotKind]:
    from movelot.capacity.acts.growing import GrowKind
    from movelot.capacity.acts.left_swap import DeleteSwapKind
    from movelot.capacity.acts.loose_disks import DeleteLooseKind
    from movelot.capacity.acts.pool_drives import PoolDrivesKind
    from movelot.capacity.acts.reducing import ReduceKind
    from movelot.capacity.acts.returning import ReturnKind
    from movelot.capacity.acts.shrinking import ShrinkKind
    from movelot.capacity.acts.thinning import ThinKind

    files: list[AnyLotKind] = [DeleteLooseKind(), DeleteSwapKind(), ThinKind()]
    return [*files, GrowKind(), PoolDrivesKind(), ReduceKind(), ReturnKind(), ShrinkKind()]


def _finding_kinds() -> Sequence[FindingKind[Any]]:
    from movelot.capacity.findings import KINDS

    return KINDS


def _judges() -> Sequence[Judge]:
    from movelot.capacity.judge import CapacityJudge

    return [CapacityJudge()]


def _jobs() -> Sequence[AnyJobKind]:
    from movelot.capacity.estimates import EstimateJob
    from movelot.capacity.room_job import RoomJob

    return [EstimateJob(), RoomJob()]


STAGE = Stage("capacity", _routes, _lot_kinds, finding_kinds=_finding_kinds, judges=_judges, jobs=_jobs)
