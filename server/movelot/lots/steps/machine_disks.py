"""Steps that give a machine a disk, make one larger, and delete one."""

from __future__ import annotations

from typing import Any, TypeVar

from movelot.devices import host
from movelot.inventory.models import Device
from movelot.inventory.readings import Row
from movelot.lots.steps.base import Progress, StepRun, StepSpec, demand
from movelot.lots.steps.on_machine import OnMachine
from movelot.lots.steps.touches import Room, Touched, volume
from movelot.lots.steps.values import Later, Nothing, Result
from movelot_core.units import format_size

R = TypeVar("R", bound=Result)


class DiskMade(Result):
    """What the host knows the disk by."""

    identity: str


class AddDisk(OnMachine[DiskMade]):
    """An empty disk on a datastore, by its identity; ``serial`` is that of what the datastore lies on.

    ``policy`` is the one, by primary key, that it is given once it is there. A ``thin`` one takes no room yet.
    """

    kind = "add_disk"
    proof = "the machine lists the disk, in its size and place"

    name: str
    size_bytes: int
    datastore: str
    datastore_name: str
    serial: str
    policy: int | None = None
    thin: bool = False

    def touches(self, device: Device) -> list[Touched]:
        return [*super().touches(device), *volume(self.serial, self.datastore_name, alone=False)]

    @property
    def room(self) -> Room:
        return Room(self.datastore, 0 if self.thin else self.size_bytes)

    def _made(self, run: StepRun[DiskMade]) -> Row | None:
        return next((disk for disk in self.found(run)["disks"] if disk["key"] == run.key), None)

    def begin(self, run: StepRun[DiskMade]) -> Progress[DiskMade]:
        made = self._made(run)
        if made is None:
            body = {"Name": self.name, "CapacityBytes": self.size_bytes, "Datastore": self.datastore}
            body |= {"Thin": True} if self.thin else {}
            host.act(run.session, "AddDisk", Machine=self.machine, Key=run.key, **body)
            made = self._made(run)
        demand(made is not None, "not_added", f"{self.machine} does not list {self.name}.")
        return Progress(True, DiskMade(identity=(made or {})["identity"]))

    def verify(self, run: StepRun[DiskMade], result: DiskMade) -> None:
        disks = {disk["identity"]: disk for disk in self.found(run)["disks"]}
        made = disks.get(result.identity, {})
        right = made.get("size_bytes") == self.size_bytes and made.get("datastore") == self.datastore
        demand(right, "not_added", f"{self.machine} does not list {self.name} on {self.datastore_name}.")

    def undo(self, result: DiskMade) -> StepSpec[Any]:
        remove = RemoveDisk(machine=self.machine, identity=self.identity, disk=result.identity, name=self.name)
        return remove.on("", f"Delete {self.name} of {self.machine}", "made by this lot")


class OnDisk(OnMachine[R]):
    """A step on a disk of the machine, by what its host knows it by, and its name."""

    disk: Later[str]
    name: str

    def touches(self, device: Device) -> list[Touched]:
        disks = [Touched("disk", self.disk, self.name)] if isinstance(self.disk, str) else []
        return [*super().touches(device), *disks]

    def the_disk(self, run: StepRun[R]) -> Row | None:
        """The disk as its host lists it now."""
        machine = self.listed(run)
        return next((each for each in (machine or {}).get("disks", []) if each["identity"] == self.disk), None)


class RemoveDisk(OnDisk[Nothing]):
    """The host refuses while the machine is on and the disk is in use; what was on it is lost."""

    kind = "remove_disk"
    proof = "the machine no longer lists the disk"
    reversible = False

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if self.the_disk(run) is not None:
            host.act(run.session, "RemoveDisk", Machine=self.machine, Disk=self.disk)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        demand(self.the_disk(run) is None, "not_removed", f"{self.machine} still lists {self.name}.")

    def undo(self, result: Nothing) -> None:
        return None


class EnlargeDisk(OnDisk[Nothing]):
    """From ``before_bytes`` to ``wanted_bytes``, while its machine runs; nothing makes it smaller again."""

    kind = "enlarge_disk"
    proof = "the machine lists the disk in its new size"
    reversible = False

    before_bytes: int
    wanted_bytes: int
    datastore: str

    @property
    def room(self) -> Room:
        return Room(self.datastore, self.wanted_bytes - self.before_bytes)

    def _size(self, run: StepRun[Nothing]) -> int:
        found = self.the_disk(run)
        demand(found is not None, "disk_missing", f"{self.name} is no longer there.")
        return int((found or {})["size_bytes"])

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        now = self._size(run)
        demand(
            now in (self.before_bytes, self.wanted_bytes),
            "size_changed",
            f"{self.name} has {format_size(now)} by now.",
            hint="Draft the lot again from a fresh reading.",
        )
        if now != self.wanted_bytes:
            host.act(run.session, "EnlargeDisk", Machine=self.machine, Disk=self.disk, CapacityBytes=self.wanted_bytes)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        size = self._size(run)
        demand(size == self.wanted_bytes, "not_enlarged", f"{self.name} has {format_size(size)}.")

    def undo(self, result: Nothing) -> None:
        return None
