"""Steps that make machines, delete them, and let them go to another host."""

from __future__ import annotations

from typing import Any

from movelot.devices import host
from movelot.inventory.models import Device
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.on_machine import OnMachine
from movelot.lots.steps.touches import Touched
from movelot.lots.steps.values import Nothing, Result


class MachineMade(Result):
    """The UUID of the machine."""

    identity: str


class MakeMachine(StepKind[MachineMade]):
    """A machine without disks, off; ``home`` is the identity of the datastore that holds its own files."""

    kind = "make_machine"
    proof = "the host lists the machine, and it is off"

    machine: str
    processors: int
    memory_bytes: int
    home: str

    def touches(self, device: Device) -> list[Touched]:
        return [Touched("machine name", self.machine, self.machine)]

    def begin(self, run: StepRun[MachineMade]) -> Progress[MachineMade]:
        found = host.find_machine(run.session, self.machine)
        if found is None:
            body = {"Processors": self.processors, "MemoryBytes": self.memory_bytes, "Home": self.home}
            host.act(run.session, "MakeMachine", Name=self.machine, Key=run.key, **body)
            found = host.find_machine(run.session, self.machine)
        demand(
            found is not None and found["key"] == run.key,
            "name_taken",
            f"{run.session.name} runs another machine named {self.machine}.",
            hint="Choose another name.",
        )
        return Progress(True, MachineMade(identity=(found or {})["identity"]))

    def verify(self, run: StepRun[MachineMade], result: MachineMade) -> None:
        found = host.find_machine(run.session, self.machine) or {}
        demand(found.get("identity") == result.identity, "not_made", f"{self.machine} is not there.")

    def undo(self, result: MachineMade) -> StepSpec[Any]:
        delete = DeleteMachine(machine=self.machine, identity=result.identity)
        return delete.on("", f"Delete {self.machine}", "made by this lot")


class DeleteMachine(OnMachine[Nothing]):
    """The host refuses one that is on; its disks and snapshots go with it."""

    kind = "delete_machine"
    proof = "the host no longer lists the machine"
    reversible = False

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if self.listed(run) is not None:
            host.act(run.session, "DeleteMachine", Machine=self.machine)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        demand(self.listed(run) is None, "not_deleted", f"{run.session.name} still lists {self.machine}.")

    def undo(self, result: Nothing) -> None:
        return None


class MigrateMachine(OnMachine[Nothing]):
    """From the host that runs it to ``target``, which mounts all that it lies on; the machine runs on meanwhile."""

    kind = "migrate_machine"
    proof = "the other host lists the machine"

    source: str
    target: str

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if self.listed(run) is not None:
            host.act(run.session, "MigrateMachine", Machine=self.machine, Target=self.target)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        demand(self.listed(run) is None, "not_gone", f"{self.source} still runs {self.machine}.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        values: dict[str, Any] = {**dict(self), "source": self.target, "target": self.source}
        back = MigrateMachine(**values)
        return back.on(self.target, f"Let {self.machine} go back to {self.source}", f"from {self.target}")


class SeeMachine(OnMachine[Nothing]):
    """Proves on the host ``there`` that it runs the machine, which came from ``source``; changes nothing.

    With it both hosts are read once the lot has ended: read alone, the one that let it go would tell that it is gone.
    """

    kind = "see_machine"
    proof = "the host lists the machine"

    source: str
    there: str

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        self.found(run)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        self.found(run)

    def undo(self, result: Nothing) -> StepSpec[Any]:
        values: dict[str, Any] = {**dict(self), "source": self.there, "there": self.source}
        return SeeMachine(**values).on(self.source, f"See that {self.source} runs {self.machine} again", last=True)
