"""What findings of a policy have in common: they are looked at on the page of policies."""

from __future__ import annotations

from typing import TypeVar

from movelot.findings.base import FindingKind, Subject

E = TypeVar("E")


class OfPolicy(FindingKind[E]):
    """A finding whose subject is a policy."""

    stage = "policies"
    look = "Look at the policy"

    def place(self, subject: Subject, evidence: E) -> str:
        return f"/policies?policy={subject.id}"
