"""What the simulated world consists of. Plain values, so that the whole state is one JSON file."""

from __future__ import annotations

from dataclasses import dataclass, field

from movelot_standins.array_model import (
    COMPRESSION,
    DEDUPLICATION,
    GIB,
    IQN_PREFIX,
    TIB,
    Connection,
    Export,
    Pool,
    Portal,
    Reduced,
    Volume,
    Zone,
    uuid_of,
)
from movelot_standins.machine_model import Disk, KeptImage, LooseDisk, Machine, RawVolume, Snapshot

__all__ = [
    "COMPRESSION",
    "DEDUPLICATION",
    "GIB",
    "IQN_PREFIX",
    "TIB",
    "Connection",
    "Datastore",
    "Disk",
    "Export",
    "GivenPassword",
    "Host",
    "Interface",
    "KeptImage",
    "LooseDisk",
    "Machine",
    "Pool",
    "Portal",
    "RawVolume",
    "Reduced",
    "Snapshot",
    "Task",
    "Volume",
    "World",
    "Zone",
    "uuid_of",
]


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
    # Bytes a second at most, where whoever began it said so; what it changes and to what, where it is not a copy.
    limit: float = 0.0
    volume: str = ""
    # The pool of that volume.
    pool: str = ""

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
    loose: list[LooseDisk] = field(default_factory=list)
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
        return next(pool for pool in self.pools if pool.array and pool.key == address.rsplit("/", 1)[-1])

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
