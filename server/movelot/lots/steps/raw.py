"""Steps that give a volume to a machine as it is, and take it back. Nothing is ever formatted on the way."""

from __future__ import annotations

from typing import Any

from movelot.devices import host
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, Values, demand


def _raw(run: StepRun) -> dict[str, Any] | None:
    return host.find_raw(run.session, run.params["machine"], run.params["serial"])


class GiveVolume(StepKind):
    """Params: machine, serial, name (the volume's), shared. The host refuses one that carries a datastore."""

    name = "give_volume"
    proof = "the machine lists the volume among its disks"

    def begin(self, run: StepRun) -> Progress:
        if _raw(run) is None:
            body = {"Machine": run.params["machine"], "Serial": run.params["serial"], "Shared": run.params["shared"]}
            host.act(run.session, "GiveVolume", **body)
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        found, machine = _raw(run), run.params["machine"]
        demand(found is not None, "not_given", f"{machine} does not list {run.params['name']}.")
        shared = bool(found and found["shared"])
        demand(shared == run.params["shared"], "sharing_differs", f"{machine} has it {'' if shared else 'un'}shared.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        title = f"Take {params['name']} from {params['machine']}"
        return StepSpec(TakeVolume.name, "", title, "only while the machine is off", params)


class TakeVolume(StepKind):
    """Params: machine, serial, name, shared. The host refuses while the machine is on; what is on it stays."""

    name = "take_volume"
    proof = "the machine no longer lists the volume"

    def begin(self, run: StepRun) -> Progress:
        if _raw(run) is not None:
            host.act(run.session, "TakeVolume", Machine=run.params["machine"], Serial=run.params["serial"])
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        demand(_raw(run) is None, "still_given", f"{run.params['machine']} still lists {run.params['name']}.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(GiveVolume.name, "", f"Give {params['name']} to {params['machine']} again", "", params)
