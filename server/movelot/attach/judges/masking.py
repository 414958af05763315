"""Judging whom arrays let in: volumes that nobody uses, and initiators of no linked host."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import datetime
from typing import Any

from movelot.attach.findings import IDLE_VOLUME, LEFTOVER_INITIATOR, STRAY_VOLUME
from movelot.attach.findings.idle_volume import IdleVolumeEvidence
from movelot.attach.findings.leftover_initiator import LeftoverInitiatorEvidence
from movelot.attach.findings.stray_volume import StrayVolumeEvidence
from movelot.findings.base import Found, Subject
from movelot.findings.judging import Judge
from movelot.inventory.changes import Aspect
from movelot.inventory.models import AdmittedInitiator, Device, Export, Initiator, Volume
from movelot.inventory.paths import admitted_by_volume
from movelot.inventory.placement import hosts_using, initiators_of_hosts
from movelot.lots.models import Lot, Step
from movelot_core.masking import VolumeAccess, idle, leftover
from movelot_core.step_keys import lot_of_key


class MaskingJudge(Judge):
    name = "masking"
    aspects = frozenset({Aspect.FABRIC})

    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        mounted, known = hosts_using(), initiators_of_hosts()
        strays = list(_strays(mounted))
        yield from strays
        left = {stray.subject.id for stray in strays}
        for array in Device.objects.filter(kind=Device.Kind.ARRAY).order_by("name"):
            yield from (found for found in _idle(array, mounted) if found.subject.id not in left)
            yield from _leftover(array, known)


def _strays(mounted: dict[str, set[str]]) -> Iterator[Found[StrayVolumeEvidence]]:
    """What carries the key of a step whose lot was undone, or that nobody knows."""
    volumes = list(Volume.objects.exclude(made_by="").order_by("name"))
    steps = Step.objects.filter(key__in=[volume.made_by for volume in volumes]).select_related("lot")
    lot_of = {step.key: step.lot for step in steps}
    undone = set(Lot.objects.filter(steps__in=steps, undone_by__state=Lot.State.DONE).values_list("pk", flat=True))
    for volume in volumes:
        lot = lot_of.get(volume.made_by)
        if lot is not None and lot.pk not in undone:
            continue
        users, number = len(mounted.get(volume.serial, ())), lot_of_key(volume.made_by) or 0
        evidence = StrayVolumeEvidence(volume.size_bytes, number, lot is not None, users)
        yield Found(STRAY_VOLUME, Subject("volume", volume.pk, volume.name), evidence)


def _idle(array: Device, mounted: dict[str, set[str]]) -> Iterator[Found[IdleVolumeEvidence]]:
    """Volumes that no host uses, but for those that a lot under way has made and is about to mount."""
    begun = Lot.objects.filter(state__in=[Lot.State.RUNNING, Lot.State.HALTING]).values_list("plan", flat=True)
    coming = {volume["name"] for plan in begun for volume in plan.get("volumes", [])}
    admitted = admitted_by_volume(array)
    for volume, clients in Export.objects.filter(device=array).values_list("volume_id", "clients"):
        admitted.setdefault(volume, set()).update(network for network, _ in clients)
    volumes = Volume.objects.filter(device=array).exclude(kind=Volume.Kind.MEMBER).order_by("name")
    for key, name, serial, size, kind in volumes.values_list("pk", "name", "serial", "size_bytes", "kind"):
        users = frozenset(mounted.get(serial, ()))
        found = idle(VolumeAccess(size, frozenset(admitted.get(key, ())), users, users)) if name not in coming else None
        if found:
            evidence = IdleVolumeEvidence(kind, found.size_bytes, found.offered)
            yield Found(IDLE_VOLUME, Subject("volume", key, name), evidence)


def _leftover(array: Device, known: set[str]) -> Iterator[Found[LeftoverInitiatorEvidence]]:
    """Initiators of no linked host."""
    let_into: dict[str, list[str]] = {}
    unknown = [name for name in _initiators(array) if name not in known]
    let_in = AdmittedInitiator.objects.filter(initiator_set__device=array, identifier__in=unknown)
    for initiator, name in let_in.order_by("initiator_set__offers").values_list(
        "identifier", "initiator_set__offers__volume__name"
    ):
        let_into.setdefault(initiator, []).append(name)
    for initiator in unknown:
        found = leftover(initiator, known, let_into.get(initiator, []))
        if found:
            evidence = LeftoverInitiatorEvidence(array.name, list(found.volumes))
            yield Found(LEFTOVER_INITIATOR, Subject("initiator", None, initiator), evidence, array.name)


def _initiators(array: Device) -> list[str]:
    rows = Initiator.objects.filter(device=array).order_by("identifier")
    return list(rows.values_list("identifier", flat=True))
