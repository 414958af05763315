"""Steps that make a volume larger, have hosts see it, and let its datastore have the room."""

from __future__ import annotations

from movelot.devices import array, host
from movelot.inventory.models import Device
from movelot.lots.steps.base import Progress, StepKind, StepRun, demand
from movelot.lots.steps.touches import Touched, volume
from movelot.lots.steps.values import Nothing
from movelot_core.units import format_size


class GrowVolume(StepKind[Nothing]):
    """By the array, from ``before_bytes``; nothing makes a volume smaller again."""

    kind = "grow_volume"
    proof = "the array lists the volume with this size"
    reversible = False

    uri: str
    name: str
    serial: str
    before_bytes: int
    size_bytes: int

    def touches(self, device: Device) -> list[Touched]:
        return volume(self.serial, self.name)

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found = run.session.get(self.uri)
        size = array.volume_row(found)["size_bytes"]
        if size != self.size_bytes:
            message = f"{self.name} is {format_size(size)} now, not {format_size(self.before_bytes)}."
            demand(size == self.before_bytes, "size_differs", message, hint="Draft the lot again from a fresh reading.")
            run.session.patch(self.uri, {"CapacityBytes": self.size_bytes}, str(found.get("@odata.etag", "")))
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        size = array.volume_row(run.session.get(self.uri))["size_bytes"]
        demand(size == self.size_bytes, "not_grown", f"{self.name} is {format_size(size)}.", "It stays so.")

    def undo(self, result: Nothing) -> None:
        return None


class SeeSize(StepKind[Nothing]):
    """Have a host see that a device is as large as its volume: it scans where it does not yet."""

    kind = "see_size"
    proof = "the host lists the device with this size"

    serial: str
    name: str
    size_bytes: int

    def _size(self, run: StepRun[Nothing]) -> int:
        found = host.find_device(run.session, self.serial)
        demand(found is not None, "device_missing", f"{run.session.name} does not see {self.name}.")
        return int((found or {})["size_bytes"])

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if self._size(run) >= self.size_bytes:
            return Progress(True)
        _status, _body, monitor = host.act(run.session, "Scan", Key=run.key)
        return Progress(False, task_uri=monitor)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        size = self._size(run)
        message = f"{run.session.name} sees {format_size(size)} of {self.name}."
        demand(size >= self.size_bytes, "size_not_seen", message, "The volume stays as it is.", "Check its paths.")

    def undo(self, result: Nothing) -> None:
        return None


class GrowDatastore(StepKind[Nothing]):
    """By one host that mounts it, into all of its device; machines run on. Nothing makes it smaller again."""

    kind = "grow_datastore"
    proof = "the host lists the datastore with more room"
    reversible = False

    serial: str
    name: str
    before_bytes: int

    def touches(self, device: Device) -> list[Touched]:
        return volume(self.serial, self.name)

    def _capacity(self, run: StepRun[Nothing]) -> int:
        found = host.find_datastore(run.session, self.serial)
        demand(found is not None, "store_missing", f"{run.session.name} does not mount {self.name}.")
        return int((found or {})["capacity_bytes"])

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if self._capacity(run) <= self.before_bytes:
            host.act(run.session, "GrowDatastore", Serial=self.serial)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        message = f"{self.name} is as large as before."
        demand(self._capacity(run) > self.before_bytes, "not_grown", message, "Its volume stays as it is.")

    def undo(self, result: Nothing) -> None:
        return None
