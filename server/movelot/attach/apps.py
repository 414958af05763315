"""Attach's kinds of lots are registered when the application starts."""

from django.apps import AppConfig


class AttachConfig(AppConfig):
    name = "movelot.attach"

    def ready(self) -> None:
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
        from movelot.lots.drafting import register

        for kind in (
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
        ):
            register(kind)
