"""What devices say that they can do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from movelot.inventory.bulk import insert
from movelot.inventory.models import Capability
from movelot.inventory.readings import Row


def follow_capabilities(told: Mapping[int, Sequence[Row]]) -> None:
    """Make the capabilities of each device, by its primary key, be those ``told`` of it."""
    known: dict[int, list[Row]] = {}
    for device, code, able, detail in Capability.objects.filter(device__in=told).values_list(
        "device_id", "code", "able", "detail"
    ):
        known.setdefault(device, []).append({"code": code, "able": able, "detail": detail})
    others = [device for device, rows in told.items() if known.get(device, []) != [*rows]]
    Capability.objects.filter(device__in=others).delete()
    insert(Capability, [{"device_id": device, **row} for device in others for row in told[device]])
