"""Attach: storage of arrays offered to hosts, and taken away again."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.urls import URLPattern, path

from movelot.findings.base import FindingKind
from movelot.findings.judging import Judge
from movelot.lots.kinds import AnyLotKind
from movelot.stages.base import Stage


def _routes() -> Sequence[URLPattern]:
    from movelot.attach.block.lot import AttachKind
    from movelot.attach.block.use import UseKind
    from movelot.attach.detach import DetachKind
    from movelot.attach.file.limit_views import FileLimitsView
    from movelot.attach.file.lot import AttachFileKind
    from movelot.attach.pools.grant_views import GrantListView, GrantView
    from movelot.attach.volume_set.lot import AttachSetKind
    from movelot.lots.draft_views import draft_view

    return [
        path("attach/drafts/<int:pk>/", draft_view(AttachKind())),
        path("attach/detach/<int:pk>/", draft_view(DetachKind())),
        path("attach/file-drafts/<int:pk>/", draft_view(AttachFileKind())),
        path("attach/use-drafts/<int:pk>/", draft_view(UseKind())),
        path("attach/set-drafts/<int:pk>/", draft_view(AttachSetKind())),
        path("attach/file-limits/", FileLimitsView.as_view()),
        path("attach/grants/", GrantListView.as_view()),
        path("attach/grants/<int:pk>/", GrantView.as_view()),
    ]


def _lot_kinds() -> Sequence[AnyLotKind]:
    from movelot.attach.block.lot import AttachKind
    from movelot.attach.block.use import UseKind
    from movelot.attach.default_store import DefaultStoreKind
    from movelot.attach.detach import DetachKind
    from movelot.attach.file.alike import MountAlikeKind
    from movelot.attach.file.limits import FileLimitsKind
    from movelot.attach.file.lot import AttachFileKind
    from movelot.attach.initiator import InitiatorKind
    from movelot.attach.remake import RemakeKind
    from movelot.attach.retire import RetireKind
    from movelot.attach.spread import SpreadKind
    from movelot.attach.volume_set.lot import AttachSetKind

    return [
        AttachKind(),
        AttachFileKind(),
        AttachSetKind(),
        DefaultStoreKind(),
        DetachKind(),
        FileLimitsKind(),
        InitiatorKind(),
        MountAlikeKind(),
        RemakeKind(),
        RetireKind(),
        SpreadKind(),
        UseKind(),
    ]


def _finding_kinds() -> Sequence[FindingKind[Any]]:
    from movelot.attach.findings import KINDS

    return KINDS


def _judges() -> Sequence[Judge]:
    from movelot.attach.judges import JUDGES

    return [judge() for judge in JUDGES]


STAGE = Stage("attach", _routes, _lot_kinds, _finding_kinds, _judges)
