"""What hosts keep on datastores: machines with their disks and snapshots, images, and disks that no machine has."""

from __future__ import annotations

from dataclasses import dataclass, field

from movelot_standins.array_model import GIB, Reduced, uuid_of


@dataclass
class Disk(Reduced):
    """A virtual disk. ``places`` is its history: [since (epoch seconds), datastore id], oldest first.

    It is reduced by itself only in a volume set, where it has a volume of its own. Disks of one ``family`` there were
    linked to one another: what they have in common is kept once.
    """

    id: str
    name: str
    size_bytes: int
    places: list[tuple[float, str]]
    shape: str
    read_iops: float
    write_iops: float
    kib: float
    # What its guest has written of it; who made it, for work that is asked for again.
    written_share: float = 0.6
    key: str = ""
    # Its cap and floor in IOPS, 0 for none, since when: [since (epoch seconds), cap, floor], oldest first.
    limits: list[tuple[float, int, int]] = field(default_factory=list)
    # The image or disk that was copied into it, by its id.
    filled_from: str = ""
    # What its guest wrote that others have too: [stream, bytes of its beginning]; the rest is its own.
    content: list[tuple[str, int]] = field(default_factory=list)
    # Whether it takes only what was written of it, and not its whole size.
    thin: bool = False
    family: str = ""

    def limits_at(self, when: float) -> tuple[int, int]:
        """Cap and floor at a moment; 0 is none."""
        return next(((cap, floor) for since, cap, floor in reversed(self.limits) if since <= when), (0, 0))

    @property
    def written_bytes(self) -> int:
        return int(self.size_bytes * self.written_share)

    @property
    def taken_bytes(self) -> int:
        """What it takes of its datastore."""
        return self.written_bytes if self.thin else self.size_bytes

    @property
    def datastore(self) -> str:
        return self.places[-1][1]


@dataclass
class KeptImage:
    """A disk image on a datastore; ``key`` names who made it, for work that is asked for again."""

    id: str
    name: str
    size_bytes: int
    datastore: str
    key: str
    written_bytes: int = 0


@dataclass
class LooseDisk:
    """A disk on a datastore that no machine has; ``made_for`` names the machine that it was of."""

    id: str
    name: str
    datastore: str
    size_bytes: int
    written_bytes: int
    last_written: float
    made_for: str = ""


@dataclass
class RawVolume:
    """A volume that a machine has as it is, by its serial; ``shared`` with others that have it too."""

    serial: str
    shared: bool


@dataclass
class Snapshot:
    """A machine as it was at ``taken`` (epoch seconds), after the snapshot named ``parent``, if any.

    ``held`` are the bytes that it holds of each disk, by the disk's id: on ``datastore``, beside each disk without one.
    """

    name: str
    taken: float
    held: dict[str, int]
    parent: str = ""
    key: str = ""
    datastore: str = ""

    def place_of(self, disk: Disk) -> str:
        """The datastore that has what it holds of a disk."""
        return self.datastore or disk.datastore


@dataclass
class Machine:
    """A virtual machine on a host; ``power`` is On or Off, ``standing`` the snapshot that its disks go on from.

    A ``deaf`` guest does not shut down when it is asked to. ``home`` is the datastore of the machine's own files, and
    ``swap_bytes`` what it left there of its memory when it went off without ceremony.
    """

    name: str
    host: str
    os: str
    address: str
    disks: list[Disk]
    power: str = "On"
    memory_bytes: int = 8 * GIB
    snapshots: list[Snapshot] = field(default_factory=list)
    raw: list[RawVolume] = field(default_factory=list)
    uuid: str = ""
    processors: int = 2
    standing: str = ""
    deaf: bool = False
    home: str = ""
    key: str = ""
    swap_bytes: int = 0
    # Since when it is off (epoch seconds), where its host knows.
    off_since: float = 0.0

    def __post_init__(self) -> None:
        self.uuid = self.uuid or uuid_of(f"machine {self.name}")
        self.home = self.home or (self.disks[0].datastore if self.disks else "")

    @property
    def places(self) -> set[str]:
        """All datastores that it lies on: its own files, its disks, and what snapshots hold of these."""
        kept = {snapshot.datastore for snapshot in self.snapshots}
        return {self.home, *kept, *(disk.datastore for disk in self.disks)} - {""}

    def snapshot(self, name: str) -> Snapshot | None:
        return next((each for each in self.snapshots if each.name == name), None)
