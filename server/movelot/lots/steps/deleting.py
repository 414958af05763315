"""What steps that delete a thing of an array have in common: volumes, file systems, volume sets."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Collection, Sequence
from typing import ClassVar, Self

from movelot.devices import array
from movelot.devices.errors import DeviceGone
from movelot.inventory.models import Device, Volume
from movelot.lots.steps.base import Progress, StepKind, StepRun, demand
from movelot.lots.steps.touches import Touched, volume
from movelot.lots.steps.values import Nothing


class DeleteNamed(StepKind[Nothing]):
    """Gone already is done; another thing at the URI is left alone. ``noun`` says what it is."""

    noun: ClassVar[str]
    reversible = False

    uri: str
    name: str

    @classmethod
    def in_the_way(cls, steps: Sequence[tuple[str, Self]], touched: Collection[str]) -> list[str]:
        """It was deleted meanwhile: not by this lot, whose other steps would find nothing either."""
        found = Volume.objects.filter(uri__in={step.uri for _array, step in steps})
        there = set(found.values_list("device__name", "uri"))
        return [
            f"{cls.noun.capitalize()} {step.name} is no longer on {array}."
            for array, step in steps
            if (array, step.uri) not in there
        ]

    def touches(self, device: Device) -> list[Touched]:
        found = Volume.known.filter(device=device, uri=self.uri).first()
        return volume(found.serial, self.name) if found else []

    @abstractmethod
    def is_there(self, run: StepRun[Nothing]) -> bool:
        """Whether the array lists one of this name now."""

    def allow(self, run: StepRun[Nothing]) -> None:
        """Raise StepProblem for what the array might not refuse by itself."""

    def demand_unoffered(self, run: StepRun[Nothing]) -> None:
        """StepProblem while it is offered to anybody."""
        offers = array.offers_of(run.session, self.uri)
        demand(not offers, "still_offered", f"{self.name} is still offered to initiators.")

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        try:
            current = run.session.get(self.uri)
        except DeviceGone:
            return Progress(True)
        message = f"{self.uri} is now {self.noun} {current['Name']}."
        demand(current["Name"] == self.name, f"other_{self.noun.replace(' ', '_')}", message)
        self.allow(run)
        run.session.delete(self.uri, str(current.get("@odata.etag", "")))
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        message = f"{self.noun.capitalize()} {self.name} is still there."
        demand(not self.is_there(run), "still_there", message)

    def undo(self, result: Nothing) -> None:
        """Nothing brings back what was on it, nor its identity; a lot with this step cannot be undone."""
