"""Steps that limit what a disk may ask: by its host, or on its own volume by its array; and that read it back."""

from __future__ import annotations

from typing import Any, Protocol

from movelot.devices import array, host
from movelot.inventory.models import Device
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.machine_disks import OnDisk
from movelot.lots.steps.touches import Touched
from movelot.lots.steps.values import Later, Nothing

SET_MEANWHILE = "Draft the lot again from a fresh reading."


def limits_said(cap: int, floor: int) -> str:
    """Limits in words."""
    capped = f"at most {cap:,} IOPS" if cap else "no cap"
    return f"{capped}, at least {floor:,}" if floor else capped


class CapDisk(OnDisk[Nothing]):
    """By the host, which guarantees nothing: ``wanted`` and ``before`` are caps in IOPS, 0 for none."""

    kind = "cap_disk"
    proof = "the host lists the disk with this cap"

    wanted: int
    before: int

    def _cap(self, run: StepRun[Nothing]) -> int:
        found = self.the_disk(run)
        demand(found is not None, "disk_missing", f"{self.name} is no longer there.")
        return int((found or {}).get("cap_iops") or 0)

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        now = self._cap(run)
        message = f"{self.name} was given {limits_said(now, 0)} meanwhile."
        demand(now in (self.wanted, self.before), "limits_changed", message, hint=SET_MEANWHILE)
        if now != self.wanted:
            host.act(run.session, "SetDiskLimits", Machine=self.machine, Disk=self.disk, CapIOPS=self.wanted)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        now = self._cap(run)
        demand(now == self.wanted, "not_capped", f"{self.name} has {limits_said(now, 0)}.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        values: dict[str, Any] = {**dict(self), "wanted": self.before, "before": self.wanted}
        return CapDisk(**values).on("", f"Give {self.name} back its former limit", limits_said(self.before, 0))


class BothLimits(Protocol):
    """A step with a cap and a floor in IOPS, 0 for none, and what these were before."""

    cap: int
    floor: int
    cap_before: int
    floor_before: int


def turned_back(step: BothLimits) -> dict[str, Any]:
    """The values of a step, with those that it sets and those that were there changing places."""
    swapped = {"cap": step.cap_before, "floor": step.floor_before}
    return {**vars(step), **swapped, "cap_before": step.cap, "floor_before": step.floor}


class LimitVolume(StepKind[Nothing]):
    """By the array, on the volume that is the ``disk``: caps and floors in IOPS, 0 for none."""

    kind = "limit_volume"
    proof = "the array tells the volume with these limits"

    disk: Later[str]
    name: str
    cap: int
    floor: int
    cap_before: int
    floor_before: int

    def touches(self, device: Device) -> list[Touched]:
        return [Touched("disk", self.disk, self.name)] if isinstance(self.disk, str) else []

    def _volume(self, run: StepRun[Nothing]) -> dict[str, Any]:
        found = array.volume_of_disk(run.session, str(self.disk))
        demand(found is not None, "volume_missing", f"{run.session.name} has no volume that is {self.name}.")
        return found or {}

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        volume = self._volume(run)
        now, wanted = array.limits_of(volume), (self.cap, self.floor)
        message = f"{self.name} was given {limits_said(*now)} meanwhile."
        known = now in (wanted, (self.cap_before, self.floor_before))
        demand(known, "limits_changed", message, hint=SET_MEANWHILE)
        if now != wanted:
            array.limit_volume(run.session, volume, self.cap, self.floor)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        now = array.limits_of(self._volume(run))
        demand(now == (self.cap, self.floor), "not_limited", f"{self.name} has {limits_said(*now)}.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        said = limits_said(self.cap_before, self.floor_before)
        return LimitVolume(**turned_back(self)).on("", f"Give {self.name} back its former limits", said)


class SeeLimits(OnDisk[Nothing]):
    """Proves on the host that it knows the limits which the array enforces; changes nothing."""

    kind = "see_limits"
    proof = "the host lists the disk with these limits"

    cap: int
    floor: int
    cap_before: int
    floor_before: int

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        self.verify(run, Nothing())
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        machine = host.find_machine(run.session, self.machine) or {}
        disks: dict[str, Any] = {each["identity"]: each for each in machine.get("disks", [])}
        found = disks.get(str(self.disk), {})
        now = found.get("cap_iops"), found.get("floor_iops")
        message = f"{run.session.name} tells other limits of {self.name} than its array."
        demand(now == (self.cap, self.floor), "host_differs", message)

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return SeeLimits(**turned_back(self)).on("", f"Read the limits of {self.name} back", last=True)
