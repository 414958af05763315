"""What can go wrong with a device.

DeviceError
├── DeviceAway           nothing answers, or not in time
├── DeviceRefused        the account is refused
├── CertificateChanged   another certificate than the pinned one is shown
├── DeviceGone           what was asked for is not there (404)
├── DeviceStale          a resource is not what it was when read (412)
├── DeviceFault          the device answered with an error of its own
└── DeviceOdd            what it answered cannot be used: too long, unreadable, or of another shape
"""

from __future__ import annotations


class DeviceError(Exception):
    """Base; ``device`` is its name, ``message`` a sentence for people."""

    code = "device_error"

    def __init__(self, device: str, message: str) -> None:
        super().__init__(f"{device}: {message}")
        self.device, self.message = device, message


class DeviceAway(DeviceError):
    code = "device_away"


class ConnectionDropped(DeviceAway):
    """The device, or something between, closed the connection instead of answering."""


class DeviceRefused(DeviceError):
    code = "device_refused"


class CertificateChanged(DeviceError):
    code = "device_certificate"


class DeviceGone(DeviceError):
    code = "device_gone"


class DeviceStale(DeviceError):
    code = "device_stale"


class DeviceFault(DeviceError):
    code = "device_fault"


class DeviceOdd(DeviceError):
    code = "device_odd"
