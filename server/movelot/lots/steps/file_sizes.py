"""Steps that make a file system larger or smaller, and see its new size on the hosts that mount its export."""

from __future__ import annotations

from abc import abstractmethod
from typing import Any

from movelot.devices import file_systems, host
from movelot.devices.session import Resource
from movelot.inventory.models import Device
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.touches import Touched, volume
from movelot.lots.steps.values import Nothing
from movelot_core.units import format_size


class Resized(StepKind[Nothing]):
    """Something of a file array gets ``size_bytes`` where it has ``before_bytes``; the array cuts off nothing in it."""

    uri: str
    name: str
    serial: str
    before_bytes: int
    size_bytes: int

    def touches(self, device: Device) -> list[Touched]:
        return volume(self.serial, self.name)

    @abstractmethod
    def size_of(self, found: Resource) -> int:
        """Its size, by what was just read of it."""

    @abstractmethod
    def give(self, run: StepRun[Nothing], found: Resource) -> None:
        """Have the array give it the size."""

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found = run.session.get(self.uri)
        size = self.size_of(found)
        if size != self.size_bytes:
            message = f"{self.name} has {format_size(size)} now, not {format_size(self.before_bytes)}."
            demand(size == self.before_bytes, "size_differs", message, hint="Draft the lot again from a fresh reading.")
            self.give(run, found)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        size = self.size_of(run.session.get(self.uri))
        demand(size == self.size_bytes, "not_resized", f"{self.name} has {format_size(size)}.", "It stays so.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        values: dict[str, Any] = {**dict(self), "before_bytes": self.size_bytes, "size_bytes": self.before_bytes}
        title = f"Give {self.name} its {format_size(self.before_bytes)} again"
        return type(self)(**values).on("", title, "only if what is in it fits")


class ResizeFileSystem(Resized):
    """A file system."""

    kind = "resize_file_system"
    proof = "the array lists the file system with this size"

    def size_of(self, found: Resource) -> int:
        return int(file_systems.file_system_row(found)["size_bytes"])

    def give(self, run: StepRun[Nothing], found: Resource) -> None:
        file_systems.resize(run.session, found, self.size_bytes)


class SetQuota(Resized):
    """What clients of an export get of its file system at most."""

    kind = "set_quota"
    proof = "the array lists the export with this quota"

    def size_of(self, found: Resource) -> int:
        return file_systems.quota_of(found) or 0

    def give(self, run: StepRun[Nothing], found: Resource) -> None:
        file_systems.set_quota(run.session, found, self.size_bytes)


class SeeExport(StepKind[Nothing]):
    """Looks on a host whether an export is as large as its file system now; changes nothing."""

    kind = "see_export"
    proof = "the host lists the datastore with this size"

    serial: str
    name: str
    before_bytes: int
    size_bytes: int

    def touches(self, device: Device) -> list[Touched]:
        return volume(self.serial, self.name)

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        found = host.find_datastore(run.session, self.serial)
        demand(found is not None, "store_missing", f"{run.session.name} does not mount {self.name}.")
        size = int((found or {})["capacity_bytes"])
        message = f"{run.session.name} sees {format_size(size)} of {self.name}."
        demand(size == self.size_bytes, "size_not_seen", message, "The file system stays as it is.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        values: dict[str, Any] = {**dict(self), "before_bytes": self.size_bytes, "size_bytes": self.before_bytes}
        return SeeExport(**values).on("", f"See {format_size(self.before_bytes)} of {self.name} again", last=True)
