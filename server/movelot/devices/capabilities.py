"""What a device says that it can do, so that nothing else is offered and the reason can be said.

A capability is a code (see inventory.capabilities), whether it is there, and a detail.
"""

from __future__ import annotations

from typing import Any

from movelot.devices.session import Resource
from movelot.inventory.capabilities import DEVICE_LIMITS, DISK_LIMITS, LINKED_CLONES, OWN_TARGET
from movelot.inventory.readings import Row
from movelot_core.fabric.paths import FC, ISCSI, NFS, NVME

# The standard has one word for NVMe over any fabric; arrays that we can speak to use TCP.
PROTOCOLS = {"NVMeOverFabrics": NVME}


def array_capabilities(
    controllers: list[Resource], pools: list[Resource], oem: Resource, set_limits: dict[str, int]
) -> list[Row]:
    """From its controllers' protocols, its pools, and what it says of itself beside the standard (``oem``)."""
    own_targets, copies = bool(oem.get("TargetPerVolume")), bool(oem.get("CopyBytesPerSecond"))
    elsewhere, guaranteed = oem.get("SnapshotTargets", []), bool(oem.get("GuaranteedIOPS"))
    sets = f"{set_limits['sets']} sets of {set_limits['volumes']} volumes" if set_limits else ""
    spoken = {p for controller in controllers for p in controller.get("SupportedControllerProtocols", [])}
    protocols = sorted(PROTOCOLS.get(protocol, protocol) for protocol in spoken)
    return [
        _row("protocols", bool(protocols), ", ".join(protocols)),
        _row("controllers", len(controllers) > 1, f"{len(controllers)}, each can serve every volume"),
        _of_pools(pools, "thin", lambda pool: "Thin" in pool.get("SupportedProvisioningPolicies", [])),
        _of_pools(pools, "thick", lambda pool: "Fixed" in pool.get("SupportedProvisioningPolicies", [])),
        _of_pools(pools, "compression", lambda pool: bool(pool.get("CompressionEnabled"))),
        _of_pools(pools, "deduplication", lambda pool: bool(pool.get("DeduplicationEnabled"))),
        _of_pools(pools, "tiers", lambda pool: bool(pool.get("Oem", {}).get("Kestrel", {}).get("Tiers"))),
        _row("redundancy", True, ", ".join(sorted({pool["SupportedRAIDTypes"][0] for pool in pools}))),
        _row(OWN_TARGET, own_targets, "shared with others, or one of its own" if own_targets else ""),
        _row("volume_sets", bool(set_limits), sets),
        _row(LINKED_CLONES, bool(oem.get("LinkedClones")), "in its volume sets" if oem.get("LinkedClones") else ""),
        _row("copy_offload", copies, "copies between its own volumes" if copies else ""),
        _row("snapshots_elsewhere", bool(elsewhere), f"kept on {', '.join(elsewhere)}" if elsewhere else ""),
        _row("guaranteed_iops", guaranteed, "a least for each volume" if guaranteed else ""),
    ]


def _row(code: str, able: bool, detail: str) -> Row:
    return {"code": code, "able": able, "detail": detail}


def _of_pools(pools: list[Resource], code: str, has: Any) -> Row:
    having = [str(pool["Name"]) for pool in pools if has(pool)]
    detail = "on every pool" if len(having) == len(pools) else f"on {', '.join(having)}" if having else "on no pool"
    return _row(code, bool(having), detail)


def host_capabilities(system: Resource) -> list[Row]:
    """From the host's names and the actions that it offers."""
    oem = system["Oem"]["Kestrel"]
    actions = {name.rsplit(".", 1)[1] for name in system["Actions"]["Oem"]}
    limits, moves = "SetDeviceLimits" in actions, "MoveDisk" in actions
    nvme = bool(oem.get("HostNQN")) and "ConnectSubsystem" in actions
    able = {
        FC: "FibreChannelPorts" in oem,
        ISCSI: bool(oem.get("InitiatorName")),
        NVME: nvme,
        NFS: "MountExport" in actions,
    }
    protocols = [name for name, there in able.items() if there]
    return [
        _row("protocols", bool(protocols), ", ".join(protocols) or "neither initiator nor NFS client"),
        _row("moves_running", moves, "disks move while their machine runs" if moves else ""),
        _row("path_policy", "SetPathPolicy" in actions, "set per device" if "SetPathPolicy" in actions else ""),
        _row(DISK_LIMITS, "SetDiskLimits" in actions, "a cap on each disk" if "SetDiskLimits" in actions else ""),
        _row(DEVICE_LIMITS, limits, "queue depth and turn length, set per device" if limits else ""),
    ]
