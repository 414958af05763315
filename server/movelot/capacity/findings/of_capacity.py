"""What findings of capacity have in common: they are looked at on the page of capacity."""

from __future__ import annotations

from typing import TypeVar

from movelot.findings.base import FindingKind, Subject

E = TypeVar("E")


class OfCapacity(FindingKind[E]):
    """A finding of a pool or a datastore."""

    stage = "capacity"
    look = "Look at its room"

    def place(self, subject: Subject, evidence: E) -> str:
        return f"/capacity?by={subject.kind}&row={subject.id}"
