"""All step kinds by name."""

from movelot.lots.steps.base import StepKind
from movelot.lots.steps.hosts import BindUplink, FormatDevice, Mount, Rescan, Scan, SetPathPolicy, Unmount, WipeDevice
from movelot.lots.steps.move_disk import MoveDisk
from movelot.lots.steps.volumes import CreateVolume, DeleteVolume, OfferVolume, WithdrawVolume

KINDS: dict[str, StepKind] = {
    kind.name: kind()
    for kind in (
        BindUplink,
        CreateVolume,
        DeleteVolume,
        FormatDevice,
        Mount,
        MoveDisk,
        OfferVolume,
        Rescan,
        Scan,
        SetPathPolicy,
        Unmount,
        WipeDevice,
        WithdrawVolume,
    )
}
