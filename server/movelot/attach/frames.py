"""Lots that give a host's storage interfaces the frame size of the portals they talk to.

A frame size that differs along the way is the trouble that logs in and then stalls: small answers pass, large ones are
lost. The array's side is taken as meant, since all hosts share it.
"""

from __future__ import annotations

from typing import Any

from movelot.inventory.models import Device, HostDevice
from movelot.inventory.paths import PathTable, expected_table
from movelot.lots.drafting import PASS, STOP, Check, Draft, DraftKind
from movelot.lots.models import Lot
from movelot.lots.steps.base import StepSpec
from movelot_core.fabric.paths import NVME, Cause


class FrameKind(DraftKind):
    """Form: host, array."""

    name = "frames"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        host = Device.objects.filter(name=str(form.get("host", "")), kind=Device.Kind.HOST).first()
        array = Device.objects.filter(name=str(form.get("array", "")), kind=Device.Kind.ARRAY).first()
        if host is None or array is None:
            check = Check("host and array are known", STOP, "The host or the array is not linked.")
            return Draft("Set the frame size", checks=[check])
        title = f"Set the frame size of {host.name} for {array.name}"
        table = expected_table([host], array, "any volume")
        steps = frame_steps(host, table)
        if not steps:
            text = f"Every interface of {host.name} has the frame size of {array.name}."
            return Draft(title, checks=[Check("something to fix", STOP, text)])
        facts = {f"frame size of {step.params['interface']}": str(step.params["before"]) for step in steps}
        names = ", ".join(step.params["interface"] for step in steps)
        busy = Check("nothing stops meanwhile", PASS, f"{names} carries no path now; the others stay up")
        plan = {"host": host.name, "array": array.name, "paths": _paths(host, array)}
        return Draft(title, [*steps, _afterwards(host, array, table, steps)], plan, [busy], facts)

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Paths to the array before and after."""
        host, array = (Device.objects.filter(name=lot.plan[part]).first() for part in ("host", "array"))
        row = {
            "subject_kind": "host",
            "subject": lot.plan["host"],
            "figure": "paths",
            "before": lot.plan["paths"],
            "predicted": None,
            "measured": _paths(host, array) if host and array else 0,
            "note": "",
        }
        return {"rows": [row]}


def _paths(host: Device, array: Device) -> int:
    serials = array.volumes.values("serial")
    return sum(len(device.paths) for device in HostDevice.objects.filter(device=host, serial__in=serials))


def frame_steps(host: Device, table: PathTable) -> list[StepSpec]:
    """A step for each interface whose frames differ from those of the portals in its subnet."""
    differ = {path.port: path.portal for path in table.paths if path.cause is Cause.FRAME}
    ports = {port.name: port.frame_bytes for port in table.ports}
    portals = {portal.name: portal.frame_bytes for portal in table.portals}
    return [
        StepSpec(
            "set_frame_size",
            host.name,
            f"Set frames of {name} to {portals[portal]} bytes",
            f"{ports[name]} bytes now; the portals have {portals[portal]}",
            {"interface": name, "wanted": portals[portal], "before": ports[name]},
        )
        for name, portal in sorted(differ.items())
    ]


def _afterwards(host: Device, array: Device, table: PathTable, steps: list[StepSpec]) -> StepSpec:
    """What finds the paths that come back: a scan, or over NVMe the missing connections."""
    needs = tuple(range(len(steps)))
    if array.block_protocol != NVME:
        detail = "find the paths that come back"
        return StepSpec("rescan", host.name, f"Rescan {host.name}", detail, {}, needs, seconds=host.scan_seconds)
    mended = {step.params["interface"] for step in steps}
    wanted = [[p.port, p.portal] for p in table.paths if p.seen or (p.port in mended and p.cause is Cause.FRAME)]
    seen = next((path.portal for path in table.paths if path.seen), wanted[0][1])
    address = next(portal.address.split("/")[0] for portal in table.portals if portal.name == seen)
    params = {"nqn": array.nqn, "address": address, "wanted": wanted, "before": host.subsystems.get(array.nqn, [])}
    title = f"Connect {host.name} to {array.name}"
    return StepSpec("connect_subsystem", host.name, title, f"over {len(wanted)} paths", params, needs)
