"""Steps on volume sets: make and delete one, mount it on a host. They are offered and unmounted as volumes are."""

from __future__ import annotations

from movelot.devices import host, sets
from movelot.devices.set_rows import set_row
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, Values, demand
from movelot.lots.steps.deleting import DeleteNamed
from movelot.lots.steps.hosts import Unmount
from movelot.lots.steps.volumes import demand_unoffered


class CreateVolumeSet(StepKind):
    """Params: name, pool_uri. Result: uri, serial."""

    name = "create_volume_set"
    proof = "the array lists the volume set in this pool"

    def begin(self, run: StepRun) -> Progress:
        found = sets.find_set(run.session, run.params["name"])
        if found:
            row, description = found
            message = f"A volume set named {run.params['name']} exists already and is not ours."
            demand(description == run.key, "name_taken", message, hint="Choose another name.")
        else:
            row = sets.create_set(run.session, run.params["name"], run.params["pool_uri"], run.key)
        return Progress(True, {"uri": row["uri"], "serial": row["serial"]})

    def verify(self, run: StepRun) -> None:
        row = set_row(run.session.get(run.result["uri"]))
        pool = row["pool_uri"].rsplit("/", 1)[1]
        demand(row["pool_uri"] == run.params["pool_uri"], "pool_differs", f"The volume set is in {pool}.", "It stays.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        title = f"Delete volume set {params['name']}"
        detail = "only if it holds no volume and lets no host in"
        return StepSpec(DeleteVolumeSet.name, "", title, detail, {"uri": result["uri"], "name": params["name"]})


class DeleteVolumeSet(DeleteNamed):
    """Params: uri, name. The array refuses while it holds a volume or lets a host in."""

    name = "delete_volume_set"
    proof = "the array no longer lists the volume set"
    noun = "volume set"

    def is_there(self, run: StepRun) -> bool:
        return sets.find_set(run.session, run.params["name"]) is not None

    def allow(self, run: StepRun) -> None:
        demand_unoffered(run)


class MountSet(StepKind):
    """Params: serial, name. Result: identity."""

    name = "mount_set"
    proof = "the host lists the datastore and its access points"

    def begin(self, run: StepRun) -> Progress:
        row = sets.mount_set(run.session, run.params["serial"], run.params["name"])
        return Progress(True, {"identity": row["identity"]})

    def verify(self, run: StepRun) -> None:
        found = host.find_datastore(run.session, run.params["serial"])
        demand(found is not None, "not_mounted", f"{run.session.name} does not list the datastore.")
        ways = (found or {})["mount"]["ways"]
        demand(bool(ways), "no_access_point", f"{run.session.name} reaches no access point.", "It stays mounted.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(Unmount.name, "", f"Unmount {params['name']}", "", {**params})
