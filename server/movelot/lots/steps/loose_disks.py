"""Steps on disks that no machine has."""

from __future__ import annotations

from movelot.devices import host
from movelot.devices.errors import DeviceGone
from movelot.inventory.models import Device
from movelot.inventory.readings import Row
from movelot.lots.steps.base import Progress, StepKind, StepRun, demand
from movelot.lots.steps.touches import Touched
from movelot.lots.steps.values import Nothing


class DeleteLooseDisk(StepKind[Nothing]):
    """Deletes a disk that no machine has, unless it was written to since ``last_written`` (ISO): then it is in use."""

    kind = "delete_loose_disk"
    proof = "the host no longer lists the disk"
    reversible = False

    identity: str
    name: str
    datastore: str
    datastore_name: str
    last_written: str

    def touches(self, device: Device) -> list[Touched]:
        return [Touched("disk", self.identity, self.name), Touched("datastore", self.datastore, self.datastore_name)]

    def _found(self, run: StepRun[Nothing]) -> Row | None:
        try:
            return host.find_loose_disk(run.session, self.datastore, self.identity)
        except DeviceGone:
            demand(False, "store_missing", f"{run.session.name} does not mount {self.datastore_name}.")
            raise

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found = self._found(run)
        if found is not None:
            written = found["last_written_at"].isoformat() if found["last_written_at"] else ""
            message = f"{self.name} was written to since the lot was drafted: something uses it."
            demand(written == self.last_written, "disk_used", message, hint="Find out what it belongs to.")
            host.act(run.session, "DeleteLooseDisk", Disk=self.identity)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        demand(self._found(run) is None, "not_deleted", f"{run.session.name} still lists {self.name}.")

    def undo(self, result: Nothing) -> None:
        return None
