"""A volume, volume set or export that no host uses."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Size, Subject, Words
from movelot.lots.kinds import Remedy
from movelot_core.rounds import Urgency
from movelot_core.units import count_of


@dataclass(frozen=True)
class IdleVolumeEvidence:
    """Its kind (block, file, set), size, and to how many it is offered; of file storage the rules of its exports."""

    kind: str
    size_bytes: int
    offered: int


class IdleVolumeKind(FindingKind[IdleVolumeEvidence]):
    name, stage = "idle_volume", "attach"
    evidence = IdleVolumeEvidence
    examples = (
        IdleVolumeEvidence("block", 2**40, 3),
        IdleVolumeEvidence("block", 2**40, 0),
        IdleVolumeEvidence("file", 2**40, 1),
        IdleVolumeEvidence("file", 2**40, 0),
        IdleVolumeEvidence("set", 0, 0),
    )

    def urgency(self, evidence: IdleVolumeEvidence) -> Urgency:
        return Urgency.NOTE

    def title(self, evidence: IdleVolumeEvidence) -> str:
        return "Export that no host mounts" if evidence.kind == "file" else "No host uses it"

    def text(self, evidence: IdleVolumeEvidence) -> Words:
        if evidence.kind == "set":
            return ["volume set that no host mounts"]
        if evidence.kind == "file":
            entries = f"client list of {count_of(evidence.offered, 'entry', 'entries')}"
            return [Size(evidence.size_bytes), f" file system, {entries if evidence.offered else 'exported to nobody'}"]
        how = f"offered to {count_of(evidence.offered, 'initiator')}, mounted nowhere"
        return [Size(evidence.size_bytes), f" volume, {how if evidence.offered else 'offered to nobody'}"]

    def remedy(self, subject: Subject, evidence: IdleVolumeEvidence) -> Remedy:
        actions = {"file": "Delete the export", "set": "Delete the volume set"}
        return Remedy("detach", {"volume": subject.id}, actions.get(evidence.kind, "Delete the volume"))
