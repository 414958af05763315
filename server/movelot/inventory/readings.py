"""A reading of a device as plain values: what the room ``devices`` makes and ``store`` puts into the tables."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

Row = dict[str, Any]


@dataclass(frozen=True)
class ArrayReading:
    """All an array said. Rows carry the fields of the models of the same name, links as URIs.

    ``identity`` is what it calls itself (a UUID), a pool's what the array knows it by whatever its name and URI.
    ``file_client`` are the timeouts and limits that it recommends to NFS clients, ``nqn`` names its NVMe subsystem,
    ``target`` the iSCSI target that its volumes share; ``set_limits`` are how many volume sets it allows, and volumes
    in each; for a short time a capped volume gets ``burst_factor`` times its cap. ``work_costs`` are the bytes
    of blocks given back, and of blocks reduced, for which a pool writes once; ``copied`` among them the pieces per
    second that one copy reads and writes.
    """

    name: str
    copy_bytes_per_second: float
    clock_offset_seconds: float
    capabilities: list[Row]
    pools: list[Row]
    portals: list[Row]
    initiators: list[Row]
    volumes: list[Row]
    offers: list[Row]
    exports: list[Row] = field(default_factory=list)
    zones: list[Row] = field(default_factory=list)
    file_client: dict[str, int] = field(default_factory=dict)
    nqn: str = ""
    drive_groups: list[Row] = field(default_factory=list)
    set_limits: dict[str, int] = field(default_factory=dict)
    burst_factor: float = 1.0
    work_costs: dict[str, int] = field(default_factory=dict)
    target: str = ""
    identity: str = ""


@dataclass(frozen=True)
class HostReading:
    """All a host said.

    Each datastore row is one this host mounts (with how, under ``mount``), each machine row holds its disks; ``images``
    are the disk images on these datastores, ``loose_disks`` the disks on them that no machine has.
    ``file_client`` are the timeouts and limits of its NFS client; ``subsystems`` the [port, portal] pairs over which it
    is connected, by the NQN of each NVMe subsystem; ``sessions`` those of iSCSI by the IQN of each target, ``chap`` the
    method that it gives there.
    """

    name: str
    cluster: str
    initiator: str
    copy_bytes_per_second: float
    clock_offset_seconds: float
    capabilities: list[Row]
    scan_seconds: float
    ports: list[Row]
    devices: list[Row]
    datastores: list[Row]
    machines: list[Row] = field(default_factory=list)
    images: list[Row] = field(default_factory=list)
    loose_disks: list[Row] = field(default_factory=list)
    file_client: dict[str, int] = field(default_factory=dict)
    nqn: str = ""
    subsystems: dict[str, list[list[str]]] = field(default_factory=dict)
    queue_depth: int = 0
    sessions: dict[str, list[list[str]]] = field(default_factory=dict)
    chap: dict[str, str] = field(default_factory=dict)
    default_datastore: str = ""
    identity: str = ""
    work_costs: dict[str, int] = field(default_factory=dict)
