"""The tables of an estate as a Data Package: what docs/formats.md documents, stated once for reading and writing.

A package is a zip of ``datapackage.json`` (Frictionless Data Package) and one CSV a table. Sizes are bytes.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from movelot_core.fabric.transports import TRANSPORTS

HOUR_COLUMNS = tuple(f"h{hour:02d}" for hour in range(24))
PROFILE = "https://specs.frictionlessdata.io/schemas/data-package.json"


@dataclass(frozen=True)
class Column:
    """A column. ``kind`` is string, integer, number or boolean; ``to`` names the table and column it refers to."""

    name: str
    kind: str
    text: str
    required: bool = True
    choices: tuple[str, ...] = ()
    least: float | None = None
    to: tuple[str, str] | None = None

    @property
    def expected(self) -> str:
        """What a value has to be, in words."""
        if self.choices:
            return f"one of {', '.join(self.choices)}"
        words = {"string": "a text", "integer": "a whole number", "number": "a number", "boolean": "true or false"}
        least = f" of at least {self.least:g}" if self.least is not None else ""
        return f"{words[self.kind]}{least}{'' if self.required else ', or nothing'}"

    def schema(self) -> dict[str, Any]:
        """The column as a field of a Frictionless table schema."""
        limits: dict[str, Any] = {"required": True} if self.required else {}
        if self.choices:
            limits["enum"] = list(self.choices)
        if self.least is not None:
            limits["minimum"] = self.least
        found: dict[str, Any] = {"name": self.name, "type": self.kind, "description": self.text}
        return {**found, "constraints": limits} if limits else found


@dataclass(frozen=True)
class Table:
    """A table; no two rows have the same values in ``key``. One that is not ``needed`` may be left out."""

    name: str
    text: str
    columns: tuple[Column, ...]
    key: tuple[str, ...]
    needed: bool = False
    heads: tuple[str, ...] = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "heads", tuple(column.name for column in self.columns))

    def resource(self) -> dict[str, Any]:
        """The table as a resource of a Data Package."""
        keys = [
            {"fields": column.name, "reference": {"resource": column.to[0], "fields": column.to[1]}}
            for column in self.columns
            if column.to
        ]
        return {
            "name": self.name,
            "path": f"{self.name}.csv",
            "profile": "tabular-data-resource",
            "description": self.text,
            "mediatype": "text/csv",
            "encoding": "utf-8",
            "schema": {
                "fields": [column.schema() for column in self.columns],
                "primaryKey": list(self.key),
                **({"foreignKeys": keys} if keys else {}),
            },
        }


def _text(name: str, text: str, **more: Any) -> Column:
    return Column(name, "string", text, **more)


def _may(name: str, text: str, **more: Any) -> Column:
    return Column(name, "string", text, required=False, **more)


def _bytes(name: str, text: str, **more: Any) -> Column:
    return Column(name, "integer", text, least=0, **more)


def _number(name: str, text: str, required: bool = False) -> Column:
    return Column(name, "number", text, required, least=0)


def _whole(name: str, text: str, required: bool = False) -> Column:
    return Column(name, "integer", text, required, least=0)


def _flag(name: str, text: str) -> Column:
    return Column(name, "boolean", text, required=False)


PROTOCOLS = tuple(TRANSPORTS)
_CLUSTER = ("clusters", "name")
_HOST = ("hosts", "name")
_ARRAY = ("arrays", "name")
_STORE = ("datastores", "identity")
_WIRED = (
    _may("protocol", "iSCSI when left empty", choices=PROTOCOLS),
    _text(
        "network",
        "address with prefix length, as 10.40.8.11/24; over FC its WWPN in a fabric, as 21:00:02:4b:42:00:01:01@f-1",
    ),
    _whole("vlan", "VLAN number", required=True),
    _flag("up", "whether it has a link; true when left empty"),
    _whole("frame_bytes", "largest frame; 9000 when left empty"),
    _may("switch", "the switch it is cabled to"),
)

TABLES: tuple[Table, ...] = (
    Table(
        "clusters",
        "hosts that may run the same machines, and the ceilings of their balance group",
        (
            _text("name", "the cluster's name"),
            _number("fill_ceiling", "share of capacity, 0.82 when left empty"),
            _number("latency_ceiling_ms", "ms at the peak hour, 9 when left empty"),
        ),
        ("name",),
        needed=True,
    ),
    Table(
        "hosts",
        "hypervisor hosts",
        (
            _text("name", "the host's name"),
            _text("cluster", "its cluster", to=_CLUSTER),
            _may("initiator", "its IQN"),
            _may("nqn", "its NQN"),
            _may("subsystems", "connections to NVMe subsystems, as NQN=port>portal separated by spaces"),
            _may("sessions", "sessions with iSCSI targets, as IQN=port>portal separated by spaces"),
            _may("chap", "CHAP that it gives to a target, as IQN=one-way or IQN=mutual separated by spaces"),
            _number("copy_bytes_per_second", "how fast it copies a disk"),
            _number("scan_seconds", "how long a rescan takes"),
            _may("default_datastore", "the identity of the datastore that it puts new machines on"),
            _whole("queue_depth", "how many I/Os it keeps outstanding to one block device"),
            _may("file_client", "settings of its NFS client, as name=value separated by spaces"),
        ),
        ("name",),
        needed=True,
    ),
    Table(
        "arrays",
        "arrays and file servers",
        (
            _text("name", "the array's name"),
            _may("nqn", "the NQN of its NVMe subsystem"),
            _may("target", "the IQN of the iSCSI target that its volumes share"),
            _may("set_limits", "volume sets and volumes in each that it allows, as sets=4 volumes=60"),
            _number("copy_bytes_per_second", "how fast it copies between its own volumes; empty where it cannot"),
            _may("file_client", "settings it recommends to NFS clients, as name=value separated by spaces"),
        ),
        ("name",),
        needed=True,
    ),
    Table(
        "capabilities",
        "what a device can do",
        (
            _text("device", "a host or an array"),
            _text("name", "the capability"),
            Column("able", "boolean", "whether it is there"),
            _may("detail", "more of it"),
        ),
        ("device", "name"),
    ),
    Table(
        "pools",
        "pools of arrays; the service curve is learned from metrics, or fallen back on when left empty",
        (
            _text("array", "its array", to=_ARRAY),
            _text("name", "the pool's name"),
            _bytes("capacity_bytes", "capacity"),
            _bytes("allocated_bytes", "what volumes hold of it"),
            _bytes("subscribed_bytes", "what volumes were promised"),
            _may("raid", "redundancy, as RAID6"),
            _may("media", "SSD or HDD"),
            _whole("drives", "how many drives it is made of"),
            _whole("spares", "how many more stand by"),
            _whole("page_bytes", "the pages in which space is taken of it"),
            _may("reduces", "how it can make data smaller: compression, deduplication, separated by spaces"),
            _may("tiers", "its tiers, fastest first, as SSD=bytes HDD=bytes"),
            _may("relocation", "when pages move between tiers, as 22:00-04:00 UTC"),
            _number("curve_l0_ms", "latency without load"),
            _number("curve_x_max", "load at saturation"),
            _number("curve_beta", "weight of a write"),
            _number("curve_gamma", "weight of size"),
            _number("fit_error_ms", "typical error of the curve"),
            _whole("fit_samples", "samples it was learned from"),
            _number("fit_seen_max", "highest load seen"),
            _flag("fit_cautious", "whether nothing is known beyond the load seen"),
            _may("curve_shape", "what the curve is called"),
            _number("curve_servers", "servers behind its queue"),
            _number("curve_knee", "load up to which the front answers alone"),
            _number("curve_wait_ms", "time of one access behind the front"),
            _may("curve_knots", "the curve itself where no formula fits, as load=ms load=ms"),
            _number("curve_known_max", "load beyond which nothing is known"),
            _number("fit_low", "nine in ten hours lay above this many times what was said"),
            _number("fit_high", "nine in ten hours lay below this many times what was said"),
            _number("allowed_load", "load that plans may bring by people's word, whatever was seen"),
        ),
        ("array", "name"),
        needed=True,
    ),
    Table(
        "drive_groups",
        "drives that one RAID layout runs over; pools are made of them",
        (
            _text("array", "its array", to=_ARRAY),
            _text("name", "the group's name"),
            _text("pool", "the pool that it is part of"),
            _may("raid", "its layout, as RAID6"),
            _whole("drives", "how many drives it has", required=True),
        ),
        ("array", "name"),
    ),
    Table(
        "grants",
        "pools that the storage team lets be used",
        (
            _text("array", "the array", to=_ARRAY),
            _text("pool", "the pool"),
            _bytes("quota_bytes", "how much of it; empty for the whole pool", required=False),
            _may("granted_by", "who granted it"),
        ),
        ("array", "pool"),
    ),
    Table(
        "portals",
        "portals of arrays, and server interfaces for NFS",
        (
            _text("array", "its array", to=_ARRAY),
            _text("name", "the portal's name"),
            _text("controller", "the controller it is on"),
            *_WIRED,
            _may("host_name", "the name under which clients mount"),
        ),
        ("array", "name"),
    ),
    Table(
        "initiators",
        "initiators that arrays know",
        (
            _text("array", "the array", to=_ARRAY),
            _text("name", "its name there"),
            _text("identifier", "its IQN, NQN or WWPN"),
            _may("chap", "CHAP that the array asks of it", choices=("off", "one-way", "mutual")),
        ),
        ("array", "name"),
    ),
    Table(
        "zones",
        "zones of FC fabrics, as arrays tell of them",
        (
            _text("array", "the array that tells of it", to=_ARRAY),
            _text("fabric", "its fabric"),
            _text("name", "its name there"),
            _may("members", "alias=WWPN separated by spaces"),
        ),
        ("array", "fabric", "name"),
    ),
    Table(
        "volumes",
        "volumes and file systems of arrays",
        (
            _text("array", "its array", to=_ARRAY),
            _text("name", "the volume's name"),
            _text("pool", "its pool"),
            _text("serial", "serial number, or the file system's id: how hosts know it; unique"),
            _bytes("size_bytes", "size"),
            _bytes("allocated_bytes", "what it holds of its pool"),
            _may("controller", "the controller that owns it"),
            _flag("thin", "whether it takes space as it fills; true when left empty"),
            _may("reduced", "how its data is made smaller: compression, deduplication, separated by spaces"),
            _may("kind", "block when left empty", choices=("block", "file", "set", "member")),
            _whole("volumes_max", "how many volumes a volume set allows"),
            _may("set_serial", "the serial of the volume set that it is in"),
            _may("purpose", "of a volume in a set: disk, snapshot or swap"),
            _may("disk_identity", "the virtual disk that it holds"),
            _may("tiering", "where a pool with tiers keeps its pages", choices=("by use", "fastest", "slowest")),
            _may("target", "the iSCSI target that it is behind, where that is not the one that volumes share"),
        ),
        ("array", "name"),
        needed=True,
    ),
    Table(
        "offers",
        "masking: who is let in to a volume",
        (
            _text("array", "the array", to=_ARRAY),
            _text("volume", "the volume"),
            _text("name", "the offer's name"),
            _whole("lun", "LUN number, or namespace id", required=True),
            _may("initiators", "IQNs, NQNs or WWPNs separated by spaces"),
        ),
        ("array", "name"),
    ),
    Table(
        "exports",
        "paths of file systems that clients may mount",
        (
            _text("array", "the array", to=_ARRAY),
            _text("volume", "the file system"),
            _text("name", "the export's name"),
            _text("path", "its path"),
            _text("versions", "NFS versions separated by spaces, as NFSv3 NFSv4_1"),
            _may("clients", "network=access separated by spaces, as 10.40.10.0/24=ReadWrite"),
            _flag("root", "whether a client's root stays root"),
            _bytes("quota_bytes", "what clients get of the file system at most; empty for all of it", required=False),
        ),
        ("array", "name"),
    ),
    Table(
        "host_ports",
        "storage interfaces of hosts",
        (
            _text("host", "its host", to=_HOST),
            _text("name", "the interface's name"),
            *_WIRED,
            _may("active_uplinks", "separated by spaces"),
            _may("standby_uplinks", "separated by spaces"),
        ),
        ("host", "name"),
    ),
    Table(
        "host_devices",
        "volumes as hosts see them",
        (
            _text("host", "its host", to=_HOST),
            _text("serial", "the volume's serial number"),
            _text("name", "the device's name"),
            _bytes("size_bytes", "size"),
            _whole("lun", "LUN number, or namespace id", required=True),
            _may("signature", "what is on it: datastore, filesystem, or None"),
            _may("path_policy", "how I/O is spread over its paths"),
            _whole("queue_depth", "how many I/Os the host keeps outstanding to it"),
            _whole("turn_ios", "how many I/Os go down one path before round robin takes the next"),
            _may("paths", "port>portal=access state separated by spaces"),
        ),
        ("host", "serial"),
    ),
    Table(
        "datastores",
        "datastores",
        (
            _text("identity", "how hosts know it; unique"),
            _text("name", "its name"),
            _text("serial", "serial numbers of the volumes it is on, separated by spaces"),
            _bytes("capacity_bytes", "capacity"),
            _bytes("free_bytes", "what is free of it"),
            _bytes("other_bytes", "what is used beside disks", required=False),
            _may("contents", "what lives there beside disks, as kind=name separated by ;"),
        ),
        ("identity",),
        needed=True,
    ),
    Table(
        "mounts",
        "which hosts mount a datastore; an export also how",
        (
            _text("datastore", "the datastore's identity", to=_STORE),
            _text("host", "the host", to=_HOST),
            _may("server", "server as spelled on the host"),
            _may("path", "path as spelled on the host"),
            _may("version", "NFS version"),
            _may("ways", "port>server interface separated by spaces"),
        ),
        ("datastore", "host"),
        needed=True,
    ),
    Table(
        "machines",
        "virtual machines",
        (
            _text("name", "the machine's name"),
            _text("host", "the host it runs on", to=_HOST),
            _may("os", "operating system"),
            _may("address", "its address"),
            _may("power", "On when left empty", choices=("On", "Off", "Paused", "PoweringOn", "PoweringOff")),
            _may("identity", "what it keeps on every host, such as its UUID; its name when left empty"),
        ),
        ("host", "name"),
        needed=True,
    ),
    Table(
        "disks",
        "virtual disks",
        (
            _text("identity", "how the host knows it; unique"),
            _text("name", "its name"),
            _text("machine", "its machine"),
            _text("host", "the host of the machine", to=_HOST),
            _may("datastore", "the datastore's identity", to=_STORE),
            _bytes("size_bytes", "size"),
            _flag("pinned", "whether it stays where it is"),
            _may("raw_serial", "the serial of the volume that it is, for a raw volume given to the machine"),
            _flag("shared", "whether other machines have the same raw volume"),
            _bytes("written_bytes", "what its guest has written of it; empty where that is not known", required=False),
            _flag("thin", "whether it takes only what was written of it"),
        ),
        ("identity",),
        needed=True,
    ),
    Table(
        "loads",
        "what disks ask for, hour by hour: 95th percentiles of read IOPS, write IOPS, and mean KiB per I/O",
        (
            _text("disk", "the disk's identity", to=("disks", "identity")),
            _text("day", "kind of day", choices=("weekday", "weekend")),
            _text("measure", "what was measured", choices=("read_iops", "write_iops", "kib")),
            *(_number(name, f"the hour from {name[1:]}:00 UTC", required=True) for name in HOUR_COLUMNS),
        ),
        ("disk", "day", "measure"),
    ),
    Table(
        "coincidences",
        "how much of the sum of its disks' peaks a pool ever saw at once; learned from metrics",
        (
            _text("array", "the array", to=_ARRAY),
            _text("pool", "the pool"),
            _text("day", "kind of day", choices=("weekday", "weekend")),
            *(_number(name, f"the hour from {name[1:]}:00 UTC", required=True) for name in HOUR_COLUMNS),
        ),
        ("array", "pool", "day"),
    ),
    Table(
        "labels",
        "labels that people gave things",
        (
            _text("kind", "kind of thing", choices=("datastore", "pool", "machine", "disk")),
            _text("subject", "identity of a datastore or disk, identity or name of a machine, array/name of a pool"),
            _text("key", "the label's key"),
            _text("value", "its value"),
        ),
        ("kind", "subject", "key"),
    ),
    Table(
        "fills",
        "what a datastore held at the start of a day: how fast it grows is told from these",
        (
            _text("datastore", "the datastore's identity", to=_STORE),
            _text("day", "as 2026-11-24"),
            _bytes("used_bytes", "bytes held"),
        ),
        ("datastore", "day"),
    ),
)
TABLE = {table.name: table for table in TABLES}


def descriptor(name: str, created: str, tables: list[Table]) -> dict[str, Any]:
    """datapackage.json of a package with ``tables``."""
    return {
        "profile": "tabular-data-package",
        "name": name,
        "title": "An estate of storage and hosts",
        "created": created,
        "resources": [table.resource() for table in tables],
    }
