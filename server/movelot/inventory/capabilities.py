"""What devices may be able to do: the code that packages name and the label that people read, each said here once."""

from __future__ import annotations

from typing import Final

OWN_TARGET: Final = "own_target"
DEVICE_LIMITS: Final = "device_limits"
DISK_LIMITS: Final = "disk_limits"
LINKED_CLONES: Final = "linked_clones"

LABELS: Final = {
    "protocols": "protocols",
    "controllers": "controllers",
    "thin": "thin volumes",
    "thick": "thick volumes",
    "compression": "compression",
    "deduplication": "deduplication",
    "tiers": "tiers",
    "redundancy": "redundancy",
    OWN_TARGET: "target per volume",
    "volume_sets": "volume sets",
    LINKED_CLONES: "linked clones",
    "copy_offload": "copy offload",
    "snapshots_elsewhere": "snapshots elsewhere",
    "guaranteed_iops": "guaranteed IOPS",
    "moves_running": "moves running machines",
    "path_policy": "path policy",
    DEVICE_LIMITS: "device limits",
    DISK_LIMITS: "caps on disks",
}
_CODES: Final = {label: code for code, label in LABELS.items()}


def label_of(code: str) -> str:
    """What people call a capability; of one that only a package names, its own name."""
    return LABELS.get(code, code)


def code_of(label: str) -> str:
    """The code of a capability that a package or an older release names by its label."""
    return _CODES.get(label, label)
