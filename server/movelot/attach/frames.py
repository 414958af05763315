"""Lots that give a host's storage interfaces the frame size of the portals they talk to.

A frame size that differs along the way is the trouble that logs in and then stalls: small answers pass, large ones are
lost. The array's side is taken as meant, since all hosts share it.
"""

from __future__ import annotations

from typing import Any

from movelot.attach.carried import carried_check
from movelot.attach.mending import find_paths_steps, frame_steps, mended
from movelot.inventory.models import Device, HostDevice
from movelot.inventory.paths import expected_table
from movelot.lots.drafting import STOP, Check, Draft, DraftKind
from movelot.lots.models import Lot


class FrameKind(DraftKind):
    """Form: host, array."""

    name = "frames"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        host, array = ends_of(form)
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
        busy = carried_check(host, [step.params["interface"] for step in steps])
        plan = {"host": host.name, "array": array.name, "paths": paths_between(host, array)}
        after = mended(table, [host], steps, "any volume")
        last = find_paths_steps(host, [(array, after)], tuple(range(len(steps))), len(steps))
        return Draft(title, [*steps, *last], plan, [busy], facts)

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Paths to the array before and after."""
        return paths_outcome(lot)


def ends_of(form: dict[str, Any]) -> tuple[Device | None, Device | None]:
    """The host and the array that a form names; None for one that is not linked."""
    host = Device.objects.filter(name=str(form.get("host", "")), kind=Device.Kind.HOST).first()
    return host, Device.objects.filter(name=str(form.get("array", "")), kind=Device.Kind.ARRAY).first()


def paths_outcome(lot: Lot) -> dict[str, Any]:
    """Paths between the host and the array of a lot's plan, before it and now."""
    host, array = (Device.objects.filter(name=lot.plan[part]).first() for part in ("host", "array"))
    row = {
        "subject_kind": "host",
        "subject": lot.plan["host"],
        "figure": "paths",
        "before": lot.plan["paths"],
        "predicted": None,
        "measured": paths_between(host, array) if host and array else 0,
        "note": "",
    }
    return {"rows": [row]}


def paths_between(host: Device, array: Device) -> int:
    """Paths that a host has to all volumes of an array, as last read."""
    serials = array.volumes.values("serial")
    return sum(len(device.paths) for device in HostDevice.objects.filter(device=host, serial__in=serials))
