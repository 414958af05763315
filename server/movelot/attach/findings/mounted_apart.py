"""One export that hosts mount in different ways: under two spellings, or with two NFS versions."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Subject, Words
from movelot.lots.kinds import Remedy
from movelot_core.rounds import Urgency
from movelot_core.units import count_of


@dataclass(frozen=True)
class Way:
    """How some hosts mount it."""

    how: str
    hosts: list[str]


@dataclass(frozen=True)
class MountedApartEvidence:
    """The ways, that of most hosts first."""

    ways: list[Way]


class _MountedApart(FindingKind[MountedApartEvidence]):
    stage = "attach"
    evidence = MountedApartEvidence

    def reasons(self, evidence: MountedApartEvidence) -> list[str]:
        return [f"{way.how} on {', '.join(way.hosts)}" for way in evidence.ways]

    def remedy(self, subject: Subject, evidence: MountedApartEvidence) -> Remedy:
        return Remedy("mount_alike", {"volume": subject.id}, "Mount it alike")


class SpelledApartKind(_MountedApart):
    name = "spelled_apart"
    examples = (
        MountedApartEvidence([Way("shale-a:/exports/sand-01", ["quay-01"]), Way("10.40.10.11:/a", ["quay-02"])]),
    )

    def urgency(self, evidence: MountedApartEvidence) -> Urgency:
        return Urgency.SOON

    def title(self, evidence: MountedApartEvidence) -> str:
        return f"Mounted under {count_of(len(evidence.ways), 'spelling')}"

    def text(self, evidence: MountedApartEvidence) -> Words:
        ways = "; ".join(self.reasons(evidence))
        return [f"hosts take it for {count_of(len(evidence.ways), 'datastore')}; {ways}"]


class VersionsApartKind(_MountedApart):
    name = "versions_apart"
    examples = (MountedApartEvidence([Way("NFSv3", ["quay-02"]), Way("NFSv4_1", ["quay-01"])]),)

    def urgency(self, evidence: MountedApartEvidence) -> Urgency:
        return Urgency.NOW

    def title(self, evidence: MountedApartEvidence) -> str:
        return f"Mounted with {count_of(len(evidence.ways), 'NFS version')}"

    def text(self, evidence: MountedApartEvidence) -> Words:
        return [f"locks of one version do not bind the other; {'; '.join(self.reasons(evidence))}"]
