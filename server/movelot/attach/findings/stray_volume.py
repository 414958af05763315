"""A volume, volume set or file system that carries a lot's key, and belongs to no lot's account.

A lot writes its step's key into what it makes. What is there with such a key, though the lot was undone or the database
knows nothing of it (it was restored from an older backup), was left behind: nobody will take it away by undoing.
"""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Size, Subject, Words
from movelot.lots.kinds import Remedy
from movelot_core.rounds import Urgency
from movelot_core.units import count_of


@dataclass(frozen=True)
class StrayVolumeEvidence:
    """Its size, the number of the lot whose key it has, whether that lot is known, and how many hosts use it."""

    size_bytes: int
    lot: int
    known: bool
    users: int


class StrayVolumeKind(FindingKind[StrayVolumeEvidence]):
    name, stage = "stray_volume", "attach"
    evidence = StrayVolumeEvidence
    examples = (StrayVolumeEvidence(2**40, 7, True, 0), StrayVolumeEvidence(2**40, 7, False, 3))

    def urgency(self, evidence: StrayVolumeEvidence) -> Urgency:
        return Urgency.SOON

    def title(self, evidence: StrayVolumeEvidence) -> str:
        return "Left behind by a lot"

    def text(self, evidence: StrayVolumeEvidence) -> Words:
        why = "which was undone" if evidence.known else "which this installation does not know"
        users = f", used by {count_of(evidence.users, 'host')}" if evidence.users else ", used by no host"
        return [Size(evidence.size_bytes), f" made by lot {evidence.lot}, {why}{users}"]

    def remedy(self, subject: Subject, evidence: StrayVolumeEvidence) -> Remedy:
        return Remedy("detach", {"volume": subject.id}, "Take it away")
