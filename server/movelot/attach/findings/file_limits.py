"""Hosts whose NFS client is not set as a file array recommends."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Subject, Words
from movelot.lots.kinds import Remedy
from movelot_core.nfs import SETTINGS, Difference, gives_up_early
from movelot_core.rounds import Urgency
from movelot_core.units import count_of


@dataclass(frozen=True)
class FileLimitsEvidence:
    """Each setting of a host that is not what is advised."""

    differences: list[Difference]


class FileLimitsKind(FindingKind[FileLimitsEvidence]):
    """It is *soon* where a timeout or a limit is below the advice: that host gives up before the others do."""

    name, stage = "file_limits", "attach"
    evidence = FileLimitsEvidence
    examples = (
        FileLimitsEvidence([Difference("quay-02", "request_timeout_seconds", 10, 45)]),
        FileLimitsEvidence([Difference("quay-01", "retries", 9, 4), Difference("quay-02", "retries", 9, 4)]),
    )

    def urgency(self, evidence: FileLimitsEvidence) -> Urgency:
        return Urgency.SOON if gives_up_early(evidence.differences) else Urgency.NOTE

    def title(self, evidence: FileLimitsEvidence) -> str:
        return "NFS timeouts differ"

    def text(self, evidence: FileLimitsEvidence) -> Words:
        hosts = len({each.host for each in evidence.differences})
        who = count_of(hosts, "host is", "hosts are")
        return [f"{who} not as it recommends. {'; '.join(self.reasons(evidence))}"]

    def reasons(self, evidence: FileLimitsEvidence) -> list[str]:
        texts: dict[str, list[str]] = {}
        for each in evidence.differences:
            label, unit = SETTINGS[each.setting]
            texts.setdefault(each.host, []).append(f"{label} {each.now} for {each.wanted} {unit}".strip())
        return [f"{host}: {', '.join(parts)}" for host, parts in texts.items()]

    def remedy(self, subject: Subject, evidence: FileLimitsEvidence) -> Remedy:
        return Remedy("file_limits", {}, "Set them together")
