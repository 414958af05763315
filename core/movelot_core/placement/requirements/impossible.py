"""What is done while no place serves a policy."""

from __future__ import annotations

from dataclasses import dataclass

from movelot_core.placement.facts import PlaceFacts
from movelot_core.placement.requirements.base import HAS, Editor, Found, Part, Requirement

REFUSE, ANYWAY = "refuse", "anyway"
SAID = {REFUSE: "refused while impossible", ANYWAY: "placed anyway while impossible, and healed as soon as it can be"}


@dataclass(frozen=True)
class WhileImpossible(Requirement):
    """Refuse to make a disk, as without it, or put it where least is lacking; there it is out of policy."""

    kind, part, label = "impossible", Part.IMPOSSIBLE, "while impossible"
    editor = Editor("choice", options=((REFUSE, "refuse"), (ANYWAY, "place anyway and heal")))

    def fit(self, place: PlaceFacts) -> Found:
        return HAS

    def sentence(self) -> str:
        return SAID[str(self.value)]
