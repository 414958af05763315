"""Where things are: which pool lies beneath what hosts see by its serial, and which hosts use it."""

from __future__ import annotations

from movelot.inventory.models import Disk, Mount, Volume


def pools_by_serial() -> dict[str, int]:
    """The primary key of the pool of each volume that is there, by the volume's serial."""
    return dict(Volume.objects.values_list("serial", "pool_id"))


def hosts_using() -> dict[str, set[str]]:
    """Names of the hosts that mount a datastore on a device, or run a machine that has it, by the device's serial."""
    found: dict[str, set[str]] = {}
    raw = Disk.objects.exclude(raw_serial="").filter(machine__placement__isnull=False)
    for serial, host in raw.values_list("raw_serial", "machine__placement__host__name"):
        found.setdefault(serial, set()).add(host)
    for serial, host in Mount.objects.values_list("datastore__serial", "host__name"):
        found.setdefault(serial, set()).add(host)
    return found
