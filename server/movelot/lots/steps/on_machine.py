"""What steps on a machine have in common: they find it by its name on its host, and make sure it is that one."""

from __future__ import annotations

from typing import TypeVar

from movelot.devices import host
from movelot.inventory.models import Device
from movelot.inventory.readings import Row
from movelot.lots.steps.base import StepKind, StepRun, demand
from movelot.lots.steps.touches import Touched
from movelot.lots.steps.values import Later, Result

R = TypeVar("R", bound=Result)


class OnMachine(StepKind[R]):
    """A step on the machine named ``machine`` whose UUID is ``identity``, on the host that runs it."""

    changes_sets = True

    machine: str
    identity: Later[str]

    def listed(self, run: StepRun[R]) -> Row | None:
        """The machine as its host lists it now; None where it is not there, or another one has its name."""
        found = host.find_machine(run.session, self.machine)
        return found if found and found["identity"] == self.identity else None

    def found(self, run: StepRun[R]) -> Row:
        """The machine as its host lists it now; StepProblem where that does not run it."""
        found = self.listed(run)
        demand(
            found is not None,
            "machine_missing",
            f"{run.session.name} does not run {self.machine} any more.",
            hint="Draft the lot again from a fresh reading.",
        )
        return found or {}

    def touches(self, device: Device) -> list[Touched]:
        return [Touched("machine", self.identity, self.machine)] if isinstance(self.identity, str) else []
