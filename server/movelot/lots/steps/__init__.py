"""All step kinds by name."""

from movelot.lots.steps.base import StepKind
from movelot.lots.steps.hosts import (
    BindUplink,
    FormatDevice,
    Mount,
    Remount,
    Rescan,
    Scan,
    SetPathPolicies,
    SetPathPolicy,
    Unmount,
    WipeDevice,
)
from movelot.lots.steps.masking import AddInitiator, DropInitiator, LetIn
from movelot.lots.steps.move_disk import MoveDisk
from movelot.lots.steps.volumes import CreateVolume, DeleteVolume, OfferVolume, WithdrawVolume

KINDS: dict[str, StepKind] = {
    kind.name: kind()
    for kind in (
        AddInitiator,
        BindUplink,
        CreateVolume,
        DeleteVolume,
        DropInitiator,
        FormatDevice,
        LetIn,
        Mount,
        MoveDisk,
        OfferVolume,
        Remount,
        Rescan,
        Scan,
        SetPathPolicies,
        SetPathPolicy,
        Unmount,
        WipeDevice,
        WithdrawVolume,
    )
}
