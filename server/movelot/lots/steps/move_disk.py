"""The step that moves a virtual disk to another datastore while its machine runs."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any, Self

from movelot.devices import host
from movelot.devices.work import find_work
from movelot.inventory.models import Datastore, Device, Disk, Volume
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.touches import Room, Touched, volume
from movelot.lots.steps.values import Nothing
from movelot_core.units import format_size


def between(source: Datastore, target: Datastore) -> dict[str, str]:
    """The fields of a step that say between which datastores something goes; their serials are empty for none."""
    found: dict[str, str] = {}
    for end, store in (("source", source), ("target", target)):
        found |= {end: store.identity, f"{end}_name": store.name, f"{end}_serial": next(iter(store.serials), "")}
    return found


def route_between(source: int, target: int) -> str:
    """The route of copies between two pools, by their primary keys."""
    return f"{source}>{target}"


def ends_of(route: str) -> tuple[int, int]:
    """The pools of such a route."""
    source, target = route.split(">")
    return int(source), int(target)


class MoveDisk(StepKind[Nothing]):
    """Move a disk from ``source`` to ``target`` (identities of datastores).

    The disk must be at its source, and the target must have room right before.
    """

    kind = "move_disk"
    changes_sets = True
    proof = "the disk is on the target datastore and its machine still runs"

    disk: str
    machine: str
    name: str
    size_bytes: int
    source: str
    source_name: str
    source_serial: str
    target: str
    target_name: str
    target_serial: str

    @classmethod
    def in_the_way(cls, steps: Sequence[tuple[str, Self]], touched: Collection[str]) -> list[str]:
        """Disks that are neither where they come from nor where they go, and targets without room for all that go.

        Of a target that no host mounts now nothing is known: an earlier step brings it back, or this one stops.
        """
        disks = Disk.objects.filter(identity__in={step.disk for _host, step in steps})
        places = dict(disks.values_list("identity", "placement__datastore__identity"))
        astray = [step for _host, step in steps if places.get(step.disk) not in (step.source, step.target)]
        to_go = [step for _host, step in steps if places.get(step.disk) == step.source]
        stores = Datastore.objects.filter(identity__in={step.target for step in to_go})
        free = dict(stores.values_list("identity", "free_bytes"))
        for step in to_go:
            if step.target in free:
                free[step.target] -= step.size_bytes
            if step.source in free:
                free[step.source] += step.size_bytes
        short = {step.target_name: -free[step.target] for step in to_go if free.get(step.target, 0) < 0}
        return [
            *(f"{step.name} is no longer on {step.source_name}." for step in astray),
            *(f"{name} is {format_size(missing)} short of what goes there." for name, missing in short.items()),
        ]

    @classmethod
    def routes(cls, steps: Sequence[Self]) -> list[str]:
        """From pool to pool: the way of copying is that of the two."""
        serials = {serial for step in steps for serial in (step.source_serial, step.target_serial) if serial}
        pools = dict(Volume.known.filter(serial__in=serials).values_list("serial", "pool"))
        ends = ((pools.get(step.source_serial), pools.get(step.target_serial)) for step in steps)
        return [route_between(source, target) if source and target else "" for source, target in ends]

    @property
    def amount(self) -> float:
        return float(self.size_bytes)

    def touches(self, device: Device) -> list[Touched]:
        stores = volume(self.source_serial, self.source_name, alone=False)
        stores += volume(self.target_serial, self.target_name, alone=False)
        return [Touched("disk", self.disk, self.name), *stores]

    @property
    def room(self) -> Room:
        return Room(self.target, self.size_bytes, self.source)

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found = host.find_disk(run.session, self.machine, self.disk)
        demand(found is not None, "disk_missing", f"{self.name} is no longer there.")
        place = (found or {})["datastore"]
        if place == self.target:
            return Progress(True)
        demand(
            place == self.source,
            "disk_elsewhere",
            f"{self.name} is no longer on {self.source_name}.",
            hint="Draft the lot again from a fresh reading.",
        )
        monitor = find_work(run.session, run.key)
        if not monitor:
            self._require_room(run)
            _status, _body, monitor = host.act(run.session, "MoveDisk", Disk=self.disk, Target=self.target, Key=run.key)
        return Progress(False, task_uri=monitor)

    def _require_room(self, run: StepRun[Nothing]) -> None:
        target = host.find_datastore(run.session, self.target_serial)
        demand(target is not None, "target_away", f"{run.session.name} does not mount {self.target_name}.")
        free = (target or {})["free_bytes"]
        demand(
            free >= self.size_bytes,
            "target_full",
            f"{self.target_name} has {format_size(free)} free; {self.name} needs {format_size(self.size_bytes)}.",
            f"{self.name} stays on {self.source_name}.",
            "Plan the group again, or free space on the target.",
        )

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        found = host.find_disk(run.session, self.machine, self.disk) or {}
        demand(found.get("datastore") == self.target, "not_moved", f"{self.name} is not on {self.target_name}.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        back = MoveDisk(
            disk=self.disk,
            machine=self.machine,
            name=self.name,
            size_bytes=self.size_bytes,
            source=self.target,
            source_name=self.target_name,
            source_serial=self.target_serial,
            target=self.source,
            target_name=self.source_name,
            target_serial=self.source_serial,
        )
        return back.on("", f"Move {self.name} back", f"{self.target_name} → {self.source_name}")
