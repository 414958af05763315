"""The contract of a storage kind: what a volume of an array is to its hosts, and what is done with it.

A kind is one file of this folder. It says how hosts come to have such a volume, what is done so that all of a cluster
have it, and how it is taken away again, each as steps with their checks. Lots ask the kind, and never which one it is.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import ClassVar

from django.db.models import Q

from movelot.inventory.models import Datastore, Device, HostDevice, Mount, Volume
from movelot.lots.kinds import Check
from movelot.lots.step_plan import AnyHandle, StepPlan


@dataclass
class Showing:
    """What it takes that all hosts have a volume, with what was checked.

    ``hosts`` are all that are to have it, none where there is nothing to do; ``have`` counts those that do.
    """

    checks: list[Check]
    steps: StepPlan = field(default_factory=StepPlan)
    hosts: list[str] = field(default_factory=list)
    have: int = 0
    facts: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Leaving:
    """A volume that is taken from ``hosts``, with the datastore on it, and whether it is to be kept on its array."""

    volume: Volume
    store: Datastore | None
    hosts: Sequence[Device]
    keep: bool


class StorageKind(ABC):
    """One kind of storage. Stateless."""

    # As ``Volume.kind`` has it.
    name: ClassVar[str]
    # What people call a volume of this kind.
    noun: ClassVar[str] = "volume"
    # What hosts do to have it.
    has_word: ClassVar[str] = "see"
    # Whether hosts see it as a device; they only mount it otherwise.
    is_device: ClassVar[bool] = True
    # Whether it may be formatted and made a datastore by itself.
    formattable: ClassVar[bool] = False

    def hosts_with(self, volume: Volume) -> list[Device]:
        """The hosts that have it, by name."""
        where = (
            Q(hostdevices__serial=volume.serial)
            if self.is_device
            else Q(mounts__datastore__extents__serial=volume.serial)
        )
        return list(Device.objects.filter(where, kind=Device.Kind.HOST).distinct().order_by("name"))

    def still_had(self, serial: str) -> int:
        """How many hosts see or mount what has this serial."""
        mounts = Mount.objects.filter(datastore__extents__serial=serial).count()
        return HostDevice.objects.filter(serial=serial).count() or mounts if self.is_device else mounts

    def stands_alone(self, volume: Volume) -> Check | None:
        """Why it is not shown to hosts or taken away by itself; None where it may be."""
        return None

    @abstractmethod
    def show(self, volume: Volume, cluster: str) -> Showing:
        """Let all hosts have it; one that nobody has goes to the hosts of ``cluster``. Nothing is ever formatted."""

    @abstractmethod
    def take_away(self, plan: StepPlan, leaving: Leaving, after: Sequence[AnyHandle] = ()) -> list[AnyHandle]:
        """Take it from hosts once ``after`` is done, and delete it unless it is to be kept; returns its last steps.

        Nothing is taken from under anything that still uses it, and each step's own device is asked right before.
        """
