"""Where things are: which pool lies beneath a datastore, and which hosts use it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TypeVar

from movelot.inventory.models import AdmittedInitiator, Device, Disk, Extent, HostInitiator, Mount, Volume

T = TypeVar("T")


def by_first_extent(told: Mapping[str, T]) -> dict[int, T]:
    """What is ``told``, by serial, of the first extent of each datastore that anything is told of; by primary key."""
    found: dict[int, T] = {}
    for store, serial in Extent.objects.order_by("datastore", "number").values_list("datastore_id", "serial"):
        if serial in told:
            found.setdefault(store, told[serial])
    return found


def pools_by_store() -> dict[int, int]:
    """The primary key of the pool beneath each datastore, by the datastore's; left out is what stands on none we know.

    One whose extents lie in several pools counts for that of the first: its disks cannot be told apart further.
    """
    return by_first_extent(dict(Volume.objects.values_list("serial", "pool_id")))


def stores_on(pool: int) -> list[int]:
    """The datastores that stand on a pool, all by primary key."""
    return [store for store, beneath in pools_by_store().items() if beneath == pool]


# Of what stands on no volume that an array told of.
LOCAL = "local"


def kinds_by_store() -> dict[int, str]:
    """The kind of storage beneath each datastore on an array, by primary key: that of its first extent we know."""
    return by_first_extent(dict(Volume.objects.exclude(kind=Volume.Kind.MEMBER).values_list("serial", "kind")))


def hosts_using() -> dict[str, set[str]]:
    """Names of the hosts that mount a datastore on a device, or run a machine that has it, by the device's serial."""
    found: dict[str, set[str]] = {}
    raw = Disk.objects.exclude(raw_serial="").filter(machine__placement__isnull=False)
    for serial, host in raw.values_list("raw_serial", "machine__placement__host__name"):
        found.setdefault(serial, set()).add(host)
    for serial, host in Mount.objects.values_list("datastore__extents__serial", "host__name"):
        found.setdefault(serial, set()).add(host)
    return found


def initiators_of_hosts() -> set[str]:
    """The names under which arrays know the hosts that are linked."""
    of_hosts = HostInitiator.objects.filter(host__in=Device.objects.filter(kind=Device.Kind.HOST))
    return set(of_hosts.values_list("identifier", flat=True))


def strangers_let_in(volumes: Iterable[Volume]) -> list[str]:
    """Names of initiators that arrays let into volumes, and that no linked host has, in order."""
    admitted = AdmittedInitiator.objects.filter(initiator_set__offers__volume__in=list(volumes))
    names = set(admitted.values_list("identifier", flat=True))
    return sorted(names - initiators_of_hosts())
