"""Steps on pools of arrays: made larger by drives, and deleted."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Self

from movelot.devices.array import drives_of, find_pool
from movelot.devices.errors import DeviceGone
from movelot.inventory.models import Device, Pool
from movelot.lots.steps.base import Progress, StepKind, StepRun, demand
from movelot.lots.steps.touches import Touched
from movelot.lots.steps.values import Nothing


class AddDrives(StepKind[Nothing]):
    """Have a pool consist of ``drives``, which were ``before``; of those that belong to no pool."""

    kind = "add_drives"
    proof = "the array tells that the pool has this many drives"
    reversible = False

    uri: str
    name: str
    before: int
    drives: int

    def touches(self, device: Device) -> list[Touched]:
        return [Touched("pool", f"{device.name}{self.uri}", self.name)]

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        now = drives_of(run.session, self.uri)
        if now == self.drives:
            return Progress(True)
        message = f"{self.name} has {now} drives now, not {self.before}."
        demand(now == self.before, "other_drives", message, hint="Draft the lot again from a fresh reading.")
        run.session.post(f"{self.uri}/Actions/Oem/Kestrel.AddDrives", {"Drives": self.drives})
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        now = drives_of(run.session, self.uri)
        demand(now == self.drives, "not_added", f"{self.name} has {now} drives, not {self.drives}.")

    def undo(self, result: Nothing) -> None:
        """Data is on them from then on: nothing takes a drive out of a pool again."""


class DeletePool(StepKind[Nothing]):
    """Delete a pool that holds no volume: the array refuses any other. Gone already is done."""

    kind = "delete_pool"
    proof = "the array no longer lists the pool"
    reversible = False

    uri: str
    name: str

    @classmethod
    def in_the_way(cls, steps: Sequence[tuple[str, Self]], touched: Collection[str]) -> list[str]:
        """It was deleted meanwhile, by somebody else."""
        there = set(
            Pool.objects.filter(uri__in={step.uri for _array, step in steps}).values_list("device__name", "uri")
        )
        return [f"Pool {step.name} is no longer on {array}." for array, step in steps if (array, step.uri) not in there]

    def touches(self, device: Device) -> list[Touched]:
        return [Touched("pool", f"{device.name}{self.uri}", self.name)]

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        try:
            current = run.session.get(self.uri)
        except DeviceGone:
            return Progress(True)
        message = f"{self.uri} is now pool {current['Name']}."
        demand(current["Name"] == self.name, "other_pool", message, hint="Draft the lot again from a fresh reading.")
        run.session.delete(self.uri, str(current.get("@odata.etag", "")))
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        demand(find_pool(run.session, self.uri) is None, "still_there", f"Pool {self.name} is still there.")

    def undo(self, result: Nothing) -> None:
        """Nothing makes a pool of the same drives again."""
