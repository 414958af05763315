"""Lots that make arrays forget an initiator that is nobody's."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.inventory.models import Device, Initiator, Offer
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.kinds import PASS, STOP, Check, Draft, LotKind
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.masking import DropInitiator, LetIn
from movelot_core.units import count_of


@dataclass(frozen=True)
class InitiatorForm(LotForm):
    """An initiator by its IQN, NQN or WWPN."""

    initiator: str = ""


@dataclass
class InitiatorPlan(LotPlan):
    """The initiator that arrays are to forget."""

    initiator: str


class InitiatorKind(LotKind[InitiatorForm, InitiatorPlan]):
    """Withdraws everything from an initiator and makes the array forget it."""

    name, form, plan = "initiator", InitiatorForm, InitiatorPlan

    def drafted(self, form: InitiatorForm, lot: Lot) -> Draft[InitiatorForm, InitiatorPlan]:
        name = form.initiator
        rows = list(Initiator.objects.filter(identifier=name).select_related("device").order_by("device__name"))
        if not rows:
            return Draft("Remove an initiator", checks=[Check("initiator is known", STOP, f"No array knows “{name}”.")])
        steps = StepPlan()
        for row in rows:
            _add_forgetting(steps, row)
        owner = Device.objects.filter(host_initiators__identifier=name).first()
        if owner:
            check = Check("belongs to nobody", STOP, f"It is the initiator of {owner.name}, which is linked.")
        else:
            check = Check("belongs to nobody", PASS, "no linked host has this initiator")
        facts = {"let in to": ", ".join(s.step.volume for s in steps.specs if isinstance(s.step, LetIn))}
        return Draft(f"Remove initiator {row.name}", steps, InitiatorPlan(name), [check], facts)


def _add_forgetting(plan: StepPlan, row: Initiator) -> None:
    """Take the initiator out of each connection of its array, then make the array forget it."""
    uris = dict(Initiator.objects.filter(device=row.device).values_list("identifier", "uri"))
    changes: list[StepSpec[Any]] = []
    let_in_to = Offer.objects.filter(device=row.device, initiator_set__admitted__identifier=row.identifier)
    for offer in let_in_to.select_related("volume").prefetch_related("initiator_set__admitted").order_by("pk"):
        others = [uris[name] for name in offer.initiators if name != row.identifier and name in uris]
        let_in = LetIn(uri=offer.uri, volume=offer.volume.name, wanted=others, before=sorted([*others, row.uri]))
        title = f"Let {row.name} no longer see {offer.volume.name}"
        keep = count_of(len(others), "initiator keeps it", "initiators keep it")
        changes.append(let_in.on(row.device.name, title, keep))
    forget = DropInitiator(uri=row.uri, identifier=row.identifier)
    plan.add(forget.on(row.device.name, f"Forget {row.name}", row.identifier), plan.add_all(changes))
