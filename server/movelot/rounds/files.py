"""Findings on file storage: NFS clients set otherwise than recommended, exports spelled or versioned apart."""

from __future__ import annotations

from collections.abc import Iterator

from movelot.inventory.files import mounts_of, wanted_settings
from movelot.inventory.models import Device, Volume
from movelot_core.files import differing, limits_differ, spelled_apart, versions_apart
from movelot_core.rounds import Finding


def file_findings() -> Iterator[Finding]:
    """All of them; limits are told for the array that asks for them, and only of hosts that mount any export."""
    volumes = list(Volume.objects.filter(kind=Volume.Kind.FILE).order_by("name"))
    mounts = mounts_of(volumes)
    users = {mount.host for each in mounts.values() for mount in each}
    clients = dict(Device.objects.filter(name__in=users).values_list("name", "file_client"))
    by_array: dict[str, dict[str, int]] = {}
    for setting, (value, array) in wanted_settings().items():
        by_array.setdefault(array, {})[setting] = value
    for array, wanted in sorted(by_array.items()):
        if finding := limits_differ(array, differing(clients, wanted)):
            yield finding
    for volume in volumes:
        for judge in (spelled_apart, versions_apart):
            if finding := judge(volume.name, mounts.get(volume.serial, [])):
                yield finding
