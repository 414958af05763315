"""A volume that the hosts of a cluster have under different LUN numbers."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Words
from movelot_core.rounds import Urgency
from movelot_core.units import count_of


@dataclass(frozen=True)
class Number:
    """A LUN number and the hosts that use it."""

    lun: int
    hosts: list[str]

    @property
    def text(self) -> str:
        return f"{self.lun} on {', '.join(self.hosts)}"


@dataclass(frozen=True)
class NumberedApartEvidence:
    """The numbers, that of most hosts first."""

    cluster: str
    numbers: list[Number]


class NumberedApartKind(FindingKind[NumberedApartEvidence]):
    name, stage = "numbered_apart", "attach"
    evidence = NumberedApartEvidence
    examples = (NumberedApartEvidence("quayside", [Number(16, ["quay-01", "quay-02"]), Number(40, ["quay-03"])]),)

    def urgency(self, evidence: NumberedApartEvidence) -> Urgency:
        return Urgency.SOON

    def title(self, evidence: NumberedApartEvidence) -> str:
        return "LUN numbers differ"

    def text(self, evidence: NumberedApartEvidence) -> Words:
        under = f"hosts of {evidence.cluster} have it under {count_of(len(evidence.numbers), 'number')}"
        return [f"{under}: {'; '.join(self.reasons(evidence))}. Tell it by its serial."]

    def reasons(self, evidence: NumberedApartEvidence) -> list[str]:
        return [number.text for number in evidence.numbers]
