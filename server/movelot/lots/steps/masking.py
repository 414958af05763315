"""Steps on whom an array lets in: change a connection's initiators, forget an initiator, make it known again."""

from __future__ import annotations

from movelot.devices import array
from movelot.devices.errors import DeviceGone
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, Values, demand


class LetIn(StepKind):
    """Params: uri of the connection, volume (name), and wanted and before, each the URIs of the initiators let in.

    What was there before is part of the draft, so that an answer lost on the way loses nothing of the undo.
    """

    name = "let_in"
    proof = "the array lets in these initiators and no others"

    def begin(self, run: StepRun) -> Progress:
        current = run.session.get(run.params["uri"])
        now, wanted = array.initiators_of(current), sorted(run.params["wanted"])
        demand(
            now in (wanted, sorted(run.params["before"])),
            "masking_changed",
            f"{run.params['volume']} was let in to other initiators meanwhile.",
            hint="Draft the lot again from a fresh reading.",
        )
        if now != wanted:
            body = {"Links": {"InitiatorEndpoints": [{"@odata.id": uri} for uri in wanted]}}
            run.session.patch(run.params["uri"], body, str(current.get("@odata.etag", "")))
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        found = array.initiators_of(run.session.get(run.params["uri"]))
        demand(
            found == sorted(run.params["wanted"]),
            "let_in_differs",
            f"{run.params['volume']} lets in {len(found)} initiators, not {len(run.params['wanted'])}.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(
            self.name,
            "",
            f"Let in to {params['volume']} whom it let in before",
            f"{len(params['before'])} initiators",
            {**params, "wanted": params["before"], "before": params["wanted"]},
        )


class DropInitiator(StepKind):
    """Params: uri, identifier. The array refuses while the initiator is let into anything."""

    name = "drop_initiator"
    proof = "the array no longer knows the initiator"

    def begin(self, run: StepRun) -> Progress:
        try:
            current = run.session.get(run.params["uri"])
        except DeviceGone:
            return Progress(True)
        named = current["Identifiers"][0]["DurableName"]
        demand(named == run.params["identifier"], "other_initiator", f"{run.params['uri']} is now {named}.")
        run.session.delete(run.params["uri"], str(current.get("@odata.etag", "")))
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        demand(
            array.find_initiator(run.session, run.params["identifier"]) is None,
            "still_known",
            f"The array still knows {run.params['identifier']}.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(
            AddInitiator.name,
            "",
            "Make the initiator known again",
            params["identifier"],
            {"identifier": params["identifier"]},
        )


class AddInitiator(StepKind):
    """Params: identifier. Result: uri."""

    name = "add_initiator"
    proof = "the array knows the initiator"

    def begin(self, run: StepRun) -> Progress:
        uri = array.find_initiator(run.session, run.params["identifier"])
        return Progress(True, {"uri": uri or array.add_initiator(run.session, run.params["identifier"])})

    def verify(self, run: StepRun) -> None:
        demand(
            array.find_initiator(run.session, run.params["identifier"]) is not None,
            "not_known",
            f"The array does not know {run.params['identifier']}.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(
            DropInitiator.name,
            "",
            "Forget the initiator",
            params["identifier"],
            {"uri": result["uri"], "identifier": params["identifier"]},
        )
