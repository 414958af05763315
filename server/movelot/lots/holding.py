"""Devices that a lot has to itself while it is under way.

A check says beforehand that another lot works on the same devices; what decides is the rows here, which are made in the
transaction that starts a lot: two that are started at once cannot both have a device.
"""

from __future__ import annotations

from django.db import IntegrityError, transaction

from movelot.lots.models import Hold, Lot
from movelot.problems import Problem


def hold(lot: Lot) -> None:
    """Hold the devices of the lot's steps for it. Problem 409 where another lot has one of them.

    Devices are taken in one order, so that of two lots that are started at once one waits for the other and is refused.
    """
    devices = sorted(set(lot.steps.values_list("device_id", flat=True)))
    taken = Hold.objects.filter(device__in=devices).exclude(lot=lot).select_related("device").first()
    if taken:
        raise _taken(f"Lot {taken.lot_id} runs on {taken.device.name}.")
    held = set(Hold.objects.filter(lot=lot).values_list("device_id", flat=True))
    try:
        with transaction.atomic():
            Hold.objects.bulk_create(Hold(device_id=device, lot=lot) for device in devices if device not in held)
    except IntegrityError as error:
        raise _taken("Another lot was started on the same devices at this moment.") from error


def _taken(what: str) -> Problem:
    return Problem(409, "devices_held", what, "Nothing was begun.", "Wait until it has ended, then start this lot.")


def let_go(lot: Lot) -> None:
    """Let others have the lot's devices."""
    Hold.objects.filter(lot=lot).delete()
