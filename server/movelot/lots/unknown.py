"""Steps of which it is not known what they did: their devices are asked, without anything being done.

A step is unknown when it was under way and its device stayed away, or answered what cannot be used. Until it is known
the lot keeps the device to itself, its undo does not begin, and the schedule asks the device once it was read well.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db.models import F, Q

from movelot.devices.errors import DeviceAway
from movelot.devices.session import session_with
from movelot.inventory.models import Device
from movelot.lots.closing import close, sole_driver
from movelot.lots.models import Lot, Step
from movelot.lots.recording import fail, leave_unknown, proven, record
from movelot.lots.steps import KINDS
from movelot.lots.steps.base import Progress, StepProblem, StepRun
from movelot.lots.stored import kind_of_step, step_of, told_by, waits_for

ENDED = (Lot.State.HALTED, Lot.State.FAILED)


def lots_to_ask_for() -> list[int]:
    """Ended lots with unknown steps whose devices can tell since, or are not linked any more."""
    read = Q(device__state=Device.State.LINKED, device__read_at__gt=F("ended_at"))
    read |= Q(device__state=Device.State.REFUSED, kind__in=[kind.kind for kind in KINDS.values() if kind.signs_in])
    told = Step.objects.filter(read | Q(device__gone_at__isnull=False), state=Step.State.UNKNOWN, lot__state__in=ENDED)
    return sorted(set(told.values_list("lot_id", flat=True)))


def settle(lot: Lot) -> None:
    """Ask what became of the lot's unknown steps, and close it anew once one is known.

    Nothing is asked while the lot is driven: its driver asks by itself.
    """
    with sole_driver(lot.pk) as alone:
        lot.refresh_from_db()
        if not alone or lot.state not in ENDED:
            return
        steps = {str(step.position): step for step in lot.steps.select_related("device", "lot")}
        unknown = [step for step in steps.values() if step.state == Step.State.UNKNOWN]
        for step in unknown:
            _ask(step, steps, halted=lot.state == Lot.State.HALTED)
        if any(step.state != Step.State.UNKNOWN for step in unknown):
            close(lot)


def _ask(step: Step, steps: Mapping[str, Step], *, halted: bool) -> None:
    if step.device.gone_at:
        message = f"{step.device.name} is not linked any more; nobody can ask what it did."
        fail(
            step, StepProblem("device_gone", message, "What it did last stays as it is.", "Look at the device itself.")
        )
        return
    refused = step.device.state == Device.State.REFUSED and kind_of_step(step).signs_in
    if not step.device.known_well and not refused:
        return
    try:
        record(step, lambda: _looked(step, steps, halted=halted), halted=halted)
    except DeviceAway as error:
        leave_unknown(step, error)


def _looked(step: Step, steps: Mapping[str, Step], *, halted: bool) -> Progress[Any] | None:
    """What the device says of the step. Work that still runs is watched; in a halted lot it is stopped first.

    Where a step that it waits for is not done, it was not begun.
    """
    if any(steps[str(need)].state != Step.State.DONE for need in waits_for(step, step.lot)):
        return None
    kind = step_of(step, steps)
    run = StepRun(step.key, session_with(step.device), step.task_uri, told_by(step) if step.result else None)
    progress = kind.look(run)
    if progress is None:
        return None
    if halted and not progress.done and kind.stop(StepRun(run.key, run.session, progress.task_uri)):
        progress = kind.follow(StepRun(run.key, run.session, progress.task_uri, progress.result))
    return proven(progress, kind, run)
