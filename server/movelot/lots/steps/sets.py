"""Steps on volume sets: make and delete one, mount it on a host. They are offered and unmounted as volumes are."""

from __future__ import annotations

from typing import Any

from movelot.devices import host, sets
from movelot.devices.set_rows import set_row
from movelot.inventory.models import Device
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.deleting import DeleteNamed
from movelot.lots.steps.hosts import Unmount
from movelot.lots.steps.touches import Touched, datastore_name, volume
from movelot.lots.steps.values import Later, Nothing, Result


class MadeSet(Result):
    uri: str
    serial: str


class CreateVolumeSet(StepKind[MadeSet]):
    """Make a volume set in a pool."""

    kind = "create_volume_set"
    proof = "the array lists the volume set in this pool"

    name: str
    pool_uri: str

    def begin(self, run: StepRun[MadeSet]) -> Progress[MadeSet]:
        found = sets.find_set(run.session, self.name)
        if found:
            row, description = found
            message = f"A volume set named {self.name} exists already and is not ours."
            demand(description == run.key, "name_taken", message, hint="Choose another name.")
        else:
            row = sets.create_set(run.session, self.name, self.pool_uri, run.key)
        return Progress(True, MadeSet(uri=row["uri"], serial=row["serial"]))

    def verify(self, run: StepRun[MadeSet], result: MadeSet) -> None:
        row = set_row(run.session.get(result.uri))
        pool = row["pool_uri"].rsplit("/", 1)[1]
        demand(row["pool_uri"] == self.pool_uri, "pool_differs", f"The volume set is in {pool}.", "It stays.")

    def undo(self, result: MadeSet) -> StepSpec[Any]:
        delete = DeleteVolumeSet(uri=result.uri, name=self.name)
        return delete.on("", f"Delete volume set {self.name}", "only if it holds no volume and lets no host in")


class DeleteVolumeSet(DeleteNamed):
    """The array refuses while it holds a volume or lets a host in."""

    kind = "delete_volume_set"
    proof = "the array no longer lists the volume set"
    noun = "volume set"

    def is_there(self, run: StepRun[Nothing]) -> bool:
        return sets.find_set(run.session, self.name) is not None

    def allow(self, run: StepRun[Nothing]) -> None:
        self.demand_unoffered(run)


class MountedSet(Result):
    identity: str


class MountSet(StepKind[MountedSet]):
    """Mount a volume set on a host through the array's access points."""

    kind = "mount_set"
    proof = "the host lists the datastore and its access points"

    serial: Later[str]
    name: str

    def touches(self, device: Device) -> list[Touched]:
        return [*volume(self.serial, self.name, alone=False), datastore_name(device, self.name)]

    def begin(self, run: StepRun[MountedSet]) -> Progress[MountedSet]:
        row = host.find_datastore(run.session, self.serial) or sets.mount_set(run.session, self.serial, self.name)
        return Progress(True, MountedSet(identity=row["identity"]))

    def verify(self, run: StepRun[MountedSet], result: MountedSet) -> None:
        found = host.find_datastore(run.session, self.serial)
        demand(found is not None, "not_mounted", f"{run.session.name} does not list the datastore.")
        ways = (found or {})["mount"]["ways"]
        demand(bool(ways), "no_access_point", f"{run.session.name} reaches no access point.", "It stays mounted.")

    def undo(self, result: MountedSet) -> StepSpec[Any]:
        return UnmountSet(serial=self.serial, name=self.name).on("", f"Unmount {self.name}")


class UnmountSet(Unmount):
    """As any other datastore is unmounted; it comes back through the array's access points."""

    kind = "unmount_set"

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return MountSet(serial=self.serial, name=self.name).on("", f"Mount {self.name} again")
