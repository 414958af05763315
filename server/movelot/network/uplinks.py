"""Lots that bind a host's storage interfaces to exactly one uplink each, so that all of its paths come back."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.fabric.interface_use import interface_use_check
from movelot.fabric.mending import add_path_search, mended, mending_step
from movelot.fabric.uplinks import BINDING, fixes_for
from movelot.inventory.models import Device, Path
from movelot.inventory.paths import PathTable, expected_table
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import STOP, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.network.frames import paths_between, paths_to_come


def _iscsi_arrays(host: Device, fix: StepSpec[Any]) -> list[tuple[Device, PathTable]]:
    """The arrays that know the host over iSCSI, each with the paths it will have once ``fix`` is done."""
    known = Device.objects.filter(initiators__identifier=host.initiator, portals__protocol__in=BINDING)
    return [
        (array, mended(expected_table([host], array, "any volume"), [host], [fix], "any volume"))
        for array in known.distinct().order_by("name")
    ]


@dataclass(frozen=True)
class HostForm(LotForm):
    """A host by its name."""

    host: str = names("host")


@dataclass
class HostPaths(LotPlan):
    """A host, how many paths it has now, and how many it should have afterwards."""

    host: str
    paths: int
    paths_to_come: int | None = None


class UplinkKind(LotKind[HostForm, HostPaths]):
    """Binds an interface of a host to one uplink."""

    name, form, plan = "uplinks", HostForm, HostPaths

    def drafted(self, form: HostForm, lot: Lot) -> Draft[HostForm, HostPaths]:
        host = Device.objects.filter(name=form.host, kind=Device.Kind.HOST).first()
        if host is None:
            text = f"There is no host “{form.host}”."
            return Draft("Fix uplink binding", checks=[Check("host is known", STOP, text)])
        fix = fixes_for([host]).get(host.name)
        if fix is None:
            check = Check("something to fix", STOP, f"Every storage interface of {host.name} has exactly one uplink.")
            return Draft(f"Fix uplink binding of {host.name}", checks=[check])
        steps, interface = StepPlan(), mending_step(fix).interface
        arrays = _iscsi_arrays(host, fix)
        add_path_search(steps, host, arrays, [steps.add(fix)])
        seen = Path.objects.filter(path_set__hostdevices__device=host).count()
        more = sum(paths_to_come(host, array, after) - paths_between(host, array) for array, after in arrays)
        facts = {f"uplinks of {interface}": fix.detail}
        return Draft(
            f"Fix uplink binding of {host.name}",
            steps,
            HostPaths(host.name, seen, seen + more),
            [interface_use_check(host, [interface])],
            facts,
        )

    def outcome(self, lot: Lot, plan: HostPaths) -> list[MeasuredRow]:
        """Paths before and after."""
        seen = Path.objects.filter(path_set__hostdevices__device__name=plan.host).count()
        return [MeasuredRow("host", plan.host, "paths", plan.paths, plan.paths_to_come, seen)]
