"""Steps that keep a machine as it is, bring it back to how it was, and let go what was kept."""

from __future__ import annotations

from typing import Any

from movelot.devices import host
from movelot.devices.work import find_work
from movelot.inventory.readings import Row
from movelot.lots.steps.base import Progress, StepRun, StepSpec, demand
from movelot.lots.steps.on_machine import OnMachine
from movelot.lots.steps.values import Nothing


class TakeSnapshot(OnMachine[Nothing]):
    """Of all disks of the machine, or of those named in ``disks`` by what their host knows them by.

    What it holds lies on ``datastore`` (an identity); beside each disk where that is empty.
    """

    kind = "take_snapshot"
    proof = "the machine lists the snapshot"

    name: str
    disks: list[str]
    datastore: str = ""

    def _taken(self, run: StepRun[Nothing]) -> Row | None:
        return next((each for each in self.found(run)["snapshots"] if each["name"] == self.name), None)

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        taken = self._taken(run)
        if taken is None:
            where = {"Datastore": self.datastore} if self.datastore else {}
            of = {"Machine": self.machine, "Name": self.name, "Disks": self.disks}
            host.act(run.session, "TakeSnapshot", Key=run.key, **of, **where)
        else:
            message = f"{self.machine} has another snapshot named {self.name}."
            demand(taken["key"] == run.key, "name_taken", message, hint="Choose another name.")
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        taken = self._taken(run)
        demand(taken is not None, "not_taken", f"{self.machine} has no snapshot {self.name}.")
        place = (taken or {})["place"]
        demand(place == self.datastore, "kept_elsewhere", f"{self.name} is kept elsewhere than was asked for.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        merge = MergeSnapshot(machine=self.machine, identity=self.identity, name=self.name)
        return merge.on("", f"Merge snapshot {self.name} of {self.machine}", "taken by this lot")


class MergeSnapshot(OnMachine[Nothing]):
    """What it holds goes into what follows it, while the machine runs; there is no way back to it then."""

    kind = "merge_snapshot"
    proof = "the machine no longer lists the snapshot"
    reversible = False

    name: str

    def _there(self, run: StepRun[Nothing]) -> bool:
        return any(each["name"] == self.name for each in self.found(run)["snapshots"])

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if not self._there(run):
            return Progress(True)
        monitor = find_work(run.session, run.key)
        if not monitor:
            _status, _body, monitor = host.act(
                run.session, "MergeSnapshot", Machine=self.machine, Snapshot=self.name, Key=run.key
            )
        return Progress(False, task_uri=monitor)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        demand(not self._there(run), "not_merged", f"{self.machine} still has the snapshot {self.name}.")

    def undo(self, result: Nothing) -> None:
        return None


class GoBack(OnMachine[Nothing]):
    """Make a machine that is off what it was at the snapshot ``wanted``; it goes on from ``before`` now."""

    kind = "go_back"
    proof = "the machine goes on from the snapshot"

    wanted: str
    before: str

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        standing = self.found(run)["standing"]
        demand(
            standing in (self.wanted, self.before),
            "standing_changed",
            f"{self.machine} goes on from another snapshot by now.",
            hint="Draft the lot again from a fresh reading.",
        )
        if standing != self.wanted:
            host.act(run.session, "GoBack", Machine=self.machine, Snapshot=self.wanted)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        standing = self.found(run)["standing"]
        demand(standing == self.wanted, "not_back", f"{self.machine} goes on from {standing or 'none'}.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        values: dict[str, Any] = {**dict(self), "wanted": self.before, "before": self.wanted}
        return GoBack(**values).on("", f"Bring {self.machine} back to {self.before}")
