"""Steps on the blocks of volumes: given back by a host, reduced by the array, and a look at what is held afterwards."""

from __future__ import annotations

from typing import Any

from movelot.devices import host
from movelot.devices.reducing import Reduction, reduce, reduction_of
from movelot.devices.work import find_work, last_work
from movelot.inventory.models import Device
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.touches import Touched, volume
from movelot.lots.steps.values import Nothing
from movelot_core.units import format_size

STAYS = "What was done until then stays done."


class ReturnBlocks(StepKind[Nothing]):
    """Has a host give back the blocks of a volume that nothing on its datastore uses, at a pace."""

    kind = "return_blocks"
    proof = "the host lists the work as completed"
    reversible = False
    half_done = STAYS

    serial: str
    name: str
    size_bytes: int
    bytes_per_second: float

    def touches(self, device: Device) -> list[Touched]:
        return volume(self.serial, self.name)

    @property
    def amount(self) -> float:
        return float(self.size_bytes)

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        last = last_work(run.session, run.key)
        if last is not None and last.ended_well:
            return Progress(True)
        monitor = find_work(run.session, run.key)
        if not monitor:
            rate = {"BytesPerSecond": self.bytes_per_second}
            _status, _body, monitor = host.act(run.session, "ReturnBlocks", Serial=self.serial, Key=run.key, **rate)
        return Progress(False, task_uri=monitor)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        last = last_work(run.session, run.key)
        ended = last is not None and last.ended_well
        demand(ended, "not_returned", f"{run.session.name} has not given all of {self.name} back.", STAYS)

    def undo(self, result: Nothing) -> None:
        return None


class HoldLess(StepKind[Nothing]):
    """Looks at the array whether a volume holds no more than it should now; changes nothing."""

    kind = "hold_less"
    proof = "the array tells that the volume holds less"

    uri: str
    name: str
    serial: str
    most_bytes: int

    def touches(self, device: Device) -> list[Touched]:
        return volume(self.serial, self.name)

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        held = reduction_of(run.session.get(self.uri)).held_bytes
        message = f"{self.name} holds {format_size(held)} still, and not {format_size(self.most_bytes)} or less."
        demand(held <= self.most_bytes, "held_still", message, hint="Look whether the host may give blocks back to it.")

    def undo(self, result: Nothing) -> None:
        return None


class ReduceVolume(StepKind[Nothing]):
    """Has an array reduce a volume's data in the ways ``wanted``, which were ``before``; to none it grows back."""

    kind = "reduce_volume"
    proof = "the array tells that all blocks of the volume are reduced in these ways"
    half_done = STAYS

    uri: str
    name: str
    serial: str
    before: list[str]
    wanted: list[str]
    size_bytes: int
    bytes_per_second: float

    def touches(self, device: Device) -> list[Touched]:
        return volume(self.serial, self.name)

    @property
    def amount(self) -> float:
        return float(self.size_bytes)

    def _now(self, run: StepRun[Nothing]) -> tuple[dict[str, Any], Reduction]:
        found = run.session.get(self.uri)
        return found, reduction_of(found)

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found, now = self._now(run)
        if _is(now, self.wanted):
            return Progress(True)
        monitor = find_work(run.session, run.key)
        if not monitor:
            known = sorted(now.ways) in (sorted(self.before), sorted(self.wanted))
            message = f"{self.name} is reduced by {ways_said(now.ways)} now, not by {ways_said(self.before)}."
            demand(known, "reduced_otherwise", message, hint="Draft the lot again from a fresh reading.")
            monitor = reduce(run.session, found, self.wanted, run.key, self.bytes_per_second)
        return Progress(False, task_uri=monitor)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        _found, now = self._now(run)
        message = f"{now.share:.0%} of {self.name} is reduced by {ways_said(now.ways)}."
        demand(_is(now, self.wanted), "not_reduced", message, STAYS)

    def undo(self, result: Nothing) -> StepSpec[Any]:
        values: dict[str, Any] = {**dict(self), "before": self.wanted, "wanted": self.before}
        title = f"Reduce {self.name} by {ways_said(self.before)} again" if self.before else f"Grow {self.name} back"
        return ReduceVolume(**values).on("", title, "only if its pool has the room")


def _is(now: Reduction, wanted: list[str]) -> bool:
    return sorted(now.ways) == sorted(wanted) and now.share >= 1


def ways_said(ways: list[str]) -> str:
    """The ways of reducing data, in words."""
    return " and ".join(sorted(ways)) or "nothing"
