"""Lots and their steps."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.db import models
from django.db.models import Q
from django.utils.timezone import now

from movelot.accounts.models import User
from movelot.inventory.models import BalanceGroup, Device

# A driver says every few seconds that it is at its lot; who is silent for longer than this is dead, or has no database.
DRIVER_SILENT_SECONDS = 30.0


class Lot(models.Model):
    """A batch of steps treated as one change.

    ``form`` holds what a person typed, as typed; ``plan`` what the stage computed from it; ``facts`` what the last
    check relied on, so that a run can say what has changed since. ``outcome`` is predicted against measured.
    """

    class State(models.TextChoices):
        DRAFT = "draft"
        RUNNING = "running"
        HALTING = "halting"
        HALTED = "halted"
        FAILED = "failed"
        DONE = "done"
        # People carry it out by its run sheet.
        SHEET = "sheet"

    kind = models.CharField(max_length=16)
    title = models.CharField(max_length=200)
    state = models.CharField(max_length=8, choices=State.choices, default=State.DRAFT)
    form = models.JSONField(default=dict)
    # The form it was first drafted from: asking for the same again opens this draft.
    origin = models.JSONField(default=dict)
    plan = models.JSONField(default=dict)
    # In which version of its kind form and plan are kept.
    documents_version = models.PositiveSmallIntegerField(default=1)
    checks = models.JSONField(default=list)
    checked_at = models.DateTimeField(null=True)
    facts = models.JSONField(default=dict)
    outcome = models.JSONField(default=dict)
    created_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="lots")
    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)
    # When its driver last said that it is at it.
    driven_at = models.DateTimeField(null=True)
    # When it will be done, as its driver reckons while it runs.
    expected_at = models.DateTimeField(null=True)
    # A digest of its steps as drafted: the same ones are not written again with each key typed.
    drafted_as = models.CharField(max_length=64, blank=True)
    # Between many steps and the many that wait for them; a step needs the first as -1, the second as -2.
    barriers = models.JSONField(default=list)
    # How many steps at once occupy what they name beside their devices, where that is not as usual.
    limits = models.JSONField(default=dict)
    # For so many hours from its end what it set lasts; then it is undone by itself. For good where it is null.
    lasts_hours = models.PositiveIntegerField(null=True)
    # The balance group that ran it by itself, if one did; and when the window ends in which it may begin anything.
    acts_for = models.ForeignKey(BalanceGroup, null=True, on_delete=models.SET_NULL, related_name="+")
    by_itself = models.BooleanField(default=False)
    window_ends_at = models.DateTimeField(null=True)
    undoes = models.ForeignKey("self", null=True, on_delete=models.PROTECT, related_name="undone_by")

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.CheckConstraint(
                condition=Q(state__in=["draft", "running", "halting", "halted", "failed", "done", "sheet"]),
                name="lot_state_known",
            )
        ]
        indexes = [models.Index(fields=["state"])]

    def __str__(self) -> str:
        return f"Lot {self.pk}: {self.title}"

    @property
    def version(self) -> str:
        """Another one whenever its steps are: what a person acts on, as ETag."""
        return self.drafted_as[:16] or "new"

    @property
    def lasts_until(self) -> datetime | None:
        """When what it set is taken back by itself; None while it has not ended, and for what lasts for good."""
        if self.lasts_hours is None or self.ended_at is None or self.state != self.State.DONE:
            return None
        return self.ended_at + timedelta(hours=self.lasts_hours)

    @property
    def active(self) -> bool:
        return self.state in (self.State.RUNNING, self.State.HALTING)

    @property
    def window_over(self) -> bool:
        """Whether it may begin nothing any more, as its window has ended."""
        return self.window_ends_at is not None and now() >= self.window_ends_at

    @property
    def undriven_seconds(self) -> float:
        """For how long no driver has said that it is at the lot; 0 while one does, and for a lot that is not active."""
        last = self.driven_at or self.started_at
        silent = (now() - last).total_seconds() if self.active and last else 0.0
        return silent if silent > DRIVER_SILENT_SECONDS else 0.0


class Hold(models.Model):
    """What a lot has while it is under way: a device, to itself; or a ``thing`` that its steps touch on devices.

    A thing that is not held ``alone`` may be used by several lots at once. ``name`` is what people call it.
    """

    lot = models.ForeignKey(Lot, on_delete=models.CASCADE, related_name="holds")
    device = models.OneToOneField(Device, null=True, on_delete=models.CASCADE, related_name="hold")
    thing = models.CharField(max_length=340, blank=True)
    name = models.CharField(max_length=340, blank=True)
    alone = models.BooleanField(default=True)

    def __str__(self) -> str:
        return f"{self.thing or f'device {self.device_id}'} for lot {self.lot_id}"


class LotThing(models.Model):
    """A thing that a lot worked on, as ``Touched`` names it; it stays when the lot has ended, as its history."""

    lot = models.ForeignKey(Lot, on_delete=models.CASCADE, related_name="things")
    thing = models.CharField(max_length=340, db_index=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["lot", "thing"], name="lot_thing_once")]

    def __str__(self) -> str:
        return f"{self.thing} in lot {self.lot_id}"


class HoldBook(models.Model):
    """One row, locked while a lot takes what it holds: two that start at once do so one after the other."""

    def __str__(self) -> str:
        return "what lots hold"


class LotVersion(models.Model):
    """A draft as it was for a while: typed by a person, or by nobody where a fresh reading made other steps of it."""

    lot = models.ForeignKey(Lot, on_delete=models.CASCADE, related_name="versions")
    digest = models.CharField(max_length=16)
    by = models.ForeignKey(User, null=True, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    form = models.JSONField(default=dict)
    steps = models.PositiveIntegerField()

    def __str__(self) -> str:
        return f"{self.lot_id} as {self.digest}"


class Step(models.Model):
    """One action on one device. ``key`` makes a repeat harmless: devices and we know the action by it."""

    class State(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        ABANDONED = "abandoned"
        # Its device stopped answering while it was under way: it is not known what it did, until the device is asked.
        UNKNOWN = "unknown"

    lot = models.ForeignKey(Lot, on_delete=models.CASCADE, related_name="steps")
    position = models.PositiveIntegerField()
    key = models.CharField(max_length=48, unique=True)
    kind = models.CharField(max_length=32)
    device = models.ForeignKey(Device, on_delete=models.PROTECT)
    title = models.CharField(max_length=200)
    detail = models.CharField(max_length=300, blank=True)
    params = models.JSONField(default=dict)
    params_version = models.PositiveSmallIntegerField(default=1)
    needs = models.JSONField(default=list)
    # In a lot that undoes another: the position there of the step that this one takes back.
    undoes = models.PositiveIntegerField(null=True)
    slots = models.JSONField(default=list)
    # What its kind states from sizes and rates, and what is expected from how long such steps took.
    stated_seconds = models.FloatField(default=1)
    estimate_seconds = models.FloatField(default=1)
    # When it would start and end, in seconds from the start of the lot.
    planned_start = models.FloatField(default=0)
    planned_end = models.FloatField(default=0)
    state = models.CharField(max_length=9, choices=State.choices, default=State.WAITING)
    task_uri = models.CharField(max_length=255, blank=True)
    done_amount = models.FloatField(default=0)
    total_amount = models.FloatField(default=0)
    per_second = models.FloatField(default=0)
    result = models.JSONField(default=dict)
    # After a restore from a backup: the state that the backup had, beside that which its device tells.
    believed = models.CharField(max_length=9, blank=True)
    problem = models.JSONField(default=dict)
    # It failed, but its device may have been changed by it all the same: an undo has to look after it too.
    touched = models.BooleanField(default=False)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(fields=["lot", "position"], name="step_position_once"),
            models.CheckConstraint(
                condition=Q(state__in=["waiting", "running", "done", "failed", "abandoned", "unknown"]),
                name="step_state_known",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.position}. {self.title} [{self.state}]"

    @property
    def acted(self) -> bool:
        """Whether there may be something to take back."""
        return acted_as(self.state, self.touched)


def acted_as(state: str, touched: bool) -> bool:
    """Whether a step in a state may have something to be taken back."""
    return state == Step.State.DONE or (state == Step.State.FAILED and touched)


class Pulse(models.Model):
    """How many rounds the schedule has gone; a file beside the database counts along (see ``restored``)."""

    count = models.PositiveBigIntegerField(default=0)
    # When it went the last one.
    at = models.DateTimeField(auto_now=True)

    def __str__(self) -> str:
        return f"{self.count} rounds"


class StepPace(models.Model):
    """How much longer steps of a kind took than they stated, the last ones: on a device, or along a route.

    Device 0 without a route is any.
    """

    kind = models.CharField(max_length=32)
    device = models.PositiveBigIntegerField()
    route = models.CharField(max_length=64, default="")
    factors = models.JSONField(default=list)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kind", "device", "route"], name="step_pace_once")]

    def __str__(self) -> str:
        return f"{self.kind} {self.route}" if self.route else f"{self.kind} on {self.device or 'any'}"
