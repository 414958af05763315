"""Steps that switch machines on and off."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from movelot.devices import host
from movelot.devices.work import find_work, last_work, work_at
from movelot.lots.steps.base import Progress, StepRun, StepSpec, demand
from movelot.lots.steps.on_machine import OnMachine
from movelot.lots.steps.values import Nothing, Result


class PowerOn(OnMachine[Nothing]):
    """The host refuses where it does not mount what the machine lies on, or there is no room for its swap."""

    kind = "power_on"
    proof = "the host says that the machine is on"

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if self.found(run)["power"] != "On":
            host.act(run.session, "PowerOn", Machine=self.machine)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        demand(self.found(run)["power"] == "On", "not_on", f"{self.machine} is not on.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        off = PowerOff(machine=self.machine, identity=self.identity)
        return off.on("", f"Switch {self.machine} off", "its guest is asked first")


class PoweredOff(Result):
    """Whether it was switched off without its guest, as that did not answer."""

    forced: bool


class PowerOff(OnMachine[PoweredOff]):
    """The guest is asked to shut down; one that does not, in the time that the host gives it, is switched off hard."""

    kind = "power_off"
    proof = "the host says that the machine is off"
    piecewise = True

    def begin(self, run: StepRun[PoweredOff]) -> Progress[PoweredOff]:
        if self.found(run)["power"] != "On":
            return Progress(True, PoweredOff(forced=self._unheard(run)))
        if self._unheard(run):
            return self._forced(run)
        monitor = find_work(run.session, run.key)
        if not monitor:
            _status, _body, monitor = host.act(run.session, "ShutDown", Machine=self.machine, Key=run.key)
        return Progress(False, task_uri=monitor)

    def follow(self, run: StepRun[PoweredOff]) -> Progress[PoweredOff]:
        work = work_at(run.session, run.task_uri)
        if work.running:
            return Progress(False, task_uri=run.task_uri, work=work)
        done = Progress(True, PoweredOff(forced=False)) if work.ended_well else self._forced(run)
        return replace(done, task_uri=run.task_uri, work=work)

    def _unheard(self, run: StepRun[PoweredOff]) -> bool:
        """Whether the guest was asked by this step, and did not answer."""
        work = last_work(run.session, run.key)
        return work is not None and not work.running and not work.ended_well

    def _forced(self, run: StepRun[PoweredOff]) -> Progress[PoweredOff]:
        host.act(run.session, "PowerOff", Machine=self.machine)
        return Progress(True, PoweredOff(forced=True))

    def verify(self, run: StepRun[PoweredOff], result: PoweredOff) -> None:
        demand(self.found(run)["power"] != "On", "not_off", f"{self.machine} is still on.")

    def undo(self, result: PoweredOff) -> StepSpec[Any]:
        on = PowerOn(machine=self.machine, identity=self.identity)
        return on.on("", f"Switch {self.machine} on again")
