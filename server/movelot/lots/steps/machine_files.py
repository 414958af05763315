"""The step that has a machine's own files on another datastore."""

from __future__ import annotations

from typing import Any

from movelot.devices import host
from movelot.inventory.models import Device
from movelot.lots.steps.base import Progress, StepRun, StepSpec, demand
from movelot.lots.steps.on_machine import OnMachine
from movelot.lots.steps.touches import Touched, volume
from movelot.lots.steps.values import Nothing


class MoveFiles(OnMachine[Nothing]):
    """From ``source`` to ``target`` (identities of datastores), while the machine runs; its disks stay."""

    kind = "move_files"
    proof = "the machine's own files are on the target datastore"

    source: str
    source_name: str
    source_serial: str
    target: str
    target_name: str
    target_serial: str

    def touches(self, device: Device) -> list[Touched]:
        stores = volume(self.source_serial, self.source_name, alone=False)
        return [*super().touches(device), *stores, *volume(self.target_serial, self.target_name, alone=False)]

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        home = self.found(run)["home"]
        demand(
            home in (self.source, self.target),
            "files_elsewhere",
            f"The files of {self.machine} are no longer on {self.source_name}.",
            hint="Draft the lot again from a fresh reading.",
        )
        if home != self.target:
            host.act(run.session, "MoveFiles", Machine=self.machine, Target=self.target)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        home = self.found(run)["home"]
        demand(home == self.target, "not_moved", f"The files of {self.machine} are not on {self.target_name}.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        ends = {"source": self.target, "source_name": self.target_name, "source_serial": self.target_serial}
        ends |= {"target": self.source, "target_name": self.source_name, "target_serial": self.source_serial}
        values: dict[str, Any] = {**dict(self), **ends}
        return MoveFiles(**values).on("", f"Move the files of {self.machine} back to {self.source_name}")


class DeleteSwap(OnMachine[Nothing]):
    """Of a machine that is off, what it left of its memory; its host makes it anew when the machine is switched on."""

    kind = "delete_swap"
    proof = "the machine has no swap left"
    reversible = False

    swap_bytes: int

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found = self.found(run)
        if found["swap_bytes"]:
            off = found["power"] == "Off"
            demand(off, "machine_on", f"{self.machine} is on by now and uses its swap.", "It stays as it is.")
            host.act(run.session, "DeleteSwap", Machine=self.machine)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        found = self.found(run)
        gone = found["power"] != "Off" or not found["swap_bytes"]
        demand(gone, "not_deleted", f"{self.machine} still has its swap.")

    def undo(self, result: Nothing) -> None:
        return None
