"""Steps on hosts that bring missing paths back, the paths once they are done, and what finds these paths."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from movelot.fabric.connect import connect_steps
from movelot.inventory.models import Device, HostPort, Portal
from movelot.inventory.paths import PathTable, expected_paths, initiator_of, initiators_of
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.hosts import BindUplink, Rescan, SetFrameSize
from movelot.lots.steps.interfaces import CreateInterface
from movelot_core.addresses import next_free
from movelot_core.errors import CoreError
from movelot_core.fabric import paths
from movelot_core.fabric.causes import Cause
from movelot_core.fabric.paths import Lack, lacking
from movelot_core.fabric.transports import transport_of

InterfaceStep = BindUplink | CreateInterface | SetFrameSize
# Steps that mend a host's interface.
Fixes = Sequence[StepSpec[Any]]


def frame_steps(host: Device, table: PathTable) -> list[StepSpec[Any]]:
    """A step for each interface whose frames differ from those of the portals in its subnet."""
    differ = {path.port: path.portal for path in table.paths if path.cause is Cause.FRAME}
    ports = {port.name: port.frame_bytes for port in table.ports}
    portals = {portal.name: portal.frame_bytes for portal in table.portals}
    return [
        SetFrameSize(interface=name, wanted=portals[portal], before=ports[name]).on(
            host.name,
            f"Set frames of {name} to {portals[portal]} bytes",
            f"{ports[name]} bytes now; the portals have {portals[portal]}",
        )
        for name, portal in sorted(differ.items())
    ]


def addresses_in_use() -> list[str]:
    """Every address that a linked device is known to have, with prefix length."""
    return [
        network
        for model in (HostPort, Portal)
        for protocol, network in model.objects.values_list("protocol", "network")
        if transport_of(protocol).makes_ports
    ]


@dataclass(frozen=True)
class NewInterface:
    """An interface that ``host`` lacks, made as its fellow ``like`` has it."""

    host: str
    like: str
    made: CreateInterface

    @property
    def spec(self) -> StepSpec[Any]:
        title = f"Make interface {self.made.interface} on {self.host} with {self.made.network}"
        detail = f"VLAN {self.made.vlan}, frames of {self.made.frame_bytes} bytes, as on {self.like}"
        return self.made.on(self.host, title, detail)


def new_interfaces(table: PathTable) -> dict[str, list[NewInterface]]:
    """By host, each interface that it lacks beside its fellows, with the next free address.

    There is none for a subnet without a free address, nor where a port is a piece of hardware; that the host lacks one
    there is said all the same.
    """
    found: dict[str, list[NewInterface]] = {}
    lacks = [lack for lack in lacking(table.ports, table.portals) if transport_of(lack.like.protocol).makes_ports]
    used = addresses_in_use() if lacks else []
    for lack in lacks:
        beside = [port.address for port in table.ports if paths.network_of(port.address) == lack.subnet]
        try:
            (network,) = next_free(lack.subnet, used, 1, beside)
        except CoreError:
            continue
        used.append(network)
        found.setdefault(lack.host, []).append(_new_interface(lack, network))
    return found


def _new_interface(lack: Lack, network: str) -> NewInterface:
    like = lack.like
    made = CreateInterface(
        interface=like.name,
        protocol=like.protocol,
        network=network,
        vlan=like.vlan,
        frame_bytes=like.frame_bytes,
        uplinks=list(like.active_uplinks[:1]),
    )
    return NewInterface(lack.host, like.host, made)


def mending_step(fix: StepSpec[Any]) -> InterfaceStep:
    """What a fix does to an interface. TypeError for a step that mends none."""
    if not isinstance(fix.step, InterfaceStep):
        raise TypeError(f"{fix.step.kind} mends no interface")
    return fix.step


def mended(table: PathTable, hosts: list[Device], fixes: Fixes, volume: str) -> PathTable:
    """The paths as they will be once ``fixes`` are done."""
    if not fixes:
        return table
    by_port = {(fix.device, mending_step(fix).interface): mending_step(fix) for fix in fixes}
    ports = [_fixed(port, by_port.get((port.host, port.name))) for port in table.ports]
    by_name = {host.name: host for host in hosts}
    made = [_made(fix.step, by_name[fix.device]) for fix in fixes if isinstance(fix.step, CreateInterface)]
    return expected_paths([*ports, *made], table.portals, volume, table.target)


def _fixed(port: paths.HostPort, step: InterfaceStep | None) -> paths.HostPort:
    match step:
        case SetFrameSize():
            return replace(port, frame_bytes=step.wanted)
        case BindUplink():
            return replace(port, active_uplinks=tuple(step.wanted.active), standby_uplinks=())
    return port


def _made(step: CreateInterface, host: Device) -> paths.HostPort:
    return paths.HostPort(
        host=host.name,
        name=step.interface,
        address=step.network,
        vlan=step.vlan,
        initiator=initiator_of(host, step.protocol, step.network),
        active_uplinks=tuple(step.uplinks),
        protocol=step.protocol,
        frame_bytes=step.frame_bytes,
    )


def add_path_search(
    plan: StepPlan, host: Device, arrays: list[tuple[Device, PathTable]], after: list[AnyHandle]
) -> None:
    """Add what finds the paths of the mended tables of ``arrays`` once ``after`` is done.

    That is the connections that are missing, if any, and a scan, but for NVMe, whose namespaces are there without one.
    An array that does not know the host yet would refuse it: the lot that attaches the first volume connects them.
    """
    names = initiators_of(host)
    known = [(array, table) for array, table in arrays if array.initiators.filter(identifier__in=names).exists()]
    joined = [step for array, table in known for step in connect_steps(array, [host], table)]
    done = [*after, *plan.add_all(joined, after)]
    if arrays and all(array.has_namespaces for array, _ in arrays):
        return
    detail = "find the paths that come back"
    plan.add(Rescan().on(host.name, f"Rescan {host.name}", detail, seconds=host.scan_seconds), done)
