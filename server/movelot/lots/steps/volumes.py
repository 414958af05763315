"""Steps on an array: make and delete a volume, offer it to initiators and withdraw it."""

from __future__ import annotations

from typing import Any

from movelot.devices import array
from movelot.devices.errors import DeviceGone
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.deleting import DeleteNamed
from movelot.lots.steps.values import Later, Nothing, Result
from movelot_core.units import count_of, format_size


class MadeVolume(Result):
    """``target`` is the iSCSI target that the volume is behind, empty where there is none."""

    uri: str
    serial: str
    target: str = ""


class CreateVolume(StepKind[MadeVolume]):
    """Make a volume; ``tiering`` is empty where the array's own way will do."""

    kind = "create_volume"
    proof = "the array lists the volume with this size; note its serial"

    name: str
    size_bytes: int
    pool_uri: str
    thin: bool
    reduced: list[str] = []
    tiering: str = ""
    own_target: bool = False

    def begin(self, run: StepRun[MadeVolume]) -> Progress[MadeVolume]:
        found = array.find_volume(run.session, self.name)
        if found:
            row, description = found
            demand(
                description == run.key,
                "name_taken",
                f"A volume named {self.name} exists already and is not ours.",
                hint="Choose another name.",
            )
        else:
            row = array.create_volume(run.session, self.model_dump(), run.key)
        return Progress(True, MadeVolume(**{part: row[part] for part in MadeVolume.model_fields}))

    def verify(self, run: StepRun[MadeVolume], result: MadeVolume) -> None:
        row = array.volume_row(run.session.get(result.uri))
        demand(
            row["size_bytes"] == self.size_bytes,
            "size_differs",
            f"The volume is {format_size(row['size_bytes'])}, not {format_size(self.size_bytes)}.",
            "The volume stays.",
        )
        demand(
            set(row["reduced"]) == set(self.reduced),
            "reduction_differs",
            f"The volume has {' and '.join(row['reduced']) or 'no data reduction'}, which was not asked for.",
            "The volume stays.",
        )
        message = f"Its pages are kept “{row['tiering']}”, not “{self.tiering}”."
        demand(self.tiering in ("", row["tiering"]), "tiering_differs", message, "The volume stays.")

    def undo(self, result: MadeVolume) -> StepSpec[Any]:
        delete = DeleteVolume(uri=result.uri, name=self.name)
        return delete.on("", f"Delete volume {self.name}", "only if it is empty and offered to nobody")


class DeleteVolume(DeleteNamed):
    """Delete a volume that is offered to nobody."""

    kind = "delete_volume"
    proof = "the array no longer lists the volume"
    noun = "volume"

    def is_there(self, run: StepRun[Nothing]) -> bool:
        return array.find_volume(run.session, self.name) is not None

    def allow(self, run: StepRun[Nothing]) -> None:
        self.demand_unoffered(run)


class Offered(Result):
    uri: str


class OfferVolume(StepKind[Offered]):
    """Let initiators see a volume; ``lun`` is None over NVMe, where the namespace has an id."""

    kind = "offer_volume"
    proof = "the initiators are let in under this LUN number"

    volume_uri: Later[str]
    initiator_uris: list[Later[str]]
    lun: int | None

    def begin(self, run: StepRun[Offered]) -> Progress[Offered]:
        wanted = sorted(self.initiator_uris)
        for offer in array.offers_of(run.session, self.volume_uri):
            let_in = array.initiators_of(offer)
            if let_in == wanted and offer["VolumeInfo"][0].get("LUN") == self.lun:
                return Progress(True, Offered(uri=offer["@odata.id"]))
            # Other hosts may well be let in apart from these, under a LUN number of their own.
            demand(
                not set(let_in) & set(wanted),
                "offered_otherwise",
                "The volume is offered to some of these initiators already, with others or under another LUN number.",
            )
        made = array.offer_volume(run.session, self.volume_uri, wanted, self.lun)
        return Progress(True, Offered(uri=made["@odata.id"]))

    def verify(self, run: StepRun[Offered], result: Offered) -> None:
        ends = {end["@odata.id"] for end in run.session.get(result.uri)["Links"]["InitiatorEndpoints"]}
        missing = set(self.initiator_uris) - ends
        demand(
            not missing,
            "not_offered",
            f"It does not let in {count_of(len(missing), 'initiator')} that it should.",
            "The volume stays.",
        )

    def undo(self, result: Offered) -> StepSpec[Any]:
        withdraw = WithdrawVolume(uri=result.uri, **dict(self))
        return withdraw.on("", "Withdraw the volume from its initiators")


class WithdrawVolume(StepKind[Nothing]):
    """Take back the offer at ``uri``; the rest is what it takes to offer the volume again."""

    kind = "withdraw_volume"
    proof = "the array no longer lists this offer of the volume"

    uri: str
    volume_uri: str
    initiator_uris: list[str]
    lun: int | None

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        try:
            current = run.session.get(self.uri)
        except DeviceGone:
            return Progress(True)
        run.session.delete(self.uri, str(current.get("@odata.etag", "")))
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        left = array.offers_of(run.session, self.volume_uri)
        there = any(offer["@odata.id"] == self.uri for offer in left)
        demand(not there, "still_offered", "The volume is still offered to these initiators.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        again = OfferVolume(volume_uri=self.volume_uri, initiator_uris=[*self.initiator_uris], lun=self.lun)
        return again.on("", "Offer the volume again")
