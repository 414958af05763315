"""All step kinds by name."""

from movelot.lots.steps.base import StepKind
from movelot.lots.steps.chap import LogInAgain, ReplaceArrayChap, ReplaceHostChap, SetArrayChap, SetHostChap
from movelot.lots.steps.connections import ConnectSubsystem, DisconnectSubsystem, LogIn, LogOut
from movelot.lots.steps.default_store import SetDefaultStore
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
    SetDevices,
    SetFrameSize,
    SetPathPolicy,
    Unmount,
    WipeDevice,
)
from movelot.lots.steps.interfaces import CreateInterface, DropInterface
from movelot.lots.steps.masking import AddInitiator, DropInitiator, LetIn
from movelot.lots.steps.move_disk import MoveDisk
from movelot.lots.steps.raw import GiveVolume, TakeVolume
from movelot.lots.steps.sets import CreateVolumeSet, DeleteVolumeSet, MountSet
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
        GiveVolume,
        LetIn,
        LogIn,
        LogInAgain,
        LogOut,
        Mount,
        MountExport,
        MountSet,
        MoveDisk,
        OfferVolume,
        Remount,
        ReplaceArrayChap,
        ReplaceHostChap,
        Rescan,
        Scan,
        SetArrayChap,
        SetClients,
        SetDefaultStore,
        SetFileClient,
        SetFrameSize,
        SetHostChap,
        SetDevices,
        SetPathPolicy,
        TakeVolume,
        Unmount,
        UnmountExport,
        WipeDevice,
        WithdrawExport,
        WithdrawVolume,
    )
}
