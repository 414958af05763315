"""Lots that let every host of a cluster have a volume that only some have, or none."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.attach.storage import STORAGE_KINDS, storage_kind_of
from movelot.inventory.models import Volume
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import STOP, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot


def volume_of(key: int | None) -> Volume | None:
    """The volume a form names by its primary key, with its array."""
    return Volume.objects.filter(pk=key or 0).select_related("device", "pool").first()


@dataclass(frozen=True)
class SpreadForm(LotForm):
    """A volume; ``cluster`` is for one that is offered to nobody."""

    volume: int | None = names("volume", None)
    cluster: str = names("cluster")


@dataclass
class SpreadPlan(LotPlan):
    """A volume, the hosts that are to see it, and how many do now."""

    volume: str
    serial: str
    kind: str
    hosts: list[str]
    seen: int


class SpreadKind(LotKind[SpreadForm, SpreadPlan]):
    """Hosts that miss a volume are let in, scan, and mount it.

    What is on the volume is mounted as it is found, never formatted: a volume without a datastore is only seen.
    """

    name, form, plan = "spread", SpreadForm, SpreadPlan
    documents_version = 2

    def drafted(self, form: SpreadForm, lot: Lot) -> Draft[SpreadForm, SpreadPlan]:
        volume = volume_of(form.volume)
        if volume is None:
            return Draft("Let all hosts see a volume", checks=[Check("volume is known", STOP, "It is on no array.")])
        kind = storage_kind_of(volume)
        found = kind.show(volume, form.cluster)
        plan = SpreadPlan(volume.name, volume.serial, volume.kind, found.hosts, found.have) if found.hosts else None
        title = f"Let all hosts {kind.has_word} {volume.name}"
        return Draft(title, found.steps, plan, found.checks, found.facts)

    def upgraded(self, form: dict[str, Any], plan: dict[str, Any], version: int) -> tuple[dict[str, Any], ...]:
        """The first version did not say of which kind the volume is."""
        if not plan:
            return form, plan
        volume = Volume.known.filter(serial=plan["serial"]).first()
        return form, {**plan, "kind": volume.kind if volume else Volume.Kind.BLOCK}

    def outcome(self, lot: Lot, plan: SpreadPlan) -> list[MeasuredRow]:
        """Hosts that have it, before and after."""
        has = STORAGE_KINDS[plan.kind].still_had(plan.serial)
        return [MeasuredRow("volume", plan.volume, "hosts that see it", plan.seen, len(plan.hosts), has)]
