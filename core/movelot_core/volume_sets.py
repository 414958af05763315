"""Volume sets: every virtual disk, every snapshot of one and the swap of a running machine is a volume of its own.

What runs out there is not only space but also the number of volumes that the array allows. Worked example: a machine
of two disks with one snapshot takes 2 + 2 volumes switched off and 5 running; a set of 60 volumes that holds 52 has
room for two more machines of three volumes each.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

NEARLY_FULL: Final = 0.8


@dataclass(frozen=True, slots=True)
class MachineShape:
    """What a machine consists of, as far as volumes are concerned."""

    disks: int
    snapshots: int = 0
    running: bool = True


def volumes_of(machine: MachineShape) -> int:
    """Volumes that a machine takes: its disks, each snapshot of each disk, and its swap while it runs.

    >>> volumes_of(MachineShape(2, 1, running=False)), volumes_of(MachineShape(2, 1))
    (4, 5)
    """
    return machine.disks * (1 + machine.snapshots) + machine.running


@dataclass(frozen=True, slots=True)
class Room:
    """How many volumes a set allows, holds and would need, and how many typical machines still fit."""

    most: int
    held: int
    needed: int
    machines: int

    @property
    def fits(self) -> bool:
        """Whether all machines asked about would find room."""
        return self.held + self.needed <= self.most


def room_in(most: int, held: int, machines: Sequence[MachineShape]) -> Room:
    """The room for ``machines``, were all of them to move in; a typical one has their mean number of volumes.

    >>> room_in(60, 52, [MachineShape(2)] * 4)
    Room(most=60, held=52, needed=12, machines=2)
    """
    needed = sum(volumes_of(machine) for machine in machines)
    typical = needed / len(machines) if machines else 1.0
    return Room(most, held, needed, int(max(0, most - held) / max(typical, 1.0)))


def nearly_full(most: int, held: int) -> bool:
    """Whether a set holds four fifths of the volumes it allows: soon no machine can be started there.

    >>> nearly_full(60, 48), nearly_full(60, 47), nearly_full(0, 900)
    (True, False, False)
    """
    return most > 0 and held >= NEARLY_FULL * most
