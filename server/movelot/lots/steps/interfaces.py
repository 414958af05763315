"""Steps on a host's storage interfaces: make one, take it away again."""

from __future__ import annotations

from movelot.devices import host
from movelot.devices.errors import DeviceGone
from movelot.devices.session import DeviceSession
from movelot.inventory.readings import Row
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, Values, demand


class CreateInterface(StepKind):
    """Params: interface (name), protocol, network (address with prefix length), vlan, frame_bytes, uplinks."""

    name = "create_interface"
    proof = "the host lists the interface with this address"

    def begin(self, run: StepRun) -> Progress:
        found = _interface(run.session, run.params["interface"])
        if found is None:
            host.add_interface(run.session, {**run.params, "name": run.params["interface"]})
            return Progress(True)
        message = f"{run.session.name} has an interface {found['name']} with {found['network']} already."
        demand(found["network"] == run.params["network"], "name_taken", message, hint="Draft the lot again.")
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        found = _interface(run.session, run.params["interface"])
        message = f"{run.session.name} lists no interface {run.params['interface']}."
        demand(found is not None, "no_interface", message)
        network = (found or {})["network"]
        demand(network == run.params["network"], "other_address", f"The interface has {network}.", "It stays.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        title = f"Take interface {params['interface']} away"
        return StepSpec(DropInterface.name, "", title, params["network"], {**params}, last=True)


class DropInterface(StepKind):
    """Params as CreateInterface. The host refuses while it is the only way to something mounted."""

    name = "drop_interface"
    proof = "the host no longer lists the interface"

    def begin(self, run: StepRun) -> Progress:
        found = _interface(run.session, run.params["interface"])
        if found is not None:
            message = f"{run.params['interface']} was given {found['network']} meanwhile."
            demand(found["network"] == run.params["network"], "other_address", message)
            run.session.delete(found["uri"], found["etag"])
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        left = _interface(run.session, run.params["interface"])
        demand(left is None, "still_there", f"{run.session.name} still has {run.params['interface']}.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        title = f"Make interface {params['interface']} again"
        return StepSpec(CreateInterface.name, "", title, params["network"], {**params})


def _interface(session: DeviceSession, name: str) -> Row | None:
    """The interface as it is now; None if there is none."""
    try:
        return host.find_interface(session, name)
    except DeviceGone:
        return None
