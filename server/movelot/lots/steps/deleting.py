"""What steps that delete a thing of an array have in common: volumes, file systems, volume sets."""

from __future__ import annotations

from abc import abstractmethod
from typing import ClassVar

from movelot.devices.errors import DeviceGone
from movelot.lots.steps.base import Progress, StepKind, StepRun, Values, demand


class DeleteNamed(StepKind):
    """Params: uri, name. Gone already is done; another thing at the URI is left alone. ``noun`` says what it is."""

    noun: ClassVar[str]
    reversible = False

    @abstractmethod
    def is_there(self, run: StepRun) -> bool:
        """Whether the array lists one of this name now."""

    def allow(self, run: StepRun) -> None:
        """Raise StepProblem for what the array might not refuse by itself."""

    def begin(self, run: StepRun) -> Progress:
        try:
            current = run.session.get(run.params["uri"])
        except DeviceGone:
            return Progress(True)
        message = f"{run.params['uri']} is now {self.noun} {current['Name']}."
        demand(current["Name"] == run.params["name"], f"other_{self.noun.replace(' ', '_')}", message)
        self.allow(run)
        run.session.delete(run.params["uri"], str(current.get("@odata.etag", "")))
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        message = f"{self.noun.capitalize()} {run.params['name']} is still there."
        demand(not self.is_there(run), "still_there", message)

    def undo(self, params: Values, result: Values) -> None:
        """Nothing brings back what was on it, nor its identity; a lot with this step cannot be undone."""
