"""Lots that give a host's storage interfaces the frame size of the portals they talk to.

A frame size that differs along the way is the trouble that logs in and then stalls: small answers pass, large ones are
lost. The array's side is taken as meant, since all hosts share it.
"""

from __future__ import annotations

from dataclasses import dataclass

from movelot.fabric.interface_use import interface_use_check
from movelot.fabric.mending import add_path_search, frame_steps, mended, mending_step
from movelot.inventory.models import Device, Path
from movelot.inventory.paths import PathTable, admitted_by_volume, expected_table, initiators_of
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import STOP, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.hosts import SetFrameSize


@dataclass(frozen=True)
class EndsForm(LotForm):
    """A host and an array by their names."""

    host: str = names("host")
    array: str = names("array")


@dataclass
class EndsPlan(LotPlan):
    """A host, an array, how many paths there are between them now, and how many there should be afterwards."""

    host: str
    array: str
    paths: int
    paths_to_come: int | None = None


class FrameKind(LotKind[EndsForm, EndsPlan]):
    """Gives a host's interfaces the frame size of the portals."""

    name, form, plan = "frames", EndsForm, EndsPlan

    def drafted(self, form: EndsForm, lot: Lot) -> Draft[EndsForm, EndsPlan]:
        host, array = ends_of(form)
        if host is None or array is None:
            check = Check("host and array are known", STOP, "The host or the array is not linked.")
            return Draft("Set the frame size", checks=[check])
        title = f"Set the frame size of {host.name} for {array.name}"
        table = expected_table([host], array, "any volume")
        fixes = frame_steps(host, table)
        if not fixes:
            text = f"Every interface of {host.name} has the frame size of {array.name}."
            return Draft(title, checks=[Check("something to fix", STOP, text)])
        changed = [mending_step(fix) for fix in fixes]
        facts = {
            f"frame size of {step.interface}": str(step.before) for step in changed if isinstance(step, SetFrameSize)
        }
        busy = interface_use_check(host, [step.interface for step in changed])
        after, steps = mended(table, [host], fixes, "any volume"), StepPlan()
        plan = EndsPlan(host.name, array.name, paths_between(host, array), paths_to_come(host, array, after))
        add_path_search(steps, host, [(array, after)], [*steps.add_all(fixes)])
        return Draft(title, steps, plan, [busy], facts)

    def outcome(self, lot: Lot, plan: EndsPlan) -> list[MeasuredRow]:
        """Paths to the array before and after."""
        return paths_outcome(plan)


def ends_of(form: EndsForm) -> tuple[Device | None, Device | None]:
    """The host and the array that a form names; None for one that is not linked."""
    host = Device.objects.filter(name=form.host, kind=Device.Kind.HOST).first()
    return host, Device.objects.filter(name=form.array, kind=Device.Kind.ARRAY).first()


def paths_outcome(plan: EndsPlan) -> list[MeasuredRow]:
    """Paths between the host and the array of a plan, before it and now."""
    host, array = (Device.objects.filter(name=name).first() for name in (plan.host, plan.array))
    now = paths_between(host, array) if host and array else 0
    return [MeasuredRow("host", plan.host, "paths", plan.paths, plan.paths_to_come, now)]


def paths_to_come(host: Device, array: Device, after: PathTable) -> int:
    """Paths that a host will have to all volumes of an array that let it in, with the paths to one as in ``after``."""
    ours = initiators_of(host)
    let_in = sum(bool(names & ours) for names in admitted_by_volume(array).values())
    return let_in * sum(path.seen for path in after.by_host.get(host.name, []))


def paths_between(host: Device, array: Device) -> int:
    """Paths that a host has to all volumes of an array, as last read."""
    serials = array.volumes.values("serial")
    return Path.objects.filter(path_set__hostdevices__device=host, path_set__hostdevices__serial__in=serials).count()
