"""What steps that give something another value have in common: the value wanted, and the one that was there before.

What was there is part of the draft, so that an answer lost on the way loses nothing of the undo, and so that a value
that somebody else set meanwhile is seen before it is overwritten.
"""

from __future__ import annotations

from typing import Any, Self

from movelot.lots.steps.base import StepKind, demand
from movelot.lots.steps.values import Nothing


class Swap(StepKind[Nothing]):
    """A step with params ``wanted`` and ``before`` of one type, told in a kind's own words."""

    def swapped(self) -> Self:
        """The step that sets back what was there before."""
        values: dict[str, Any] = dict(self)
        return type(self)(**{**values, "wanted": values["before"], "before": values["wanted"]})

    def demand_known(self, known: bool, code: str, message: str) -> None:
        """StepProblem unless what is there now is one of the two values."""
        demand(known, code, message, hint="Draft the lot again from a fresh reading.")
