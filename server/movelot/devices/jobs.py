"""Jobs on devices."""

from __future__ import annotations

from typing import Any

from movelot.devices.reading import reread
from movelot.inventory.models import Device
from movelot.jobs.work import JobKind, Running


class RereadJob(JobKind):
    """A new reading of every device, or of those named; what failed is part of the result."""

    name, queue = "reread", "readings"

    def do(self, running: Running) -> dict[str, Any]:
        devices = Device.objects.exclude(state=Device.State.CERTIFICATE)
        failed = reread(devices, running.progress)
        return {"devices": devices.count(), "failed": {name: error.message for name, error in failed.items()}}
