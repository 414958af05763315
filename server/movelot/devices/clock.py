"""How far a device's clock is from ours, as its manager says."""

from __future__ import annotations

from datetime import UTC, datetime

from movelot.devices.session import DeviceSession

MANAGERS = "/redfish/v1/Managers"


def clock_offset_seconds(session: DeviceSession) -> float:
    """Seconds the device is ahead of us, to about a second; its answer is taken as given half-way of the request."""
    before = datetime.now(UTC)
    manager = next(session.members(MANAGERS))
    after = datetime.now(UTC)
    said = datetime.fromisoformat(manager["DateTime"])
    return round((said - (before + (after - before) / 2)).total_seconds(), 1)
