"""All step kinds by name."""

from movelot.lots.steps.base import StepKind
from movelot.lots.steps.files import (
    CreateFileSystem,
    DeleteFileSystem,
    ExportFileSystem,
    MountExport,
    SetClients,
    SetFileClient,
    UnmountExport,
    WithdrawExport,
)
from movelot.lots.steps.hosts import (
    BindUplink,
    FormatDevice,
    Mount,
    Remount,
    Rescan,
    Scan,
    SetFrameSize,
    SetPathPolicies,
    SetPathPolicy,
    Unmount,
    WipeDevice,
)
from movelot.lots.steps.interfaces import CreateInterface, DropInterface
from movelot.lots.steps.masking import AddInitiator, DropInitiator, LetIn
from movelot.lots.steps.move_disk import MoveDisk
from movelot.lots.steps.sets import CreateVolumeSet, DeleteVolumeSet, MountSet
from movelot.lots.steps.subsystems import ConnectSubsystem, DisconnectSubsystem
from movelot.lots.steps.volumes import CreateVolume, DeleteVolume, OfferVolume, WithdrawVolume

KINDS: dict[str, StepKind] = {
    kind.name: kind()
    for kind in (
        AddInitiator,
        BindUplink,
        ConnectSubsystem,
        CreateFileSystem,
        CreateInterface,
        CreateVolume,
        CreateVolumeSet,
        DeleteFileSystem,
        DeleteVolume,
        DeleteVolumeSet,
        DisconnectSubsystem,
        DropInitiator,
        DropInterface,
        ExportFileSystem,
        FormatDevice,
        LetIn,
        Mount,
        MountExport,
        MountSet,
        MoveDisk,
        OfferVolume,
        Remount,
        Rescan,
        Scan,
        SetClients,
        SetFileClient,
        SetFrameSize,
        SetPathPolicies,
        SetPathPolicy,
        Unmount,
        UnmountExport,
        WipeDevice,
        WithdrawExport,
        WithdrawVolume,
    )
}
