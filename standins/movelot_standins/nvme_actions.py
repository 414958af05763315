"""What hosts do with the subsystem of an NVMe array: discover, connect, disconnect.

Terms follow the NVM Express base specification: a host NQN is let into namespaces; a discovery log page, asked of one
portal, lists all portals of the subsystems that the host may connect to.
"""

from __future__ import annotations

from movelot_standins.actions import ActionError, reaches, reaching
from movelot_standins.model import Host, World

PREFIX = "nqn.2026-01.example.kestrelbay:"


def subsystem(array: str) -> str:
    """The subsystem NQN of an array."""
    return f"{PREFIX}{array}"


def array_of_subsystem(world: World, nqn: str) -> str:
    """The array whose subsystem this is."""
    found = next((p.array for p in world.portals if p.protocol == "NVMe/TCP" and subsystem(p.array) == nqn), None)
    if found is None:
        raise ActionError(404, "ResourceMissingAtURI", f"No discovery log lists {nqn}.")
    return found


def connect(world: World, host: Host, nqn: str, address: str) -> list[list[str]]:
    """Ask the discovery service at ``address`` for the portals of a subsystem, and connect to all that are reached."""
    array = array_of_subsystem(world, nqn)
    portal = next((p for p in world.portals_of(array) if p.address.split("/")[0] == address), None)
    if portal is None or not any(reaches(world, interface, portal) for interface in host.interfaces):
        raise ActionError(409, "ResourceInUse", f"{host.name} gets no answer from a discovery service at {address}.")
    if host.nqn not in world.initiators[array]:
        raise ActionError(403, "InsufficientPrivilege", f"The discovery log for {host.nqn} does not list {nqn}.")
    pairs = host.connected.setdefault(array, [])
    pairs += [pair for pair in reaching(world, host, array) if pair not in pairs]
    return pairs


def disconnect(world: World, host: Host, nqn: str, keep: list[list[str]]) -> None:
    """Leave a subsystem but for the pairs to keep; the last one goes only when nothing on it is mounted."""
    array = array_of_subsystem(world, nqn)
    left = [pair for pair in host.connected.get(array, []) if pair in keep]
    held = [
        store.name for store in world.datastores if store.id in host.mounted and world.pool_of(store.id).array == array
    ]
    if held and not left:
        raise ActionError(409, "ResourceInUse", f"{host.name} mounts {', '.join(held)} from it.")
    host.connected[array] = left
    if not left:
        del host.connected[array]
