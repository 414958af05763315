"""What the simulated world consists of. Plain values, so that the whole state is one JSON file."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, field

IQN_PREFIX = "iqn.2026-01.example.kestrelbay:"
GROUP_DRIVES_MAX = 10
GIB = 1024**3
TIB = 1024**4


def uuid_of(text: str) -> str:
    """What a thing is known by from its first day on, whatever it is called later."""
    return str(uuid.uuid5(uuid.NAMESPACE_DNS, f"{text}.kestrelbay.example"))


@dataclass
class Pool:
    """Disks of an array. ``service_ms`` is one back-end I/O of 8 KiB on one disk; ``cache_hit`` the share of
    reads that never reach a disk; ``write_cost`` back-end I/Os per write (RAID), less what the cache merges."""

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
class Volume:
    """A volume, namespace or file system. Its serial is its NAA name, NGUID, or the id that its clients are told.

    Of kind set it is a volume set without a size of its own, which allows ``volumes_max`` volumes.
    ``signature`` is what a host would read at the start of a volume: empty, or the kind and id of a format.
    ``own_target`` has it behind an iSCSI target of its own.
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
    compressed: bool = False
    deduplicated: bool = False
    own_target: bool = False
    tiering: str = ""


@dataclass
class Zone:
    """A zone of a Fibre Channel fabric; ``members`` are [alias, WWPN]."""

    fabric: str
    name: str
    members: list[list[str]]


@dataclass
class Export:
    """A directory of a file system (``volume``) that NFS clients may mount.

    ``clients`` are [network or address, ReadWrite or ReadOnly]; ``root`` whether a client's root stays root.
    """

    id: str
    volume: str
    name: str
    path: str
    versions: list[str]
    clients: list[list[str]]
    root: bool = True


@dataclass
class Connection:
    """Masking: which initiators (or host NQNs) see a volume, under which LUN number (or namespace id)."""

    id: str
    volume: str
    initiators: list[str]
    lun: int


@dataclass
class Interface:
    """A host's storage interface; iSCSI binding works with exactly one active and no standby uplink.

    An FC port has no VLAN and no uplinks; its address is wwpn@fabric.
    """

    name: str
    address: str
    vlan: int
    mac: str
    active: list[str]
    standby: list[str] = field(default_factory=list)
    mtu: int = 9000
    protocol: str = "iSCSI"


@dataclass
class Host:
    """A hypervisor host. ``known`` are the serials found by its last scan, with the portals seen per interface.

    ``connected`` has the (interface, portal) pairs over which it is connected to the subsystem of each NVMe array,
    ``sessions`` those over which it is logged in to each iSCSI target, with the CHAP method of the login; ``chap`` is
    how it authenticates at each array.
    """

    name: str
    iqn: str
    interfaces: list[Interface]
    known: dict[str, list[list[str]]] = field(default_factory=dict)
    mounted: list[str] = field(default_factory=list)
    path_policy: dict[str, str] = field(default_factory=dict)
    # Limits of single devices, by serial, where they are not what the host gives to all.
    limits: dict[str, dict[str, int]] = field(default_factory=dict)
    # Sizes of devices, by serial, that were another when it last scanned: it goes on with these.
    sizes: dict[str, int] = field(default_factory=dict)
    # The switch each uplink is cabled to.
    cabling: dict[str, str] = field(default_factory=dict)
    # The NFS version of each file datastore it mounts, by the datastore's id.
    file_versions: dict[str, str] = field(default_factory=dict)
    # Timeouts and limits of its NFS client.
    file_client: dict[str, int] = field(default_factory=dict)
    nqn: str = ""
    connected: dict[str, list[list[str]]] = field(default_factory=dict)
    cluster: str = "quayside"
    # The datastore that new machines are put on; empty for none.
    default_datastore: str = ""
    sessions: dict[str, list[list[str]]] = field(default_factory=dict)
    chap: dict[str, dict[str, str]] = field(default_factory=dict)


@dataclass
class Datastore:
    """A formatted volume, or an export as hosts mount it: ``server`` and ``path`` as they were spelled make its id.

    ``other_bytes`` grows by ``growth_bytes`` a day: logs and images beside the disks. ``contents`` names what else
    lives there, as [kind, name]: templates, images, swap files, a cluster's heartbeat.
    """

    id: str
    name: str
    serial: str
    capacity_bytes: int
    other_bytes: int
    growth_bytes: int
    key: str = ""
    contents: list[list[str]] = field(default_factory=list)
    server: str = ""
    path: str = ""


@dataclass
class Disk:
    """A virtual disk. ``places`` is its history: [since (epoch seconds), datastore id], oldest first."""

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

    def limits_at(self, when: float) -> tuple[int, int]:
        """Cap and floor at a moment; 0 is none."""
        return next(((cap, floor) for since, cap, floor in reversed(self.limits) if since <= when), (0, 0))

    @property
    def written_bytes(self) -> int:
        return int(self.size_bytes * self.written_share)

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

    A ``deaf`` guest does not shut down when it is asked to. ``home`` is the datastore of the machine's own files.
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


@dataclass
class Task:
    """Long work of one device. Copies count bytes; other work counts seconds."""

    id: str
    device: str
    kind: str
    key: str
    state: str
    total: float
    done: float = 0.0
    rate: float = 0.0
    started: float = 0.0
    ended: float = 0.0
    disk: str = ""
    target: str = ""
    source: str = ""
    offloaded: bool = True
    message: str = ""

    @property
    def running(self) -> bool:
        return self.state == "Running"


@dataclass
class GivenPassword:
    """The digest of a password that a device was given since it was set up."""

    name: str
    digest: str


@dataclass
class World:
    """The arrays with their pools, the hosts on them, and all that was done to them.

    ``array`` and ``slow_array`` are the block arrays over iSCSI; the first has FC ports too.

    ``initiators`` are the initiators and host NQNs that each block array knows, ``chap`` what it asks of each of them
    at a login, if anything. ``file_advice`` are the timeouts and
    limits that the file array recommends to its clients.
    """

    seed: int
    started: float
    array: str
    pools: list[Pool]
    portals: list[Portal]
    volumes: list[Volume]
    connections: list[Connection]
    initiators: dict[str, list[str]]
    hosts: list[Host]
    datastores: list[Datastore]
    machines: list[Machine]
    tasks: list[Task] = field(default_factory=list)
    # Seconds by which a device's clock is wrong, by its name.
    clock_errors: dict[str, float] = field(default_factory=dict)
    slow_array: str = "basalt"
    file_array: str = "shale"
    nvme_array: str = "chalk"
    exports: list[Export] = field(default_factory=list)
    zones: list[Zone] = field(default_factory=list)
    file_advice: dict[str, int] = field(default_factory=dict)
    chap: dict[str, dict[str, dict[str, str]]] = field(default_factory=dict)
    # What devices leave out of their lists for now, as "kind:name".
    hidden: list[str] = field(default_factory=list)
    passwords: list[GivenPassword] = field(default_factory=list)
    images: list[KeptImage] = field(default_factory=list)
    counter: int = 100
    pace: float = 150.0

    def next_id(self) -> int:
        self.counter += 1
        return self.counter

    def volume_by_serial(self, serial: str) -> Volume | None:
        return next((volume for volume in self.volumes if volume.serial == serial), None)

    def kind_of(self, array: str) -> str:
        """What an array is: block (over iSCSI or FC), nvme, or file."""
        return {self.file_array: "file", self.nvme_array: "nvme"}.get(array, "block")

    def array_of(self, volume: Volume) -> str:
        return self.pool(volume.pool).array

    def target_name(self, array: str) -> str:
        """The iSCSI target that an array's volumes share."""
        return f"{IQN_PREFIX}{array}"

    def target_of(self, volume: Volume) -> str:
        """The iSCSI target that a volume is behind."""
        shared = self.target_name(self.array_of(volume))
        return f"{shared}.{volume.name}" if volume.own_target else shared

    def connections_of(self, array: str) -> list[Connection]:
        ours = {volume.id for volume in self.volumes_of(array)}
        return [connection for connection in self.connections if connection.volume in ours]

    def volumes_of(self, array: str) -> list[Volume]:
        return [volume for volume in self.volumes if self.pool(volume.pool).array == array]

    def portals_of(self, array: str) -> list[Portal]:
        return [portal for portal in self.portals if portal.array == array]

    def pools_of(self, array: str) -> list[Pool]:
        return [pool for pool in self.pools if pool.array == array]

    def datastore(self, identity: str) -> Datastore | None:
        return next((store for store in self.datastores if store.id == identity), None)

    def host(self, name: str) -> Host:
        return next(host for host in self.hosts if host.name == name)

    def pool(self, name: str) -> Pool:
        return next(pool for pool in self.pools if pool.name == name)

    def pool_under(self, address: str) -> Pool:
        """The pool of an address that ends in its key."""
        return next(pool for pool in self.pools if pool.key == address.rsplit("/", 1)[1])

    def disks(self) -> list[Disk]:
        return [disk for machine in self.machines for disk in machine.disks]

    def idle(self) -> set[str]:
        """The ids of disks of machines that are off: nothing asks anything of them."""
        return {disk.id for machine in self.machines if machine.power != "On" for disk in machine.disks}

    def disk(self, identity: str) -> Disk | None:
        return next((disk for disk in self.disks() if disk.id == identity), None)

    def pool_of(self, datastore_id: str) -> Pool:
        store = self.datastore(datastore_id)
        volume = self.volume_by_serial(store.serial) if store else None
        if volume is None:
            raise LookupError(f"datastore {datastore_id} has no volume")
        return self.pool(volume.pool)
