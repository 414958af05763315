"""Jobs on devices."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.devices.reading import reread
from movelot.inventory.models import Device
from movelot.jobs.work import JobKind, Running


@dataclass
class DevicesRead:
    """How many devices were read anew, and why each that failed did."""

    devices: int
    failed: dict[str, str]


class RereadJob(JobKind[DevicesRead]):
    """A new reading of every device, or of those named; what failed is part of the result."""

    name, queue, result = "reread", "readings", DevicesRead

    def do(self, running: Running) -> DevicesRead:
        devices = Device.objects.exclude(state=Device.State.CERTIFICATE)
        failed = reread(devices, running.progress)
        return DevicesRead(devices.count(), {name: error.message for name, error in failed.items()})
