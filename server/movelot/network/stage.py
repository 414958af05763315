"""Network: the ways between hosts and arrays, what is missing of them, and what would be lost with a part."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.urls import URLPattern, path

from movelot.findings.base import FindingKind
from movelot.findings.judging import Judge
from movelot.lots.kinds import AnyLotKind
from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.lots.draft_views import draft_view
    from movelot.network.interfaces import InterfaceKind
    from movelot.network.loss_views import ComponentsView, LossCsvView, LossView
    from movelot.network.reach import ReachView
    from movelot.network.views import DeviceSettingsView, PathsView

    return [
        path("network/interface-drafts/<int:pk>/", draft_view(InterfaceKind())),
        path("network/reach/", ReachView.as_view()),
        path("network/paths/", PathsView.as_view()),
        path("network/device-settings/", DeviceSettingsView.as_view()),
        path("network/components/", ComponentsView.as_view()),
        path("network/loss/", LossView.as_view()),
        path("network/loss/csv/", LossCsvView.as_view()),
    ]


def _lot_kinds() -> Sequence[AnyLotKind]:
    from movelot.network.chap import ChapKind
    from movelot.network.device_settings import DeviceSettingsKind
    from movelot.network.find_paths import FindPathsKind
    from movelot.network.frames import FrameKind
    from movelot.network.interfaces import InterfaceKind
    from movelot.network.uplinks import UplinkKind

    return [ChapKind(), DeviceSettingsKind(), FindPathsKind(), FrameKind(), InterfaceKind(), UplinkKind()]


def _finding_kinds() -> Sequence[FindingKind[Any]]:
    from movelot.network.findings import KINDS

    return KINDS


def _judges() -> Sequence[Judge]:
    from movelot.network.judges.paths import PathJudge

    return [PathJudge()]


STAGE = Stage("network", _routes, _lot_kinds, _finding_kinds, _judges)
