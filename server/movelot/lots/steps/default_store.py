"""The step that sets where a host puts new machines."""

from __future__ import annotations

from typing import Any

from movelot.devices import host
from movelot.lots.steps.base import Progress, StepRun, StepSpec, demand
from movelot.lots.steps.swapping import Swap
from movelot.lots.steps.values import Nothing


class SetDefaultStore(Swap):
    """``wanted`` and ``before`` are identities of datastores, empty for none; ``name`` is the wanted one's."""

    kind = "set_default_store"
    proof = "the host names this datastore as its default"

    wanted: str
    before: str
    name: str

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        now = host.default_store(run.session)
        message = f"{run.session.name} was given another default meanwhile."
        self.demand_known(now in (self.wanted, self.before), "default_changed", message)
        if now != self.wanted:
            host.act(run.session, "SetDefaultDatastore", Identity=self.wanted)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        now = host.default_store(run.session)
        demand(now == self.wanted, "default_differs", f"{run.session.name} has another default.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return self.swapped().on("", "Set the former default again", self.before or "none")
