"""Steps that connect hosts to an array before they can see its volumes: to an NVMe subsystem, or to iSCSI targets."""

from __future__ import annotations

from typing import Any

from movelot.inventory.models import Device
from movelot.inventory.paths import PathTable
from movelot.lots.steps.base import StepSpec
from movelot_core.fabric.paths import ISCSI, NVME, bare_address

Pairs = list[list[str]]


def connect_steps(array: Device, hosts: list[Device], table: PathTable, needs: tuple[int, ...]) -> list[StepSpec]:
    """A step for each host that is not yet connected over all paths of ``table``, to what this leads to."""
    if array.has_namespaces:
        return [step for host in hosts for step in _subsystem_steps(array, host, table, needs)]
    return [step for host in hosts for step in _session_steps(array, host, table, needs)]


def own_target_steps(
    array: Device, hosts: list[Device], table: PathTable, target: Any, volume: str, needs: tuple[int, ...]
) -> list[StepSpec]:
    """Log each host in to the ``target`` of one volume, which may be the result of a step."""
    steps = []
    for host in hosts:
        wanted = _pairs(table, host, ISCSI)
        if wanted:
            steps.append(_log_in(array, host, table, (target, wanted, []), f"to the target of {volume}", needs))
    return steps


def log_out_steps(
    array: Device, hosts: list[Device], target: str, volume: str, needs: tuple[int, ...]
) -> list[StepSpec]:
    """Leave the target of one volume on the hosts that have sessions with it; the undo asks for it where these are."""
    addresses = addresses_of(array)
    steps = []
    for host in hosts:
        before = host.sessions.get(target, [])
        if before:
            params = {"target": target, "address": addresses[before[0][1]], "wanted": [], "before": before}
            title = f"Log {host.name} out of the target of {volume}"
            steps.append(StepSpec("log_out", host.name, title, target, params, needs))
    return steps


def addresses_of(array: Device) -> dict[str, str]:
    """The address of each of an array's portals, by its name."""
    return {name: bare_address(network) for name, network in array.portals.values_list("name", "network")}


def _pairs(table: PathTable, host: Device, protocol: str) -> Pairs:
    """The [port, portal] pairs over which the host will have paths of a protocol."""
    over = {portal.name for portal in table.portals if portal.protocol == protocol}
    return [[p.port, p.portal] for p in table.paths if p.host == host.name and p.seen and p.portal in over]


def _address(table: PathTable, pairs: Pairs) -> str:
    """Where the host asks what there is: the portal of its first pair."""
    return next(bare_address(portal.address) for portal in table.portals if portal.name == pairs[0][1])


def _subsystem_steps(array: Device, host: Device, table: PathTable, needs: tuple[int, ...]) -> list[StepSpec]:
    wanted = _pairs(table, host, NVME)
    before = host.subsystems.get(array.nqn, [])
    if all(pair in before for pair in wanted):
        return []
    address = _address(table, wanted)
    detail = f"discover at {address}, then connect over {len(wanted)} paths"
    params = {"nqn": array.nqn, "address": address, "wanted": wanted, "before": before}
    title = f"Connect {host.name} to {array.name}"
    return [StepSpec("connect_subsystem", host.name, title, detail, params, needs)]


def _session_steps(array: Device, host: Device, table: PathTable, needs: tuple[int, ...]) -> list[StepSpec]:
    """None for a host whose package tells of no session at all: nothing says that it has none."""
    wanted = _pairs(table, host, ISCSI)
    before = host.sessions.get(table.target, [])
    unknown = host.imported and not host.sessions
    if unknown or not table.target or all(pair in before for pair in wanted):
        return []
    where = f"to {array.name}" if table.target == array.target else f"to {table.target}"
    return [_log_in(array, host, table, (table.target, wanted, before), where, needs)]


def _log_in(
    array: Device,
    host: Device,
    table: PathTable,
    session: tuple[Any, Pairs, Pairs],
    where: str,
    needs: tuple[int, ...],
) -> StepSpec:
    """``session`` has the target, and the wanted pairs and those that are there before."""
    target, wanted, before = session
    address = _address(table, wanted)
    detail = f"{array.name} tells its portals at {address}; sessions over {len(wanted)} paths"
    params = {"target": target, "address": address, "wanted": wanted, "before": before}
    return StepSpec("log_in", host.name, f"Log {host.name} in {where}", detail, params, needs)
