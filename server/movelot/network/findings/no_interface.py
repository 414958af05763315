"""A host lacks an interface in a subnet, or a port in a fabric, where most of its fellows have one."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Subject, Words
from movelot.lots.kinds import Remedy
from movelot.network.findings.missing_paths import path_page
from movelot_core.rounds import Urgency


@dataclass(frozen=True)
class NoInterfaceEvidence:
    """Where it has none; ``what`` is interface, or port over FC, which is a card or a cable that no lot makes."""

    cluster: str
    array: str
    subnet: str
    what: str


class NoInterfaceKind(FindingKind[NoInterfaceEvidence]):
    name, stage = "no_interface", "attach"
    look = "Fit a card or a cable"
    evidence = NoInterfaceEvidence
    examples = (
        NoInterfaceEvidence("quayside", "chalk", "10.40.12.0/24", "interface"),
        NoInterfaceEvidence("gatehouse", "granite", "fabric-2", "port"),
    )

    def urgency(self, evidence: NoInterfaceEvidence) -> Urgency:
        return Urgency.SOON

    def title(self, evidence: NoInterfaceEvidence) -> str:
        return f"{evidence.what.capitalize()} missing"

    def text(self, evidence: NoInterfaceEvidence) -> Words:
        return [f"has none in {evidence.subnet}, where the other hosts reach {evidence.array}"]

    def remedy(self, subject: Subject, evidence: NoInterfaceEvidence) -> Remedy | None:
        if evidence.what != "interface":
            return None
        return Remedy("interfaces", {"cluster": evidence.cluster, "array": evidence.array}, "Make the interface")

    def place(self, subject: Subject, evidence: NoInterfaceEvidence) -> str:
        return path_page(evidence.cluster, evidence.array)

    def label(self, subject: Subject, evidence: NoInterfaceEvidence) -> str:
        return f"{subject.name} to {evidence.array}"
