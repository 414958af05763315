"""The step that has a disk take only what was written of it, or its whole size again."""

from __future__ import annotations

from typing import Any

from movelot.devices import host
from movelot.devices.work import find_work
from movelot.inventory.models import Device
from movelot.lots.steps.base import Progress, StepRun, StepSpec, demand
from movelot.lots.steps.machine_disks import OnDisk
from movelot.lots.steps.touches import Room, Touched, volume
from movelot.lots.steps.values import Nothing


class ProvisionDisk(OnDisk[Nothing]):
    """While its machine runs. ``returned_bytes`` were never written: thin it gives them back, thick it takes them."""

    kind = "provision_disk"
    proof = "the machine lists the disk as it was to be"

    thin: bool
    returned_bytes: int
    size_bytes: int
    datastore: str
    datastore_name: str
    serial: str

    @property
    def amount(self) -> float:
        return float(self.size_bytes)

    def touches(self, device: Device) -> list[Touched]:
        return [*super().touches(device), *volume(self.serial, self.datastore_name, alone=False)]

    @property
    def room(self) -> Room | None:
        return None if self.thin else Room(self.datastore, self.returned_bytes)

    def _is_thin(self, run: StepRun[Nothing]) -> bool:
        found = self.the_disk(run)
        demand(found is not None, "disk_missing", f"{self.name} is no longer there.")
        return bool((found or {})["thin"])

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if self._is_thin(run) == self.thin:
            return Progress(True)
        monitor = find_work(run.session, run.key)
        if not monitor:
            which = {"Machine": self.machine, "Disk": self.disk, "Thin": self.thin}
            _status, _body, monitor = host.act(run.session, "ProvisionDisk", Key=run.key, **which)
        return Progress(False, task_uri=monitor)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        is_so = self._is_thin(run) == self.thin
        demand(is_so, "not_provisioned", f"{self.name} still takes {'its whole size' if self.thin else 'less'}.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        values: dict[str, Any] = {**dict(self), "thin": not self.thin}
        what = "its whole size" if self.thin else "only what was written"
        return ProvisionDisk(**values).on("", f"Have {self.name} take {what} again", f"on {self.datastore_name}")
