"""What a lot has while it is under way: its devices to itself, and the disks, volumes and names that its steps touch.

A check says beforehand that another lot works on the same; what decides is the rows here, which are made in the
transaction that starts a lot: two that are started at once cannot both have a device, or one disk on two hosts.

Worked example: lot 8 moves payroll disk 1 to berth-a by quay-01. Its machine then goes to quay-02, and lot 9 would
move the disk from there: it is refused, as lot 8 has the disk. Lot 10 moves another disk to berth-a by quay-03: it
starts where berth-a takes both. A lot that unmounts berth-a anywhere is refused while one of the two is under way.
"""

from __future__ import annotations

import contextlib
from collections import Counter
from collections.abc import Collection, Iterable, Sequence
from typing import Any

from django.db import IntegrityError, transaction

from movelot.inventory.models import Datastore, Device
from movelot.lots.models import Hold, HoldBook, Lot, LotThing, Step
from movelot.lots.steps.base import StepKind, StepProblem
from movelot.lots.steps.touches import Room, Touched
from movelot.lots.stored import kind_of_step
from movelot.problems import Problem
from movelot_core.units import format_size

WAIT = "Wait until it has ended."
Steps = Sequence[tuple[Device, StepKind[Any]]]


def hold(lot: Lot) -> None:
    """Hold for the lot what its steps work on. Problem 409 where another lot has some of it, or takes the room."""
    HoldBook.objects.select_for_update().get_or_create(pk=1)
    devices = sorted(set(lot.steps.values_list("device_id", flat=True)))
    left = steps_left(lot)
    taken = held_against(lot, devices, left)
    if taken:
        raise _taken(*why_held(taken))
    short = short_of_room(lot, left)
    if short:
        raise Problem(409, "room_held", short[0], "Nothing was begun.", WAIT)
    held = set(Hold.objects.filter(lot=lot, device__isnull=False).values_list("device_id", flat=True))
    Hold.objects.filter(lot=lot, device=None).delete()
    rows = [Hold(device_id=device, lot=lot) for device in devices if device not in held]
    things = things_of(left)
    rows += [Hold(lot=lot, thing=t.thing, name=str(t)[:340], alone=t.alone) for t in things]
    LotThing.objects.bulk_create([LotThing(lot=lot, thing=t.thing) for t in things], ignore_conflicts=True)
    try:
        with transaction.atomic():
            Hold.objects.bulk_create(rows)
    except IntegrityError as error:
        raise _taken("Another lot was started on the same devices at this moment.", WAIT) from error


def steps_left(lot: Lot) -> Steps:
    """The steps that are not done, as stored; what others of the lot tell is not in them yet.

    One that cannot be read touches nothing: it fails by itself, with its reason.
    """
    found = []
    for row in lot.steps.exclude(state=Step.State.DONE).select_related("device"):
        with contextlib.suppress(StepProblem):
            found.append((row.device, kind_of_step(row).read(row.params, row.params_version)))
    return found


def things_of(steps: Steps) -> list[Touched]:
    """What steps touch, each thing once: alone where one of them has to have it so."""
    found: dict[str, Touched] = {}
    for device, step in steps:
        for touched in step.touches(device):
            if touched.alone or touched.thing not in found:
                found[touched.thing] = touched
    return [*found.values()]


def held_against(lot: Lot, devices: Collection[int], steps: Steps) -> Hold | None:
    """Another lot's hold on one of the devices, by their ids, or on what ``steps`` touch; None where nobody has it."""
    others = Hold.objects.exclude(lot=lot).select_related("device", "lot").order_by("lot", "pk")
    touched = {each.thing: each for each in things_of(steps)}
    for held in others.iterator():
        wanted = touched.get(held.thing) if held.device_id is None else None
        if held.device_id in devices or (wanted and (wanted.alone or held.alone)):
            return held
    return None


def short_of_room(lot: Lot, steps: Steps) -> list[str]:
    """Datastores that do not take what ``steps`` and the lots under way bring there, in sentences.

    What the steps take out of a datastore is counted as room; what other lots take out may stay, and is not.
    """
    brought = Counter[str]()
    for room in _rooms(steps):
        brought[room.to] += room.size_bytes
        brought[room.out_of] -= room.size_bytes
    stores = Datastore.objects.filter(identity__in=[identity for identity, size in brought.items() if size > 0])
    others = _brought_by_others(lot) if stores else {}
    said = []
    for store in stores:
        coming, own = others.get(store.identity, Counter()), brought[store.identity]
        if coming and own + coming.total() > store.free_bytes:
            key, most = coming.most_common(1)[0]
            still = f"lot {key} still brings {format_size(most)} there"
            said.append(
                f"{store.name} has {format_size(store.free_bytes)} free: {still}, and this one {format_size(own)}."
            )
    return said


def _brought_by_others(lot: Lot) -> dict[str, Counter[int]]:
    """Bytes that each other lot under way still brings, by the identity of the datastore and the lot."""
    found: dict[str, Counter[int]] = {}
    for other in Lot.objects.filter(holds__isnull=False).exclude(pk=lot.pk).distinct():
        for room in _rooms(steps_left(other)):
            found.setdefault(room.to, Counter())[other.pk] += room.size_bytes
    return found


def _rooms(steps: Iterable[tuple[Device, StepKind[Any]]]) -> list[Room]:
    return [step.room for _device, step in steps if step.room is not None]


def why_held(hold: Hold) -> tuple[str, str]:
    """Why another lot has a device, or a thing, and what to do about it."""
    what = hold.device.name if hold.device else hold.name
    if hold.lot.active:
        return f"Lot {hold.lot_id} {'runs' if hold.device else 'works'} on {what}.", WAIT
    said = f"It is not known yet what lot {hold.lot_id} did last on {what}."
    return said, "Bring the device back: it is asked as soon as it answers."


def _taken(what: str, hint: str) -> Problem:
    return Problem(409, "held", what, "Nothing was begun.", hint)


def let_go(lot: Lot) -> None:
    """Let others have what a lot had that has ended.

    While it is not known what a step of it did, its device stays with the lot, and so do the things.
    """
    unknown = list(lot.steps.filter(state=Step.State.UNKNOWN).values_list("device_id", flat=True))
    held = Hold.objects.filter(lot=lot)
    (held.filter(device__isnull=False).exclude(device__in=unknown) if unknown else held).delete()
