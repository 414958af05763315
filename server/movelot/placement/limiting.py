"""Steps that set a disk's cap and floor: by its array where that keeps each disk as a volume, else by its host."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.inventory.models import Disk, Volume
from movelot.lots.step_plan import After, AnyHandle, StepPlan
from movelot.lots.steps.limits import CapDisk, LimitVolume, SeeLimits, limits_said


def set_arrays() -> dict[str, str]:
    """The array of each volume set, by the set's serial: it keeps the limits of disks there."""
    rows = Volume.objects.filter(kind=Volume.Kind.SET)
    return dict(rows.values_list("serial", "device__name"))


@dataclass(frozen=True)
class Limiting:
    """What is to be limited: ``which`` names the disk and its machine for steps; by its array, where one is named.

    Caps and floors in IOPS, wanted and before.
    """

    which: dict[str, Any]
    host: str
    array: str
    wanted: tuple[int, int]
    before: tuple[int, int] = (0, 0)


def limiting_of(disk: Disk, array: str, wanted: tuple[int, int]) -> Limiting:
    """What limits a disk to a cap and a floor, from those that it has; by an array, or its host for an empty name."""
    machine = disk.machine
    which = {"machine": machine.name, "identity": machine.identity, "disk": disk.identity, "name": disk.name}
    return Limiting(which, machine.host.name, array, wanted, (disk.cap_iops or 0, disk.floor_iops or 0))


def add_limits(steps: StepPlan, limiting: Limiting, after: After = ()) -> list[AnyHandle]:
    """Limit a disk by its array or its host; what the array was told is read back on the host."""
    which, name, host = limiting.which, limiting.which["name"], limiting.host
    said, was = limits_said(*limiting.wanted), f"{limits_said(*limiting.before)} until now"
    if not limiting.array:
        cap = CapDisk(**which, wanted=limiting.wanted[0], before=limiting.before[0])
        return [steps.add(cap.on(host, f"Limit {name}: {said}", was), after)]
    keys = "cap", "floor", "cap_before", "floor_before"
    values: dict[str, Any] = dict(zip(keys, (*limiting.wanted, *limiting.before), strict=True))
    limit = LimitVolume(disk=which["disk"], name=name, **values)
    made = steps.add(limit.on(limiting.array, f"Limit volume {name}: {said}", was), after)
    see = SeeLimits(**which, **values)
    return [steps.add(see.on(host, f"See that {host} knows the limits of {name}"), made)]
