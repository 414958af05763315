"""A device cannot be read: it is away, refuses the account, shows another certificate, or answers nonsense."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Subject, Words
from movelot_core.rounds import Urgency


@dataclass(frozen=True)
class DeviceTroubleEvidence:
    """The state of the link and what is wrong, in the words of the last try."""

    state: str
    detail: str


class DeviceTroubleKind(FindingKind[DeviceTroubleEvidence]):
    name, stage, rank = "device_trouble", "devices", 0
    look = "See the device link"
    evidence = DeviceTroubleEvidence
    examples = (DeviceTroubleEvidence("away", "quay-01 does not answer at https://10.40.1.1:443."),)

    def urgency(self, evidence: DeviceTroubleEvidence) -> Urgency:
        return Urgency.NOW

    def title(self, evidence: DeviceTroubleEvidence) -> str:
        return "Device cannot be read"

    def text(self, evidence: DeviceTroubleEvidence) -> Words:
        return [evidence.detail]

    def reasons(self, evidence: DeviceTroubleEvidence) -> list[str]:
        return [evidence.detail]

    def place(self, subject: Subject, evidence: DeviceTroubleEvidence) -> str:
        return "/devices"
