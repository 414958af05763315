"""Machines: which there are, what they need and where they lie, and what is done with them."""

from __future__ import annotations

from collections.abc import Sequence

from django.urls import URLPattern, path

from movelot.findings.judging import Judge
from movelot.lots.kinds import AnyLotKind
from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.lots.draft_views import draft_view
    from movelot.machines.making.lot import NewMachineKind
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
        path("machines/drafts/<int:pk>/", draft_view(NewMachineKind())),
        path("machines/<int:pk>/", MachineView.as_view()),
    ]


def _lot_kinds() -> Sequence[AnyLotKind]:
    from movelot.machines.acts.deleting import DeleteMachineKind
    from movelot.machines.acts.disks import MachineDiskKind
    from movelot.machines.acts.files import FilesKind
    from movelot.machines.acts.limits import LimitsKind
    from movelot.machines.acts.migrating import MigrateKind
    from movelot.machines.acts.power import PowerKind
    from movelot.machines.acts.snapshots import SnapshotKind
    from movelot.machines.making.lot import NewMachineKind

    return [
        DeleteMachineKind(),
        FilesKind(),
        LimitsKind(),
        MachineDiskKind(),
        MigrateKind(),
        NewMachineKind(),
        PowerKind(),
        SnapshotKind(),
    ]


def _judges() -> Sequence[Judge]:
    from movelot.machines.judge import MachineJudge

    return [MachineJudge()]


STAGE = Stage("machines", _routes, _lot_kinds, judges=_judges)
