"""The step that sets where a host puts new machines."""

from __future__ import annotations

from movelot.devices import host
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, Values, demand


class SetDefaultStore(StepKind):
    """Params: wanted and before, each a datastore's identity or empty for none, and name of the wanted one."""

    name = "set_default_store"
    proof = "the host names this datastore as its default"

    def begin(self, run: StepRun) -> Progress:
        now, wanted = host.default_store(run.session), run.params["wanted"]
        demand(
            now in (wanted, run.params["before"]),
            "default_changed",
            f"{run.session.name} was given another default meanwhile.",
            hint="Draft the lot again from a fresh reading.",
        )
        if now != wanted:
            host.act(run.session, "SetDefaultDatastore", Identity=wanted)
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        now = host.default_store(run.session)
        demand(now == run.params["wanted"], "default_differs", f"{run.session.name} has another default.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        swapped = {**params, "wanted": params["before"], "before": params["wanted"]}
        return StepSpec(self.name, "", "Set the former default again", params["before"] or "none", swapped)
