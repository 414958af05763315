"""The step that moves a virtual disk to another datastore while its machine runs."""

from __future__ import annotations

from movelot.devices import host
from movelot.devices.work import find_work
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, Values, demand
from movelot_core.units import format_size


class MoveDisk(StepKind):
    """Params: disk, machine, name, size_bytes, source, target (identities), target_serial, target_name, source_name,
    source_serial. The disk must be at its source, and the target must have room right before."""

    name = "move_disk"
    proof = "the disk is on the target datastore and its machine still runs"

    def begin(self, run: StepRun) -> Progress:
        found = host.find_disk(run.session, run.params["machine"], run.params["disk"])
        demand(found is not None, "disk_missing", f"{run.params['name']} is no longer there.")
        place = (found or {})["datastore"]
        if place == run.params["target"]:
            return Progress(True)
        demand(
            place == run.params["source"],
            "disk_elsewhere",
            f"{run.params['name']} is no longer on {run.params['source_name']}.",
            hint="Draft the lot again from a fresh reading.",
        )
        monitor = find_work(run.session, run.key)
        if not monitor:
            self._require_room(run)
            _status, _body, monitor = host.act(
                run.session, "MoveDisk", Disk=run.params["disk"], Target=run.params["target"], Key=run.key
            )
        return Progress(False, {}, monitor)

    def _require_room(self, run: StepRun) -> None:
        target = host.find_datastore(run.session, run.params["target_serial"])
        demand(target is not None, "target_away", f"{run.session.name} does not mount {run.params['target_name']}.")
        free = (target or {})["free_bytes"]
        demand(
            free >= run.params["size_bytes"],
            "target_full",
            f"{run.params['target_name']} has {format_size(free)} free; "
            f"{run.params['name']} needs {format_size(run.params['size_bytes'])}.",
            f"{run.params['name']} stays on {run.params['source_name']}.",
            "Plan the group again, or free space on the target.",
        )

    def verify(self, run: StepRun) -> None:
        found = host.find_disk(run.session, run.params["machine"], run.params["disk"]) or {}
        demand(
            found.get("datastore") == run.params["target"],
            "not_moved",
            f"{run.params['name']} is not on {run.params['target_name']}.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        back = {
            **params,
            **{
                f"{end}{part}": params[f"{other}{part}"]
                for end, other in (("source", "target"), ("target", "source"))
                for part in ("", "_name", "_serial")
            },
        }
        return StepSpec(
            self.name, "", f"Move {params['name']} back", f"{params['target_name']} → {params['source_name']}", back
        )
