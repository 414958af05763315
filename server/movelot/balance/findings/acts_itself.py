"""A group acts by itself at present: announced, so that nobody is surprised by what moves; and what kept it from it."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import urlencode

from movelot.findings.base import FindingKind, Subject, Words
from movelot_core.rounds import Urgency


@dataclass(frozen=True)
class ActsItselfEvidence:
    """The way in force and until when, at the site's clock (empty: for ever); who let it. ``held_up`` says what
    kept it from acting last."""

    group: str
    way: str
    until: str
    let_by: str
    held_up: str = ""


class ActsItselfKind(FindingKind[ActsItselfEvidence]):
    name, stage, rank = "acts_itself", "balance", 8
    evidence = ActsItselfEvidence
    look = "Look at the week"
    examples = (
        ActsItselfEvidence("quayside", "Night", "Tue 05:00", "ines.marrow"),
        ActsItselfEvidence("quayside", "Night", "", "ines.marrow", "A check stops this lot. berth-a would be full."),
    )

    def urgency(self, evidence: ActsItselfEvidence) -> Urgency:
        return Urgency.SOON if evidence.held_up else Urgency.NOTE

    def title(self, evidence: ActsItselfEvidence) -> str:
        return "Held up in acting by itself" if evidence.held_up else "Acts by itself"

    def text(self, evidence: ActsItselfEvidence) -> Words:
        until = f" until {evidence.until}" if evidence.until else ""
        said = f"{evidence.way} is in force{until}, let act by {evidence.let_by}"
        return [f"{said}. {evidence.held_up}" if evidence.held_up else f"{said}; its lots are among all others"]

    def place(self, subject: Subject, evidence: ActsItselfEvidence) -> str:
        return f"/balance/week?{urlencode({'group': evidence.group})}"
