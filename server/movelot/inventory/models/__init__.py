"""What devices said of themselves, as last read, what people decided of it, and what was measured.

Sizes are bytes, times aware UTC, latencies ms, shares 0..1.
"""

from movelot.inventory.models.arrays import (
    AdmittedInitiator,
    DriveGroup,
    Export,
    Grant,
    Initiator,
    InitiatorSet,
    Offer,
    Pool,
    Portal,
    Volume,
    Zone,
)
from movelot.inventory.models.devices import Capability, Cluster, Device, Reading
from movelot.inventory.models.durable import Durable, Listed, OnDevice
from movelot.inventory.models.groups import BalanceGroup, FormerGroupName, GroupMember, HeldEmpty
from movelot.inventory.models.history import DatastoreDay, DiskDay, PoolDay, PoolHour, ShareDay, TierDay, VolumeDay
from movelot.inventory.models.hosts import HostDevice, HostInitiator, HostPort, KnownTarget, Path, PathSet, Session
from movelot.inventory.models.images import LooseDisk, StoredImage
from movelot.inventory.models.kept import CourseNote, KeptWhatIf, Retention, RoomWatch
from movelot.inventory.models.labels import Label
from movelot.inventory.models.machines import (
    TAKEN_BYTES,
    Datastore,
    Disk,
    DiskPlacement,
    Extent,
    Machine,
    MachineListing,
    MachinePlacement,
    MachineSnapshot,
    Mount,
    SnapshotPart,
)
from movelot.inventory.models.policies import (
    Compliance,
    GivenPolicy,
    PartCompliance,
    PastCompliance,
    Policy,
    PolicyPlace,
    PolicyVersion,
    PolicyWish,
)
from movelot.inventory.models.rules import PlacementRule
from movelot.inventory.models.summaries import MachineSummary
from movelot.inventory.models.ways import ActsHalted, Rehearsal, WayBar, WayException, WayOfWorking

__all__ = [
    "TAKEN_BYTES",
    "ActsHalted",
    "AdmittedInitiator",
    "BalanceGroup",
    "Capability",
    "Cluster",
    "Compliance",
    "CourseNote",
    "Datastore",
    "DatastoreDay",
    "Device",
    "Disk",
    "DiskDay",
    "DiskPlacement",
    "DriveGroup",
    "Durable",
    "Export",
    "Extent",
    "FormerGroupName",
    "GivenPolicy",
    "Grant",
    "GroupMember",
    "HeldEmpty",
    "HostDevice",
    "HostInitiator",
    "HostPort",
    "Initiator",
    "InitiatorSet",
    "KeptWhatIf",
    "KnownTarget",
    "Label",
    "Listed",
    "LooseDisk",
    "Machine",
    "MachineListing",
    "MachinePlacement",
    "MachineSnapshot",
    "MachineSummary",
    "Mount",
    "Offer",
    "OnDevice",
    "PartCompliance",
    "PastCompliance",
    "Path",
    "PathSet",
    "PlacementRule",
    "Policy",
    "PolicyPlace",
    "PolicyVersion",
    "PolicyWish",
    "Pool",
    "PoolDay",
    "PoolHour",
    "Portal",
    "Reading",
    "Rehearsal",
    "Retention",
    "RoomWatch",
    "Session",
    "ShareDay",
    "SnapshotPart",
    "StoredImage",
    "TierDay",
    "Volume",
    "VolumeDay",
    "WayBar",
    "WayException",
    "WayOfWorking",
    "Zone",
]
