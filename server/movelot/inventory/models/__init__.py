"""What devices said of themselves, as last read, what people decided of it, and what was measured.

Sizes are bytes, times aware UTC, latencies ms, shares 0..1.
"""

from movelot.inventory.models.arrays import DriveGroup, Export, Grant, Initiator, Offer, Pool, Portal, Volume, Zone
from movelot.inventory.models.devices import Capability, Cluster, Device, Reading
from movelot.inventory.models.durable import Durable, Listed, OnDevice
from movelot.inventory.models.groups import BalanceGroup, GroupMember
from movelot.inventory.models.history import DatastoreDay, DiskDay, PoolDay, PoolHour, VolumeDay
from movelot.inventory.models.hosts import HostDevice, HostPort
from movelot.inventory.models.labels import Label
from movelot.inventory.models.machines import Datastore, Disk, DiskPlacement, Machine, MachinePlacement, Mount

__all__ = [
    "BalanceGroup",
    "Capability",
    "Cluster",
    "Datastore",
    "DatastoreDay",
    "Device",
    "Disk",
    "DiskDay",
    "DiskPlacement",
    "DriveGroup",
    "Durable",
    "Export",
    "Grant",
    "GroupMember",
    "HostDevice",
    "HostPort",
    "Initiator",
    "Label",
    "Listed",
    "Machine",
    "MachinePlacement",
    "Mount",
    "Offer",
    "OnDevice",
    "Pool",
    "PoolDay",
    "PoolHour",
    "Portal",
    "Reading",
    "Volume",
    "VolumeDay",
    "Zone",
]
