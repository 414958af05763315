"""Raw volumes: given to machines as they are, never formatted by us; one machine's own, or shared by a guest cluster.

Journey: a database team wants a volume of its own, or two machines that cluster themselves want one that both see.
Every host of the cluster has to see it, as the machine may run on any of them; one lot makes it, lets all hosts in,
finds it there and gives it to the machines. What can go wrong: the machines are of another cluster; the one that has
it is on when it is to be taken away; somebody offers it for formatting: each is refused with the reason.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.inventory.models import Cluster, Disk, Machine, Volume
from movelot.lots.kinds import PASS, STOP, WARN, Check
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.raw import GiveVolume, TakeVolume


@dataclass
class RawMachine:
    """A machine that gets raw volumes, and the host that it runs on."""

    id: int
    name: str
    host: str


def machines_of(keys: list[int]) -> list[Machine]:
    """The machines chosen, by name."""
    return list(Machine.objects.filter(pk__in=keys).select_related("placement__host").order_by("name", "pk"))


def raw_checks(machines: list[Machine], cluster: Cluster | None) -> list[Check]:
    """Whether the machines can have it, and what sharing it means."""
    if not machines:
        return [Check("machines are chosen", STOP, "Choose the machine that gets it, or those that share it.")]
    away = [machine for machine in machines if cluster is None or machine.host.cluster_id != cluster.pk]
    if away:
        text = f"{', '.join(m.name for m in away)} runs on hosts of another cluster, which will not see it."
        return [Check("machines are of the cluster", STOP, text)]
    if len(machines) > 1:
        named = ", ".join(machine.name for machine in machines)
        text = f"{named} share it: nothing but their guests' own cluster keeps them from writing over one another."
        return [Check("sharing is meant", WARN, text)]
    return [Check("never formatted", PASS, f"{machines[0].name} gets it as it is made: empty")]


def give_steps(machines: list[Machine], name: str, serial: str) -> list[StepSpec[Any]]:
    """Give a volume to each machine; its serial may be told by a step."""
    shared = len(machines) > 1
    how = "shared with the others" if shared else "its own; nothing is formatted"
    return [
        GiveVolume(machine=machine.name, serial=serial, name=name, shared=shared).on(
            machine.host.name, f"Give {name} to {machine.name}", how
        )
        for machine in machines
    ]


def raw_disks(volume: Volume) -> list[Disk]:
    """The raw disks that machines have of a volume."""
    found = Disk.objects.filter(raw_serial=volume.serial).select_related("machine__placement__host")
    return list(found.order_by("machine__name", "pk"))


def take_steps(volume: Volume) -> list[StepSpec[Any]]:
    """Take a volume from all machines that have it."""
    return [
        TakeVolume(machine=disk.machine.name, serial=volume.serial, name=volume.name, shared=disk.shared).on(
            disk.machine.host.name, f"Take {volume.name} from {disk.machine.name}", "what is on it stays"
        )
        for disk in raw_disks(volume)
    ]


def raw_users(volume: Volume) -> list[str]:
    """Machines that are on and have the volume, as users that keep it from being taken away."""
    on = [disk.machine for disk in raw_disks(volume) if disk.machine.power == "On"]
    return [f"{machine.name} on {machine.host.name}, which is on and has it as a raw volume" for machine in on]
