"""Steps that give a volume to a machine as it is, and take it back. Nothing is ever formatted on the way."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any, Self

from movelot.devices import host
from movelot.inventory.models import Device, Machine
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.touches import Touched, volume
from movelot.lots.steps.values import Later, Nothing


class RawVolume(StepKind[Nothing]):
    """A volume of a machine; ``name`` is the volume's, ``shared`` whether other machines may have it too."""

    machine: str
    serial: Later[str]
    name: str
    shared: bool

    def found(self, run: StepRun[Nothing]) -> dict[str, Any] | None:
        """The raw disk as the host lists it now."""
        return host.find_raw(run.session, self.machine, self.serial)

    def touches(self, device: Device) -> list[Touched]:
        return volume(self.serial, self.name)


class GiveVolume(RawVolume):
    """The host refuses one that carries a datastore."""

    kind = "give_volume"
    proof = "the machine lists the volume among its disks"

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if self.found(run) is None:
            host.act(run.session, "GiveVolume", Machine=self.machine, Serial=self.serial, Shared=self.shared)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        found = self.found(run)
        demand(found is not None, "not_given", f"{self.machine} does not list {self.name}.")
        shared = bool(found and found["shared"])
        demand(shared == self.shared, "sharing_differs", f"{self.machine} has it {'' if shared else 'un'}shared.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        take = TakeVolume(**dict(self))
        return take.on("", f"Take {self.name} from {self.machine}", "only while the machine is off")


class TakeVolume(RawVolume):
    """The host refuses while the machine is on; what is on it stays."""

    kind = "take_volume"
    proof = "the machine no longer lists the volume"

    @classmethod
    def in_the_way(cls, steps: Sequence[tuple[str, Self]], touched: Collection[str]) -> list[str]:
        machines = Machine.objects.filter(name__in={step.machine for _host, step in steps}, power="On")
        on = set(machines.values_list("placement__host__name", "name"))
        return [
            f"{step.machine} on {host} is on: {step.name} can be taken from it only while it is off."
            for host, step in steps
            if (host, step.machine) in on
        ]

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if self.found(run) is not None:
            host.act(run.session, "TakeVolume", Machine=self.machine, Serial=self.serial)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        demand(self.found(run) is None, "still_given", f"{self.machine} still lists {self.name}.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return GiveVolume(**dict(self)).on("", f"Give {self.name} to {self.machine} again")
