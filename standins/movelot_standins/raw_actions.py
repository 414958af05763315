"""Volumes that machines have as they are: given to one machine, or shared by those of a guest cluster."""

from __future__ import annotations

from movelot_standins import actions
from movelot_standins.actions import ActionError
from movelot_standins.model import Host, Machine, RawVolume, World


def users(world: World, serial: str) -> list[Machine]:
    """The machines that have the volume."""
    return [machine for machine in world.machines if any(raw.serial == serial for raw in machine.raw)]


def give(world: World, host: Host, name: str, serial: str, *, shared: bool) -> Machine:
    """Give a machine of the host a volume that the host sees and nothing is on; given already it stays so."""
    machine = _machine(world, host, name)
    volume = world.volume_by_serial(serial)
    if volume is None or not actions.sees(world, host, serial):
        raise ActionError(404, "ResourceMissingAtURI", f"{host.name} does not see device {serial}.")
    there = next((raw for raw in machine.raw if raw.serial == serial), None)
    if there is not None and there.shared == shared:
        return machine
    if volume.signature_kind == "datastore":
        raise ActionError(409, "ResourceInUse", f"Device {serial} carries a datastore.")
    others = [(each, raw) for each in users(world, serial) for raw in each.raw if raw.serial == serial]
    if there is not None or any(not (shared and raw.shared) for _, raw in others):
        named = ", ".join(each.name for each, _ in others)
        raise ActionError(409, "ResourceInUse", f"Device {serial} is given to {named}, not to be shared.")
    machine.raw.append(RawVolume(serial, shared))
    return machine


def take(world: World, host: Host, name: str, serial: str) -> Machine:
    """Take a volume from a machine that is off; what is on it stays."""
    machine = _machine(world, host, name)
    if any(raw.serial == serial for raw in machine.raw) and machine.power == "On":
        raise ActionError(409, "ResourceInUse", f"{name} is on and uses device {serial}.")
    machine.raw[:] = [raw for raw in machine.raw if raw.serial != serial]
    return machine


def _machine(world: World, host: Host, name: str) -> Machine:
    found = next((each for each in world.machines if each.name == name and each.host == host.name), None)
    if found is None:
        raise ActionError(404, "ResourceMissingAtURI", f"{host.name} runs no machine {name}.")
    return found
