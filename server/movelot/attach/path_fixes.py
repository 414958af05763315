"""What an attach lot can mend first, so that hosts get the paths they would miss, and the paths with that mended."""

from __future__ import annotations

from dataclasses import dataclass, replace

from movelot.attach.frames import frame_steps
from movelot.attach.uplinks import fixes_for
from movelot.inventory.models import Device
from movelot.inventory.paths import PathTable, expected_paths
from movelot.lots.steps.base import StepSpec
from movelot_core.fabric.paths import Cause, HostPort

BINDING = (Cause.NO_UPLINK, Cause.TWO_UPLINKS, Cause.STANDBY_UPLINK)
Fixes = dict[str, list[StepSpec]]


@dataclass
class Fixable:
    """A host that would miss paths, and what the lot can do about it first."""

    host: str
    text: str


def fixes_in(table: PathTable, hosts: list[Device]) -> Fixes:
    """The steps that bring missing paths of ``table`` back, by host, where its own settings stand in their way."""
    causes: dict[str, set[Cause]] = {}
    for path in table.paths:
        if path.missing and path.cause:
            causes.setdefault(path.host, set()).add(path.cause)
    unbound = fixes_for([host for host in hosts if causes.get(host.name, set()) & {*BINDING}])
    found: Fixes = {}
    for host in hosts:
        steps = [unbound[host.name]] if host.name in unbound else []
        if Cause.FRAME in causes.get(host.name, set()):
            steps += frame_steps(host, table)
        if steps:
            found[host.name] = steps
    return found


def fixables(fixes: Fixes, chosen: list[str]) -> list[Fixable]:
    """Those of ``fixes`` that are not chosen yet, in words."""
    return [
        Fixable(host, "; ".join(step.title for step in steps)) for host, steps in fixes.items() if host not in chosen
    ]


def mended(table: PathTable, fixes: list[StepSpec], volume: str) -> PathTable:
    """The paths as they will be once ``fixes`` are done."""
    if not fixes:
        return table
    by_port = {(step.device, step.params["interface"]): step for step in fixes}
    ports = [_fixed(port, by_port.get((port.host, port.name))) for port in table.ports]
    return expected_paths(ports, table.portals, volume)


def _fixed(port: HostPort, step: StepSpec | None) -> HostPort:
    if step is None:
        return port
    if step.kind == "set_frame_size":
        return replace(port, frame_bytes=step.params["wanted"])
    return replace(port, active_uplinks=tuple(step.params["wanted"]["active"]), standby_uplinks=())
