"""What a device says that it can do, so that nothing else is offered and the reason can be said.

A capability is [name, whether it is there, detail]; names are ours, the same for every device.
"""

from __future__ import annotations

from typing import Any

from movelot.devices.session import Resource
from movelot_core.fabric.paths import FC, ISCSI, NFS, NVME

Capability = list[Any]
OWN_TARGET = "target per volume"
DEVICE_LIMITS = "device limits"
# The standard has one word for NVMe over any fabric; arrays that we can speak to use TCP.
PROTOCOLS = {"NVMeOverFabrics": NVME}


def array_capabilities(
    controllers: list[Resource], pools: list[Resource], oem: Resource, set_limits: dict[str, int]
) -> list[Capability]:
    """From its controllers' protocols, its pools, and what it says of itself beside the standard (``oem``)."""
    own_targets, copies = bool(oem.get("TargetPerVolume")), bool(oem.get("CopyBytesPerSecond"))
    elsewhere, guaranteed = oem.get("SnapshotTargets", []), bool(oem.get("GuaranteedIOPS"))
    sets = f"{set_limits['sets']} sets of {set_limits['volumes']} volumes" if set_limits else ""
    spoken = {p for controller in controllers for p in controller.get("SupportedControllerProtocols", [])}
    protocols = sorted(PROTOCOLS.get(protocol, protocol) for protocol in spoken)
    return [
        ["protocols", bool(protocols), ", ".join(protocols)],
        ["controllers", len(controllers) > 1, f"{len(controllers)}, each can serve every volume"],
        _of_pools(pools, "thin volumes", lambda pool: "Thin" in pool.get("SupportedProvisioningPolicies", [])),
        _of_pools(pools, "thick volumes", lambda pool: "Fixed" in pool.get("SupportedProvisioningPolicies", [])),
        _of_pools(pools, "compression", lambda pool: bool(pool.get("CompressionEnabled"))),
        _of_pools(pools, "deduplication", lambda pool: bool(pool.get("DeduplicationEnabled"))),
        _of_pools(pools, "tiers", lambda pool: bool(pool.get("Oem", {}).get("Kestrel", {}).get("Tiers"))),
        ["redundancy", True, ", ".join(sorted({pool["SupportedRAIDTypes"][0] for pool in pools}))],
        [OWN_TARGET, own_targets, "shared with others, or one of its own" if own_targets else ""],
        ["volume sets", bool(set_limits), sets],
        ["copy offload", copies, "copies between its own volumes" if copies else ""],
        ["snapshots elsewhere", bool(elsewhere), f"kept on {', '.join(elsewhere)}" if elsewhere else ""],
        ["guaranteed IOPS", guaranteed, "a least for each volume" if guaranteed else ""],
    ]


def _of_pools(pools: list[Resource], name: str, has: Any) -> Capability:
    having = [str(pool["Name"]) for pool in pools if has(pool)]
    detail = "on every pool" if len(having) == len(pools) else f"on {', '.join(having)}" if having else "on no pool"
    return [name, bool(having), detail]


def host_capabilities(system: Resource) -> list[Capability]:
    """From the host's names and the actions that it offers."""
    oem = system["Oem"]["Kestrel"]
    actions = {name.rsplit(".", 1)[1] for name in system["Actions"]["Oem"]}
    limits = "SetDeviceLimits" in actions
    nvme = bool(oem.get("HostNQN")) and "ConnectSubsystem" in actions
    able = {
        FC: "FibreChannelPorts" in oem,
        ISCSI: bool(oem.get("InitiatorName")),
        NVME: nvme,
        NFS: "MountExport" in actions,
    }
    protocols = [name for name, there in able.items() if there]
    return [
        ["protocols", bool(protocols), ", ".join(protocols) or "neither initiator nor NFS client"],
        [
            "moves running machines",
            "MoveDisk" in actions,
            "disks move while their machine runs" if "MoveDisk" in actions else "",
        ],
        ["path policy", "SetPathPolicy" in actions, "set per device" if "SetPathPolicy" in actions else ""],
        [DEVICE_LIMITS, limits, "queue depth and turn length, set per device" if limits else ""],
    ]
