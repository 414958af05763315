"""Attach: storage of arrays offered to hosts, its paths proven, and taken away again."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.urls import URLPattern, path

from movelot.findings.base import FindingKind
from movelot.findings.judging import Judge
from movelot.lots.drafting import DraftKind
from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.attach.file_views import FileDraftView, FileLimitsView
    from movelot.attach.grant_views import GrantListView, GrantView
    from movelot.attach.interface_views import InterfaceDraftView
    from movelot.attach.loss_views import ComponentsView, LossCsvView, LossView
    from movelot.attach.path_views import DeviceSettingsView, PathsView
    from movelot.attach.set_views import SetDraftView
    from movelot.attach.use_views import UseDraftView
    from movelot.attach.views import AttachDraftView, DetachDraftView

    return [
        path("attach/drafts/<int:pk>/", AttachDraftView.as_view()),
        path("attach/detach/<int:pk>/", DetachDraftView.as_view()),
        path("attach/file-drafts/<int:pk>/", FileDraftView.as_view()),
        path("attach/use-drafts/<int:pk>/", UseDraftView.as_view()),
        path("attach/interface-drafts/<int:pk>/", InterfaceDraftView.as_view()),
        path("attach/set-drafts/<int:pk>/", SetDraftView.as_view()),
        path("attach/file-limits/", FileLimitsView.as_view()),
        path("attach/grants/", GrantListView.as_view()),
        path("attach/grants/<int:pk>/", GrantView.as_view()),
        path("attach/paths/", PathsView.as_view()),
        path("attach/device-settings/", DeviceSettingsView.as_view()),
        path("attach/components/", ComponentsView.as_view()),
        path("attach/loss/", LossView.as_view()),
        path("attach/loss/csv/", LossCsvView.as_view()),
    ]


def _lot_kinds() -> Sequence[DraftKind]:
    from movelot.attach.chap import ChapKind
    from movelot.attach.default_store import DefaultStoreKind
    from movelot.attach.detach import DetachKind
    from movelot.attach.device_settings import DeviceSettingsKind
    from movelot.attach.drafting import AttachKind
    from movelot.attach.file_limits import FileLimitsKind
    from movelot.attach.files import AttachFileKind
    from movelot.attach.find_paths import FindPathsKind
    from movelot.attach.frames import FrameKind
    from movelot.attach.interfaces import InterfaceKind
    from movelot.attach.masking import InitiatorKind, SpreadKind
    from movelot.attach.mount_alike import MountAlikeKind
    from movelot.attach.sets import AttachSetKind
    from movelot.attach.uplinks import UplinkKind
    from movelot.attach.use import UseKind

    return [
        AttachKind(),
        AttachFileKind(),
        AttachSetKind(),
        FileLimitsKind(),
        UplinkKind(),
        FrameKind(),
        FindPathsKind(),
        InterfaceKind(),
        UseKind(),
        SpreadKind(),
        InitiatorKind(),
        ChapKind(),
        DefaultStoreKind(),
        DetachKind(),
        MountAlikeKind(),
        DeviceSettingsKind(),
    ]


def _finding_kinds() -> Sequence[FindingKind[Any]]:
    from movelot.attach.findings import KINDS

    return KINDS


def _judges() -> Sequence[Judge]:
    from movelot.attach.judges import JUDGES

    return [judge() for judge in JUDGES]


STAGE = Stage("attach", _routes, _lot_kinds, _finding_kinds, _judges)
