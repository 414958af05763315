"""Where things are: which pool lies beneath a datastore, and which hosts use it."""

from __future__ import annotations

from movelot.inventory.models import Disk, Extent, Mount, Volume


def pools_by_store() -> dict[int, int]:
    """The primary key of the pool beneath each datastore, by the datastore's; left out is what stands on none we know.

    One whose extents lie in several pools counts for that of the first: its disks cannot be told apart further.
    """
    pool_of = dict(Volume.objects.values_list("serial", "pool_id"))
    found: dict[int, int] = {}
    for store, serial in Extent.objects.order_by("datastore", "number").values_list("datastore_id", "serial"):
        if serial in pool_of:
            found.setdefault(store, pool_of[serial])
    return found


def hosts_using() -> dict[str, set[str]]:
    """Names of the hosts that mount a datastore on a device, or run a machine that has it, by the device's serial."""
    found: dict[str, set[str]] = {}
    raw = Disk.objects.exclude(raw_serial="").filter(machine__placement__isnull=False)
    for serial, host in raw.values_list("raw_serial", "machine__placement__host__name"):
        found.setdefault(serial, set()).add(host)
    for serial, host in Mount.objects.values_list("datastore__extents__serial", "host__name"):
        found.setdefault(serial, set()).add(host)
    return found
