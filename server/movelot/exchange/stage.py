"""Exchange: estates, links, grants and metrics in open formats, in and out."""

from __future__ import annotations

from collections.abc import Sequence

from django.urls import URLPattern, path

from movelot.jobs.work import AnyJobKind
from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.exchange.package_views import MetricsView, PackageOutView, PackageView
    from movelot.exchange.views import ImportView

    return [
        path("exchange/import/", ImportView.as_view()),
        path("exchange/package/", PackageView.as_view()),
        path("exchange/package/export/", PackageOutView.as_view()),
        path("exchange/metrics/", MetricsView.as_view()),
    ]


def _jobs() -> Sequence[AnyJobKind]:
    from movelot.exchange.jobs import ExportPackage, ImportMetrics, ImportPackage, ImportRows

    return [ImportPackage(), ExportPackage(), ImportMetrics(), ImportRows()]


STAGE = Stage("exchange", _routes, jobs=_jobs)
