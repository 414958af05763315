"""Groups that act by themselves: in the hours of a way that acts, once somebody let them, and while nobody halts all.

What a group does is a lot like any other, of whoever let it act: drafted from its plan, checked on a fresh reading, run
only if it ends inside the window, seen among lots. When the window ends it begins no more copies.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import Sum
from django.utils.timezone import now

from movelot.accounts.models import User
from movelot.balance.drafting import BalanceForm, BalanceKind
from movelot.balance.planning import MoveRequest, moves_of, plan_with
from movelot.balance.plans import plan_by_itself
from movelot.balance.ways import may_act, ways_of
from movelot.inventory.changes import people_said
from movelot.inventory.known_groups import KnownGroup, known_group
from movelot.inventory.models import ActsHalted, BalanceGroup, WayOfWorking
from movelot.jobs.models import Job
from movelot.jobs.work import JobKind, Running, start
from movelot.lots import actions
from movelot.lots.documents import dumped
from movelot.lots.drafting import new_draft
from movelot.lots.models import Lot, Step
from movelot.placement.copies import rates_of
from movelot.problems import Problem
from movelot_core.balance.beginning import PLANNED_SHARE, Window, beginning
from movelot_core.units import count_of, format_size

# After a try that began nothing it is tried again no sooner.
TRIED_AGAIN = timedelta(minutes=10)
# A window without an end lasts as long as what it may move is counted: a day.
WITHOUT_END = timedelta(days=1)


@dataclass
class ActReached:
    """The lot that was begun, if any, and why or why not, in a sentence."""

    lot: int | None
    text: str


def act(moment: datetime) -> None:
    """Have every group that may act by itself at ``moment`` do so, and no other begin any more."""
    if ActsHalted.objects.exists():
        halt_all()
        return
    acting = {group.pk: group for group in BalanceGroup.objects.select_related("in_force") if _acts(group)}
    for lot in Lot.objects.filter(by_itself=True, state=Lot.State.RUNNING).exclude(acts_for__in=acting):
        # Its way is in force no longer, though the window was to last: what runs ends, nothing else begins.
        if not lot.window_over:
            Lot.objects.filter(pk=lot.pk, state=Lot.State.RUNNING).update(window_ends_at=moment)
    for group in acting.values():
        person = who_let(group)
        if person is not None and _due(group, moment):
            start(ActJob.name, {"group": group.pk}, person)


def _acts(group: BalanceGroup) -> bool:
    """Whether the way in force acts, and somebody let it."""
    way = group.in_force
    return way is not None and way.does == WayOfWorking.Does.ACT and may_act(group, ways_of(group))


def who_let(group: BalanceGroup) -> User | None:
    """Who let the group act, while that person may still change anything."""
    person = User.objects.filter(username=group.acts_by, is_active=True).first()
    return person if person is not None and person.may_change else None


def _due(group: BalanceGroup, moment: datetime) -> bool:
    """Whether nothing of the group is under way, or was tried a moment ago."""
    under_way = Lot.objects.filter(acts_for=group, state__in=[Lot.State.RUNNING, Lot.State.HALTING])
    last = last_try(group)
    tried = last is not None and (last.open or (last.ended_at or moment) > moment - TRIED_AGAIN)
    return not tried and not under_way.exists()


def last_try(group: BalanceGroup) -> Job | None:
    """The last job in which a group was to act."""
    return Job.objects.filter(kind=ActJob.name, params__group=group.pk).order_by("pk").last()


@dataclass(frozen=True)
class ActingNow:
    """What a group that acts by itself is in: the way, until when at the site's clock, and what held it up last."""

    way: str
    until: str
    held_up: str


def acting_now(group: BalanceGroup, moment: datetime) -> ActingNow | None:
    """How a group acts by itself at ``moment``; None where it does not."""
    if not _acts(group) or group.in_force is None or ActsHalted.objects.exists():
        return None
    last = last_try(group)
    since = group.in_force_since or moment
    problem = (last.problem if last and last.asked_at >= since else None) or {}
    held_up = " ".join(text for text in (problem.get("title", ""), problem.get("detail", "")) if text)
    if who_let(group) is None:
        held_up = f"{group.acts_by} may not change anything any more: somebody else has to let it act."
    return ActingNow(group.in_force.name, group.until_text, held_up)


class ActJob(JobKind[ActReached]):
    """Runs what of a group's plan fits into the window that it is in."""

    name, queue, result = "act", "heavy", ActReached

    def do(self, running: Running) -> ActReached:
        try:
            return self._begun(running)
        finally:
            # What is announced says what held it up.
            people_said("group", running.params["group"])

    def _begun(self, running: Running) -> ActReached:
        group, way = _still_acting(running.params["group"])
        begun = Lot.objects.filter(acts_for=group, by_itself=True, state=Lot.State.RUNNING).first()
        if begun is not None:
            # The worker died after it had begun the lot.
            return ActReached(begun.pk, f"Runs lot {begun.pk}: {begun.title}.")
        Lot.objects.filter(acts_for=group, by_itself=True, state=Lot.State.DRAFT).delete()
        found = known_group(group).by_itself
        plan = plan_by_itself(found, running.asked_to_end)
        if not plan.moves:
            return ActReached(None, f"Nothing of {group.name} is over its ceilings that a move would help.")
        moves = _within_window(found, moves_of(plan), way)
        if not moves:
            text = f"No move of {group.name}'s plan fits what is left of the window"
            return ActReached(None, f"{text}: {_left_text(group, way)}.")
        lot = _drafted(group, way, moves, running)
        try:
            lot = actions.run(lot, running.progress)
        except Problem:
            # A draft that nobody drafted is of no use to anybody; the reason is told with the job.
            Lot.objects.filter(pk=lot.pk, state=Lot.State.DRAFT).delete()
            raise
        if ActsHalted.objects.exists():
            # Somebody halted all groups while this was checked.
            halt_all()
        return ActReached(lot.pk, f"Runs lot {lot.pk}: {lot.title}.")


def _still_acting(key: int) -> tuple[BalanceGroup, WayOfWorking]:
    """The group and the way in force. Problem 409 where it may not act any more, as the job waited for its turn."""
    group = BalanceGroup.objects.filter(pk=key).select_related("in_force").first()
    way = group.in_force if group else None
    over = group is not None and group.in_force_until is not None and group.in_force_until <= now()
    if group is None or way is None or over or not _acts(group) or ActsHalted.objects.exists():
        raise Problem(409, "acts_no_more", "The group does not act any more.", "Nothing was begun.")
    return group, way


def moved_in_window(group: BalanceGroup, moment: datetime) -> int:
    """Bytes of copies that were begun by the group itself in the window that it is in."""
    lots = Lot.objects.filter(acts_for=group, by_itself=True)
    since = group.in_force_since or moment
    if group.in_force_until is None:
        since = max(since, moment - WITHOUT_END)
    lots = lots.filter(created_at__gte=since)
    copies = Step.objects.filter(lot__in=lots, kind="move_disk").exclude(state=Step.State.WAITING)
    return int(copies.aggregate(sum=Sum("total_amount"))["sum"] or 0)


def _window(group: BalanceGroup, way: WayOfWorking) -> Window:
    """What may be done by itself from now on in the window that the group is in."""
    moment = now()
    bytes_left = None if way.most_bytes is None else max(0, way.most_bytes - moved_in_window(group, moment))
    until = group.in_force_until
    seconds = None if until is None else PLANNED_SHARE * (until - moment).total_seconds()
    return Window(bytes_left, seconds, way.most_copies)


def _within_window(found: KnownGroup, moves: list[MoveRequest], way: WayOfWorking) -> list[MoveRequest]:
    plan, _ordered, impossible = plan_with(found, moves, 0)
    if impossible:
        return []
    kept = beginning(found.trading, plan.moves, rates_of(found), _window(found.row, way))
    last = {step.move.disk: step.move.target for step in kept}
    return [MoveRequest(found.disk_keys[disk], found.store_keys[store]) for disk, store in last.items()]


def _left_text(group: BalanceGroup, way: WayOfWorking) -> str:
    window = _window(group, way)
    bytes_left = "no limit of bytes" if window.most_bytes is None else f"{format_size(window.most_bytes)}"
    if window.most_seconds is None:
        return bytes_left
    return f"{bytes_left} in {count_of(round(window.most_seconds / 60), 'minute')}"


def _drafted(group: BalanceGroup, way: WayOfWorking, moves: list[MoveRequest], running: Running) -> Lot:
    """The lot with these moves, marked as the group's own."""
    form = BalanceForm(group=group.name, moves=moves, at_once=way.most_copies)
    origin = {"acts_for": group.pk, "asked": running.job.pk}
    lot = new_draft(BalanceKind.name, dumped(form), running.person, begun_from=origin)
    lot.acts_for, lot.by_itself, lot.window_ends_at = group, True, group.in_force_until
    lot.save(update_fields=["acts_for", "by_itself", "window_ends_at"])
    return lot


def halt_all() -> list[int]:
    """Halt every lot that a group runs by itself. Returns the lots."""
    halted = []
    for lot in Lot.objects.filter(by_itself=True, state=Lot.State.RUNNING):
        try:
            halted.append(actions.halt(lot).pk)
        except Problem:
            # It ended in this moment.
            lot.refresh_from_db()
    return halted
