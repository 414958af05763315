"""What arrays consist of: pools, portals, volumes with what they are offered to, zones and exports."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, field

IQN_PREFIX = "iqn.2026-01.example.kestrelbay:"
GROUP_DRIVES_MAX = 10
COMPRESSION, DEDUPLICATION = "compression", "deduplication"
GIB = 1024**3
TIB = 1024**4


def uuid_of(text: str) -> str:
    """What a thing is known by from its first day on, whatever it is called later."""
    return str(uuid.uuid5(uuid.NAMESPACE_DNS, f"{text}.kestrelbay.example"))


@dataclass(kw_only=True)
class Reduced:
    """How the blocks of a volume, or of a disk that has one of its own, are reduced.

    ``reduced_share`` is how much of it is reduced as it is now to be, and no longer in the ways of ``reduced_from``.
    """

    compressed: bool = False
    deduplicated: bool = False
    reduced_from: list[str] = field(default_factory=list)
    reduced_share: float = 1.0

    @property
    def ways(self) -> list[str]:
        """In which ways its data is reduced, or will be."""
        return [way for way, on in ((COMPRESSION, self.compressed), (DEDUPLICATION, self.deduplicated)) if on]

    def keep_whole(self) -> None:
        """Nothing of it is reduced."""
        self.compressed, self.deduplicated, self.reduced_from, self.reduced_share = False, False, [], 1.0


@dataclass
class Pool:
    """Disks of an array. ``service_ms`` is one back-end I/O of 8 KiB on one disk; ``cache_hit`` the share of
    reads that never reach a disk; ``write_cost`` back-end I/Os per write (RAID), less what the cache merges;
    ``waits`` names how long its I/Os wait (see ``waiting``)."""

    name: str
    capacity_bytes: int
    drives: int
    service_ms: float
    front_ms: float
    cache_hit: float
    write_cost: float
    raid: str
    media: str
    array: str = "granite"
    spares: int = 1
    page_bytes: int = 32 * 1024**2
    deduplicates: bool = False
    failed: int = 0
    # Drives of its kind that belong to no pool yet.
    addable: int = 0
    waits: str = "one queue"
    cache_bytes: int = 64 * GIB
    # Bytes of each tier, fastest first, and the hours (UTC) in which pages move between them; empty without tiers.
    tiers: list[list[object]] = field(default_factory=list)
    relocation: str = ""
    uuid: str = ""
    # The last part of its address, which another name leaves as it is.
    key: str = ""

    def __post_init__(self) -> None:
        self.uuid = self.uuid or uuid_of(f"pool {self.array} {self.name}")
        self.key = self.key or self.name

    def groups(self) -> list[tuple[str, int]]:
        """Its drives as RAID groups of at most ten, as even as can be: name and number of drives."""
        count = -(-self.drives // GROUP_DRIVES_MAX)
        even, more = divmod(self.drives, count)
        return [(f"{self.name}-g{n + 1}", even + (n < more)) for n in range(count)]

    @property
    def compresses(self) -> bool:
        """Pools of flash can compress: their processors are not kept waiting by disks."""
        return self.media == "SSD"


@dataclass
class Portal:
    """An array's portal, FC port, or the interface of a file server (protocol NFS), which also has a host name."""

    name: str
    controller: str
    address: str
    vlan: int
    up: bool = True
    mtu: int = 9000
    switch: str = ""
    array: str = "granite"
    protocol: str = "iSCSI"
    hostname: str = ""


@dataclass
class Volume(Reduced):
    """A volume, namespace or file system. Its serial is its NAA name, NGUID, or the id that its clients are told.

    Of kind set it is a volume set without a size of its own, which allows ``volumes_max`` volumes.
    ``signature`` is what a host would read at the start of a volume: empty, or the kind and id of a format.
    ``own_target`` has it behind an iSCSI target of its own. ``held_bytes`` are the blocks that it holds though what was
    in them may be gone.
    """

    id: str
    name: str
    serial: str
    pool: str
    size_bytes: int
    controller: str
    thin: bool = True
    description: str = ""
    signature_kind: str = ""
    signature_id: str = ""
    kind: str = "volume"
    volumes_max: int = 0
    own_target: bool = False
    tiering: str = ""
    held_bytes: int = 0


@dataclass
class Zone:
    """A zone of a Fibre Channel fabric; ``members`` are [alias, WWPN]."""

    fabric: str
    name: str
    members: list[list[str]]


@dataclass
class Export:
    """A directory of a file system (``volume``) that NFS clients may mount.

    ``clients`` are [network or address, ReadWrite or ReadOnly]; ``root`` whether a client's root stays root;
    ``quota_bytes`` what clients get of the file system at most, 0 for all of it.
    """

    id: str
    volume: str
    name: str
    path: str
    versions: list[str]
    clients: list[list[str]]
    root: bool = True
    quota_bytes: int = 0

    def given_bytes(self, size: int) -> int:
        """What clients see of a file system of this size."""
        return min(size, self.quota_bytes) if self.quota_bytes else size


@dataclass
class Connection:
    """Masking: which initiators (or host NQNs) see a volume, under which LUN number (or namespace id)."""

    id: str
    volume: str
    initiators: list[str]
    lun: int
