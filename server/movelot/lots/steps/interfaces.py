"""Steps on a host's storage interfaces: make one, take it away again."""

from __future__ import annotations

from typing import Any

from movelot.devices import host
from movelot.devices.errors import DeviceGone
from movelot.inventory.readings import Row
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.values import Nothing


class StorageInterface(StepKind[Nothing]):
    """An interface by its name; ``network`` is its address with prefix length."""

    interface: str
    protocol: str
    network: str
    vlan: int
    frame_bytes: int
    uplinks: list[str]

    def found(self, run: StepRun[Nothing]) -> Row | None:
        """The interface as it is now; None if there is none."""
        try:
            return host.find_interface(run.session, self.interface)
        except DeviceGone:
            return None


class CreateInterface(StorageInterface):
    """Make an interface that the host lacks."""

    kind = "create_interface"
    proof = "the host lists the interface with this address"

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found = self.found(run)
        if found is None:
            host.add_interface(run.session, {**dict(self), "name": self.interface})
            return Progress(True)
        message = f"{run.session.name} has an interface {found['name']} with {found['network']} already."
        demand(found["network"] == self.network, "name_taken", message, hint="Draft the lot again.")
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        found = self.found(run)
        demand(found is not None, "no_interface", f"{run.session.name} lists no interface {self.interface}.")
        network = (found or {})["network"]
        demand(network == self.network, "other_address", f"The interface has {network}.", "It stays.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        drop = DropInterface(**dict(self))
        return drop.on("", f"Take interface {self.interface} away", self.network, last=True)


class DropInterface(StorageInterface):
    """The host refuses while it is the only way to something mounted."""

    kind = "drop_interface"
    proof = "the host no longer lists the interface"

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found = self.found(run)
        if found is not None:
            message = f"{self.interface} was given {found['network']} meanwhile."
            demand(found["network"] == self.network, "other_address", message)
            run.session.delete(found["uri"], found["etag"])
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        demand(self.found(run) is None, "still_there", f"{run.session.name} still has {self.interface}.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return CreateInterface(**dict(self)).on("", f"Make interface {self.interface} again", self.network)
