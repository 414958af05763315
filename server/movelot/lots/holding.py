"""Devices that a lot has to itself while it is under way.

A check says beforehand that another lot works on the same devices; what decides is the rows here, which are made in the
transaction that starts a lot: two that are started at once cannot both have a device.
"""

from __future__ import annotations

from collections.abc import Collection

from django.db import IntegrityError, transaction

from movelot.lots.models import Hold, Lot, Step
from movelot.problems import Problem


def hold(lot: Lot) -> None:
    """Hold the devices of the lot's steps for it. Problem 409 where another lot has one of them.

    Devices are taken in one order, so that of two lots that are started at once one waits for the other and is refused.
    """
    devices = sorted(set(lot.steps.values_list("device_id", flat=True)))
    taken = held_against(lot, devices)
    if taken:
        raise _taken(*why_held(taken))
    held = set(Hold.objects.filter(lot=lot).values_list("device_id", flat=True))
    try:
        with transaction.atomic():
            Hold.objects.bulk_create(Hold(device_id=device, lot=lot) for device in devices if device not in held)
    except IntegrityError as error:
        raise _taken("Another lot was started on the same devices at this moment.", WAIT) from error


WAIT = "Wait until it has ended."


def held_against(lot: Lot, devices: Collection[int]) -> Hold | None:
    """What keeps ``lot`` from one of the devices, by their ids: another lot that has it."""
    held = Hold.objects.filter(device__in=devices).exclude(lot=lot)
    return held.select_related("device", "lot").order_by("lot").first()


def why_held(hold: Hold) -> tuple[str, str]:
    """Why another lot has a device, and what to do about it."""
    if hold.lot.active:
        return f"Lot {hold.lot_id} runs on {hold.device.name}.", WAIT
    what = f"It is not known yet what lot {hold.lot_id} did last on {hold.device.name}."
    return what, "Bring the device back: it is asked as soon as it answers."


def _taken(what: str, hint: str) -> Problem:
    return Problem(409, "devices_held", what, "Nothing was begun.", hint)


def let_go(lot: Lot) -> None:
    """Let others have the devices of a lot that has ended, but those of which it is not known what they did."""
    unknown = lot.steps.filter(state=Step.State.UNKNOWN).values_list("device_id", flat=True)
    Hold.objects.filter(lot=lot).exclude(device__in=list(unknown)).delete()
