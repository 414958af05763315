"""Machines: which there are, what they need and where they lie, and what is done with them."""

from __future__ import annotations

from collections.abc import Sequence

from django.urls import URLPattern, path

from movelot.findings.judging import Judge
from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.machines.rows import MachineCsv, MachineList
    from movelot.machines.things import DatastoreList, HostList, VolumeList
    from movelot.machines.views import ClustersView, MachineView, ManyLabelsView

    return [
        path("machines/", MachineList.as_view()),
        path("machines/csv/", MachineCsv.as_view()),
        path("machines/labels/", ManyLabelsView.as_view()),
        path("machines/clusters/", ClustersView.as_view()),
        path("machines/hosts/", HostList.as_view()),
        path("machines/datastores/", DatastoreList.as_view()),
        path("machines/volumes/", VolumeList.as_view()),
        path("machines/<int:pk>/", MachineView.as_view()),
    ]


def _judges() -> Sequence[Judge]:
    from movelot.machines.judge import MachineJudge

    return [MachineJudge()]


STAGE = Stage("machines", _routes, judges=_judges)
