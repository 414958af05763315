"""What is found of policies together: two that allow the same places, one whose room ends first, disks without one."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.findings.base import FindingKind, Subject, Words
from movelot.policies.findings.of_policy import OfPolicy
from movelot_core.rounds import Urgency
from movelot_core.units import count_of

SOON_DAYS = 30.0


@dataclass(frozen=True)
class AlikeEvidence:
    """The other policies that the same datastores serve, and how many these are."""

    others: list[str]
    datastores: int


class AlikeKind(OfPolicy[AlikeEvidence]):
    name = "policies_alike"
    evidence = AlikeEvidence
    examples = (AlikeEvidence(["Records"], 3), AlikeEvidence(["Records", "Scratch"], 1))

    def urgency(self, evidence: AlikeEvidence) -> Urgency:
        return Urgency.NOTE

    def title(self, evidence: AlikeEvidence) -> str:
        return "Allows the same places as another policy"

    def text(self, evidence: AlikeEvidence) -> Words:
        where = count_of(evidence.datastores, "datastore serves", "datastores serve")
        return [f"{where} it, and {', '.join(evidence.others)} as well: one of them may do"]


@dataclass(frozen=True)
class RoomEndsEvidence:
    """In how many days the datastores that serve it are full to their ceilings, and how many these are."""

    days: float
    datastores: int


class RoomEndsKind(OfPolicy[RoomEndsEvidence]):
    name = "policy_room_ends"
    evidence = RoomEndsEvidence
    examples = (RoomEndsEvidence(12.4, 2), RoomEndsEvidence(55.0, 1))

    def urgency(self, evidence: RoomEndsEvidence) -> Urgency:
        return Urgency.SOON if evidence.days < SOON_DAYS else Urgency.NOTE

    def title(self, evidence: RoomEndsEvidence) -> str:
        return "Room of the policy ends"

    def text(self, evidence: RoomEndsEvidence) -> Words:
        where = count_of(evidence.datastores, "datastore that serves it", "datastores that serve it")
        return [f"Room below the ceiling ends in {evidence.days:.0f} days on {where}: the first of all policies"]


@dataclass(frozen=True)
class WithoutPolicyEvidence:
    """How many disks have no policy, of how many."""

    disks: int
    of: int


class WithoutPolicyKind(FindingKind[WithoutPolicyEvidence]):
    name, stage = "without_policy", "policies"
    look = "Choose their machines, give them one"
    evidence = WithoutPolicyEvidence
    examples = (WithoutPolicyEvidence(120, 420), WithoutPolicyEvidence(1, 420))

    def urgency(self, evidence: WithoutPolicyEvidence) -> Urgency:
        return Urgency.NOTE

    def title(self, evidence: WithoutPolicyEvidence) -> str:
        return f"{count_of(evidence.disks, 'disk')} without a policy"

    def text(self, evidence: WithoutPolicyEvidence) -> Words:
        return [f"of {evidence.of:,}: nothing says where these have to be kept, or how"]

    def place(self, subject: Subject, evidence: WithoutPolicyEvidence) -> str:
        return "/machines?state=no+policy"
