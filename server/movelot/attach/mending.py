"""Steps on hosts that bring missing paths back, the paths once they are done, and what finds these paths."""

from __future__ import annotations

from dataclasses import replace

from movelot.attach.joining import connect_steps
from movelot.inventory.models import Device, HostPort, Portal
from movelot.inventory.paths import PathTable, expected_paths, initiator_of, initiators_of
from movelot.lots.steps.base import StepSpec
from movelot_core.addresses import next_free
from movelot_core.errors import CoreError
from movelot_core.fabric import paths
from movelot_core.fabric.paths import FC, Cause, Lack, lacking


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


def addresses_in_use() -> list[str]:
    """Every address that a linked device is known to have, with prefix length."""
    return [
        *HostPort.objects.exclude(protocol=FC).values_list("network", flat=True),
        *Portal.objects.exclude(protocol=FC).values_list("network", flat=True),
    ]


def interface_steps(table: PathTable) -> dict[str, list[StepSpec]]:
    """By host, a step for each interface that it lacks beside its fellows, with the next free address.

    There is none for a subnet without a free address, nor for an FC fabric, where a port is a piece of hardware; that
    the host lacks one there is said all the same.
    """
    found: dict[str, list[StepSpec]] = {}
    lacks = [lack for lack in lacking(table.ports, table.portals) if lack.like.protocol != FC]
    used = addresses_in_use() if lacks else []
    for lack in lacks:
        beside = [port.address for port in table.ports if paths.network_of(port.address) == lack.subnet]
        try:
            (network,) = next_free(lack.subnet, used, 1, beside)
        except CoreError:
            continue
        used.append(network)
        found.setdefault(lack.host, []).append(_interface_step(lack, network))
    return found


def _interface_step(lack: Lack, network: str) -> StepSpec:
    like = lack.like
    return StepSpec(
        "create_interface",
        lack.host,
        f"Make interface {like.name} on {lack.host} with {network}",
        f"VLAN {like.vlan}, frames of {like.frame_bytes} bytes, as on {like.host}",
        {
            "interface": like.name,
            "protocol": like.protocol,
            "network": network,
            "vlan": like.vlan,
            "frame_bytes": like.frame_bytes,
            "uplinks": list(like.active_uplinks[:1]),
        },
    )


def mended(table: PathTable, hosts: list[Device], fixes: list[StepSpec], volume: str) -> PathTable:
    """The paths as they will be once ``fixes`` are done."""
    if not fixes:
        return table
    by_port = {(step.device, step.params["interface"]): step for step in fixes}
    ports = [_fixed(port, by_port.get((port.host, port.name))) for port in table.ports]
    by_name = {host.name: host for host in hosts}
    made = [_made(step, by_name[step.device]) for step in fixes if step.kind == "create_interface"]
    return expected_paths([*ports, *made], table.portals, volume, table.target)


def _fixed(port: paths.HostPort, step: StepSpec | None) -> paths.HostPort:
    if step is None:
        return port
    if step.kind == "set_frame_size":
        return replace(port, frame_bytes=step.params["wanted"])
    return replace(port, active_uplinks=tuple(step.params["wanted"]["active"]), standby_uplinks=())


def _made(step: StepSpec, host: Device) -> paths.HostPort:
    params = step.params
    return paths.HostPort(
        host=host.name,
        name=params["interface"],
        address=params["network"],
        vlan=params["vlan"],
        initiator=initiator_of(host, params["protocol"], params["network"]),
        active_uplinks=tuple(params["uplinks"]),
        protocol=params["protocol"],
        frame_bytes=params["frame_bytes"],
    )


def find_paths_steps(
    host: Device, arrays: list[tuple[Device, PathTable]], needs: tuple[int, ...], first: int
) -> list[StepSpec]:
    """What finds the paths of the mended tables of ``arrays``; the first of the steps stands at position ``first``.

    That is the connections that are missing, if any, and a scan, but for NVMe, whose namespaces are there without one.
    An array that does not know the host yet would refuse it: the lot that attaches the first volume connects them.
    """
    names = initiators_of(host)
    known = [(array, table) for array, table in arrays if array.initiators.filter(identifier__in=names).exists()]
    steps = [step for array, table in known for step in connect_steps(array, [host], table, needs)]
    if arrays and all(array.has_namespaces for array, _ in arrays):
        return steps
    return [*steps, _rescan(host, (*needs, *range(first, first + len(steps))))]


def _rescan(host: Device, needs: tuple[int, ...]) -> StepSpec:
    detail = "find the paths that come back"
    return StepSpec("rescan", host.name, f"Rescan {host.name}", detail, {}, needs, seconds=host.scan_seconds)
