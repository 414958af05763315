"""What people do to lots: check, run, halt, resume, undo, drop. Each returns the lot or raises Problem."""

from __future__ import annotations

from datetime import timedelta

from django.db import transaction
from django.db.models import Q
from django.utils.timezone import now

from movelot.accounts.models import User
from movelot.devices.reading import Progress, reread
from movelot.inventory.models import Device
from movelot.jobs.sending import give
from movelot.lots.drafting import changes_since, dropped, redraft
from movelot.lots.history import demand_seen
from movelot.lots.holding import hold
from movelot.lots.kinds import STOP, kind_of, register
from movelot.lots.models import Lot, Step
from movelot.lots.stored import kind_of_step
from movelot.lots.undo import UndoKind
from movelot.problems import Problem

State = Lot.State


def check(lot: Lot, progress: Progress | None = None) -> Lot:
    """Read the lot's devices anew, then compute and check it on what they say."""
    devices = Device.objects.filter(step__lot=lot).distinct() if lot.steps.exists() else Device.objects.all()
    reread(devices, progress)
    kind_of(lot.kind).ask_first(lot)
    return redraft(lot)


# From these a lot starts or goes on.
STARTABLE = (State.DRAFT, State.HALTED, State.FAILED)


def demand_startable(lot: Lot) -> None:
    """Problem 409 for a lot that cannot be started, or go on, as it stands.

    What was undone, wholly or in part, does not go on: its steps are not what their states say any more. An undo does
    not begin while what it undoes is under way, nor where another undo has begun.
    """
    if lot.state not in STARTABLE:
        message = f"Lot {lot.pk} is {lot.state}; it cannot be started."
        raise Problem(409, "not_startable", message, hint="Reload to see where it stands.")
    undo = undone_by(lot)
    if undo:
        raise Problem(
            409,
            "undone",
            f"Lot {lot.pk} was undone by lot {undo.pk}; it cannot go on.",
            "Nothing was begun.",
            f"Undo lot {undo.pk} to bring it back, or draft it anew.",
        )
    target = lot.undoes
    if target is None or lot.state != State.DRAFT:
        return
    if target.active:
        message = f"Lot {target.pk} is {target.state}; it cannot be undone before it has ended."
        raise Problem(409, "still_active", message, "Nothing was begun.", "Halt it first.")
    if target.steps.filter(state=Step.State.UNKNOWN).exists():
        message = f"It is not known yet what all steps of lot {target.pk} did."
        raise Problem(409, "outcome_unknown", message, "Nothing was begun.", "Check this lot: that asks the devices.")
    other = undone_by(target)
    if other and other.pk != lot.pk:
        message = f"Lot {target.pk} was undone by lot {other.pk} already."
        raise Problem(409, "undone_already", message, "Nothing was begun.", f"Undo lot {other.pk} to bring it back.")


def undone_by(lot: Lot) -> Lot | None:
    """The lot that undoes ``lot`` and has begun to."""
    return lot.undone_by.exclude(state=State.DRAFT).first()


def run(lot: Lot, progress: Progress | None = None, seen: str | None = None) -> Lot:
    """Check on a fresh reading and start.

    409 with the reasons when a check stops or the devices changed since; 412 when the lot is not the version ``seen``.
    """
    demand_seen(lot, seen)
    if lot.state == State.DRAFT:
        before = dict(lot.facts)
        lot = check(lot, progress)
        changed = changes_since(lot, before)
        if changed:
            raise Problem(
                409,
                "stale",
                "The devices changed since this lot was checked.",
                " ".join(f"{text}." for text in changed),
                "Look at the plan as it is now, then run it.",
                changes=changed,
            )
        stops = [entry["text"] for entry in lot.checks if entry["level"] == STOP]
        if stops:
            raise Problem(
                409,
                "check_stops",
                "A check stops this lot.",
                " ".join(stops),
                "Settle it, then run. Nothing was changed.",
            )
        _demand_end_in_window(lot)
    else:
        _demand_answers(lot, progress)
    if by_hand(lot):
        return _to_sheet(lot)
    return _start(lot)


def _demand_end_in_window(lot: Lot) -> None:
    """Problem 409 for a lot with a window that, as expected now, would not end inside it."""
    if lot.window_ends_at is None:
        return
    ends = now() + timedelta(seconds=max(lot.steps.values_list("planned_end", flat=True), default=0.0))
    if ends > lot.window_ends_at:
        raise Problem(
            409,
            "window_too_short",
            f"Lot {lot.pk} would end at {ends:%H:%M} UTC, its window ends at {lot.window_ends_at:%H:%M} UTC.",
            "Nothing was begun.",
            "Run less of it, or in a longer window.",
        )


def taken_on(lot: Lot) -> Lot:
    """The lot, which a person takes on where it ran by itself: no window holds it back any more."""
    if lot.window_ends_at is not None:
        lot.window_ends_at = None
        lot.save(update_fields=["window_ends_at"])
    return lot


def _demand_answers(lot: Lot, progress: Progress | None) -> None:
    """Read the devices of what is left to do. Problem 409 where one does not answer: it would stop the lot again."""
    left = Device.known.filter(step__in=lot.steps.exclude(state=Step.State.DONE)).distinct()
    reread(left.filter(gone_at=None), progress)
    away = [device for device in left.all() if device.gone_at or not device.known_well]
    if away:
        raise Problem(
            409,
            "devices_away",
            f"Lot {lot.pk} cannot go on: a device of what is left does not answer.",
            " ".join(device.trouble for device in away),
            "Bring it back, then continue. Nothing was begun.",
        )


def by_hand(lot: Lot) -> bool:
    """Whether people have to carry the lot out, as a device of it is known from a file only."""
    return lot.steps.filter(device__state=Device.State.IMPORTED).exists()


def _to_sheet(lot: Lot) -> Lot:
    """Settle the lot as its run sheet; from here on people carry it out."""
    with transaction.atomic():
        locked = _in_state(lot, State.DRAFT, "not_startable", "it cannot be started")
        _reserve(locked)
        locked.state, locked.started_at = State.SHEET, now()
        locked.save()
    return locked


def carried_out(lot: Lot) -> Lot:
    """Take people's word that they did all steps of the run sheet; what came of it is seen with the next import."""
    with transaction.atomic():
        locked = _in_state(lot, State.SHEET, "no_run_sheet", "it is not carried out by people")
        locked.steps.update(state=Step.State.DONE, ended_at=now())
        locked.state, locked.ended_at = State.DONE, now()
        locked.save()
    return locked


def _in_state(lot: Lot, state: str, code: str, why: str) -> Lot:
    """The lot, locked until the transaction ends; Problem when it is in another state."""
    locked = _locked(lot)
    if locked.state != state:
        message = f"Lot {lot.pk} is {locked.state}; {why}."
        raise Problem(409, code, message, hint="Reload to see where it stands.")
    return locked


def _start(lot: Lot) -> Lot:
    from movelot.lots.tasks import run_lot

    with transaction.atomic():
        locked = _locked(lot)
        demand_startable(locked)
        # Quota first: to wait for the devices would not help where it is short.
        _reserve(locked)
        hold(locked)
        # Steps that failed or were abandoned are tried again: each first looks at the true state on its device.
        locked.steps.filter(state__in=[Step.State.FAILED, Step.State.ABANDONED]).update(
            state=Step.State.WAITING, problem={}, task_uri="", ended_at=None
        )
        locked.steps.exclude(believed="").update(believed="")
        # What is unknown was begun: it is taken up as after the loss of a worker.
        locked.steps.filter(state=Step.State.UNKNOWN).update(
            state=Step.State.RUNNING, problem={}, task_uri="", ended_at=None
        )
        locked.state, locked.started_at, locked.ended_at = State.RUNNING, locked.started_at or now(), None
        # Who takes it up has this long before it counts as undriven.
        locked.driven_at = now()
        locked.save()
        transaction.on_commit(lambda: give(run_lot, lot.pk))
    return locked


def _locked(lot: Lot) -> Lot:
    """The lot, and what it undoes or is undone by, locked until the transaction ends. Problem 404 once it is dropped.

    All of a family are locked by key: of two people who start the one and its undo at once, one is first.
    """
    family = Q(pk=lot.pk) | Q(undone_by=lot.pk) | Q(undoes=lot.pk)
    keys = sorted(set(Lot.objects.filter(family).values_list("pk", flat=True)))
    found = {row.pk: row for row in Lot.objects.select_for_update().filter(pk__in=keys).order_by("pk")}
    if lot.pk not in found:
        raise dropped(lot)
    return found[lot.pk]


def _reserve(lot: Lot) -> None:
    kind = kind_of(lot.kind)
    plan = kind.plan_of(lot)
    if plan is not None:
        kind.reserve(lot, plan)


def halt(lot: Lot) -> Lot:
    """Begin no more steps; running copies are abandoned safely, short steps finish."""
    if not Lot.objects.filter(pk=lot.pk, state=State.RUNNING).update(state=State.HALTING):
        lot.refresh_from_db()
        raise Problem(409, "not_running", f"Lot {lot.pk} is {lot.state}; only a running lot can be halted.")
    lot.refresh_from_db()
    return lot


def drop(lot: Lot) -> None:
    """Delete a draft."""
    with transaction.atomic():
        locked = _locked(lot)
        if locked.state != State.DRAFT:
            raise Problem(409, "not_a_draft", f"Lot {lot.pk} is {locked.state}; only a draft can be dropped.")
        locked.delete()


def undo(lot: Lot, user: User) -> Lot:
    """A draft that takes back what the lot did, last step first."""
    acted = [step for step in lot.steps.all() if step.acted]
    if lot.active or not (acted or lot.steps.filter(state=Step.State.UNKNOWN).exists()):
        raise Problem(
            409,
            "nothing_to_undo",
            f"Lot {lot.pk} has nothing that can be undone now.",
            hint="Halt it first if it runs.",
        )
    if by_hand(lot):
        raise Problem(
            409,
            "carried_out_by_hand",
            f"People carried lot {lot.pk} out; Move Lot cannot take back what it did not do.",
            hint="Import the estate anew and draft a lot for what you want to have.",
        )
    final = next((step for step in acted if not kind_of_step(step).reversible), None)
    if final:
        raise Problem(
            409,
            "irreversible",
            f"“{final.title}” cannot be taken back.",
            hint="Draft a new lot for what you want to have.",
        )
    earlier = undone_by(lot)
    if earlier:
        raise Problem(
            409,
            "undone_already",
            f"Lot {lot.pk} was undone by lot {earlier.pk}.",
            hint=f"Undo lot {earlier.pk} to bring it back.",
        )
    with transaction.atomic():
        # Two who press Undo at once get one draft.
        _locked(lot)
        draft = lot.undone_by.filter(state=State.DRAFT).first()
        if draft is None:
            draft = Lot.objects.create(kind=UndoKind.name, title=f"Undo lot {lot.pk}", created_by=user, undoes=lot)
        return redraft(draft)


register(UndoKind())
