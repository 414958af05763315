"""Work that takes a while, asked for by a person and followed by a page, with the files that it takes and makes."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from movelot.accounts.models import User


class Job(models.Model):
    """A piece of work with its progress, and in the end a result or what went wrong (a problem document)."""

    class State(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    kind = models.CharField(max_length=24)
    params = models.JSONField(default=dict)
    state = models.CharField(max_length=9, choices=State.choices, default=State.WAITING)
    # What it is at now, and how much of how much is done; 0 of 0 where that cannot be told.
    text = models.CharField(max_length=200, blank=True)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    result = models.JSONField(default=dict)
    problem = models.JSONField(null=True)
    cancel_asked = models.BooleanField(default=False)
    asked_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="jobs")
    asked_at = models.DateTimeField(auto_now_add=True)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        indexes = [models.Index(fields=["state"])]
        constraints = [
            models.CheckConstraint(
                condition=Q(state__in=["waiting", "running", "done", "failed", "cancelled"]), name="job_state_known"
            )
        ]

    def __str__(self) -> str:
        return f"{self.kind} {self.pk} [{self.state}]"

    @property
    def open(self) -> bool:
        return self.state in (self.State.WAITING, self.State.RUNNING)


class FilePart(models.Model):
    """A part of a file that a job was given (``out`` false) or made; in the database, where every worker finds it."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="parts")
    out = models.BooleanField(default=False)
    number = models.PositiveIntegerField()
    content = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["job", "out", "number"], name="file_part_once")]

    def __str__(self) -> str:
        return f"part {self.number} of job {self.job_id}"
