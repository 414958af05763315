"""Steps on an array: make and delete a volume, offer it to initiators and withdraw it."""

from __future__ import annotations

from movelot.devices import array
from movelot.devices.errors import DeviceGone
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, Values, demand
from movelot.lots.steps.deleting import DeleteNamed
from movelot_core.units import format_size


class CreateVolume(StepKind):
    """Params: name, size_bytes, pool_uri, thin, reduced, tiering, own_target. Result: uri, serial, target."""

    name = "create_volume"
    proof = "the array lists the volume with this size; note its serial"

    def begin(self, run: StepRun) -> Progress:
        found = array.find_volume(run.session, run.params["name"])
        if found:
            row, description = found
            demand(
                description == run.key,
                "name_taken",
                f"A volume named {run.params['name']} exists already and is not ours.",
                hint="Choose another name.",
            )
        else:
            row = array.create_volume(run.session, run.params, run.key)
        return Progress(True, {part: row[part] for part in ("uri", "serial", "target")})

    def verify(self, run: StepRun) -> None:
        row = array.volume_row(run.session.get(run.result["uri"]))
        demand(
            row["size_bytes"] == run.params["size_bytes"],
            "size_differs",
            f"The volume is {format_size(row['size_bytes'])}, not {format_size(run.params['size_bytes'])}.",
            "The volume stays.",
        )
        demand(
            set(row["reduced"]) == set(run.params.get("reduced", [])),
            "reduction_differs",
            f"The volume has {' and '.join(row['reduced']) or 'no data reduction'}, which was not asked for.",
            "The volume stays.",
        )
        wanted = run.params.get("tiering")
        message = f"Its pages are kept “{row['tiering']}”, not “{wanted}”."
        demand(not wanted or row["tiering"] == wanted, "tiering_differs", message, "The volume stays.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(
            DeleteVolume.name,
            "",
            f"Delete volume {params['name']}",
            "only if it is empty and offered to nobody",
            {"uri": result["uri"], "name": params["name"]},
        )


class DeleteVolume(DeleteNamed):
    """Params: uri, name."""

    name = "delete_volume"
    proof = "the array no longer lists the volume"
    noun = "volume"

    def is_there(self, run: StepRun) -> bool:
        return array.find_volume(run.session, run.params["name"]) is not None

    def allow(self, run: StepRun) -> None:
        demand_unoffered(run)


def demand_unoffered(run: StepRun) -> None:
    """StepProblem while what is at the param ``uri`` is offered to anybody."""
    offers = array.offers_of(run.session, run.params["uri"])
    demand(not offers, "still_offered", f"{run.params['name']} is still offered to initiators.")


class OfferVolume(StepKind):
    """Params: volume_uri, initiator_uris, lun (None over NVMe, where the namespace has an id). Result: uri."""

    name = "offer_volume"
    proof = "the initiators are let in under this LUN number"

    def begin(self, run: StepRun) -> Progress:
        wanted = sorted(run.params["initiator_uris"])
        for offer in array.offers_of(run.session, run.params["volume_uri"]):
            let_in = array.initiators_of(offer)
            if let_in == wanted and offer["VolumeInfo"][0].get("LUN") == run.params["lun"]:
                return Progress(True, {"uri": offer["@odata.id"]})
            # Other hosts may well be let in apart from these, under a LUN number of their own.
            demand(
                not set(let_in) & set(wanted),
                "offered_otherwise",
                "The volume is offered to some of these initiators already, with others or under another LUN number.",
            )
        made = array.offer_volume(run.session, run.params["volume_uri"], wanted, run.params["lun"])
        return Progress(True, {"uri": made["@odata.id"]})

    def verify(self, run: StepRun) -> None:
        ends = {end["@odata.id"] for end in run.session.get(run.result["uri"])["Links"]["InitiatorEndpoints"]}
        missing = set(run.params["initiator_uris"]) - ends
        demand(not missing, "not_offered", f"{len(missing)} initiators are not let in.", "The volume stays.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(
            WithdrawVolume.name,
            "",
            "Withdraw the volume from its initiators",
            "",
            {"uri": result["uri"], **{key: params[key] for key in ("volume_uri", "initiator_uris", "lun")}},
        )


class WithdrawVolume(StepKind):
    """Params: uri of the connection (and volume_uri, initiator_uris, lun, to offer it again)."""

    name = "withdraw_volume"
    proof = "the array no longer lists this offer of the volume"

    def begin(self, run: StepRun) -> Progress:
        try:
            current = run.session.get(run.params["uri"])
        except DeviceGone:
            return Progress(True)
        run.session.delete(run.params["uri"], str(current.get("@odata.etag", "")))
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        left = array.offers_of(run.session, run.params["volume_uri"])
        there = any(offer["@odata.id"] == run.params["uri"] for offer in left)
        demand(not there, "still_offered", "The volume is still offered to these initiators.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(
            OfferVolume.name,
            "",
            "Offer the volume again",
            "",
            {key: params[key] for key in ("volume_uri", "initiator_uris", "lun")},
        )
