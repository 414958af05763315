"""Images: disks brought in, checked, kept on datastores, from which new machines' disks are made."""

from __future__ import annotations

from collections.abc import Sequence

from django.urls import URLPattern, path

from movelot.jobs.work import AnyJobKind
from movelot.lots.kinds import AnyLotKind
from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.images.views import DepotListView, DepotView, ImageListView, ImageView, PartView, SourcesView

    return [
        path("images/", ImageListView.as_view()),
        path("images/sources/", SourcesView.as_view()),
        path("images/depots/", DepotListView.as_view()),
        path("images/depots/<int:pk>/", DepotView.as_view()),
        path("images/<int:pk>/", ImageView.as_view()),
        path("images/<int:pk>/part/", PartView.as_view()),
    ]


def _lot_kinds() -> Sequence[AnyLotKind]:
    from movelot.images.keeping import DeleteImageKind, KeepImageKind

    return [DeleteImageKind(), KeepImageKind()]


def _jobs() -> Sequence[AnyJobKind]:
    from movelot.images.jobs import BringIn

    return [BringIn()]


STAGE = Stage("images", _routes, _lot_kinds, jobs=_jobs)
