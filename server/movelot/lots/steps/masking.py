"""Steps on whom an array lets in: change a connection's initiators, forget an initiator, make it known again."""

from __future__ import annotations

from typing import Any

from movelot.devices import array
from movelot.devices.errors import DeviceGone
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.swapping import Swap
from movelot.lots.steps.values import Later, Nothing, Result
from movelot_core.units import count_of


class LetIn(Swap):
    """Give the connection at ``uri`` other initiators, by their URIs; ``volume`` is a name for people."""

    kind = "let_in"
    proof = "the array lets in these initiators and no others"

    uri: str
    volume: str
    wanted: list[Later[str]]
    before: list[Later[str]]

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        current = run.session.get(self.uri)
        now, wanted = array.initiators_of(current), sorted(self.wanted)
        self.demand_known(
            now in (wanted, sorted(self.before)),
            "masking_changed",
            f"{self.volume} was let in to other initiators meanwhile.",
        )
        if now != wanted:
            body = {"Links": {"InitiatorEndpoints": [{"@odata.id": uri} for uri in wanted]}}
            run.session.patch(self.uri, body, str(current.get("@odata.etag", "")))
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        found = array.initiators_of(run.session.get(self.uri))
        demand(
            found == sorted(self.wanted),
            "let_in_differs",
            f"{self.volume} lets in {count_of(len(found), 'initiator')}, not {len(self.wanted)}.",
        )

    def undo(self, result: Nothing) -> StepSpec[Any]:
        title = f"Let in to {self.volume} whom it let in before"
        return self.swapped().on("", title, count_of(len(self.before), "initiator"))


class DropInitiator(StepKind[Nothing]):
    """Make the array forget an initiator; it refuses while the initiator is let into anything."""

    kind = "drop_initiator"
    proof = "the array no longer knows the initiator"

    uri: str
    identifier: str

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        try:
            current = run.session.get(self.uri)
        except DeviceGone:
            return Progress(True)
        named = current["Identifiers"][0]["DurableName"]
        demand(named == self.identifier, "other_initiator", f"{self.uri} is now {named}.")
        run.session.delete(self.uri, str(current.get("@odata.etag", "")))
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        demand(
            array.find_initiator(run.session, self.identifier) is None,
            "still_known",
            f"The array still knows {self.identifier}.",
        )

    def undo(self, result: Nothing) -> StepSpec[Any]:
        known = AddInitiator(identifier=self.identifier)
        return known.on("", "Make the initiator known again", self.identifier)


class KnownInitiator(Result):
    uri: str


class AddInitiator(StepKind[KnownInitiator]):
    """Make an initiator known to an array by its IQN, NQN or WWPN."""

    kind = "add_initiator"
    proof = "the array knows the initiator"

    identifier: str

    def begin(self, run: StepRun[KnownInitiator]) -> Progress[KnownInitiator]:
        uri = array.find_initiator(run.session, self.identifier)
        return Progress(True, KnownInitiator(uri=uri or array.add_initiator(run.session, self.identifier)))

    def verify(self, run: StepRun[KnownInitiator], result: KnownInitiator) -> None:
        demand(
            array.find_initiator(run.session, self.identifier) is not None,
            "not_known",
            f"The array does not know {self.identifier}.",
        )

    def undo(self, result: KnownInitiator) -> StepSpec[Any]:
        return DropInitiator(uri=result.uri, identifier=self.identifier).on("", "Forget the initiator", self.identifier)
