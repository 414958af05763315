"""Findings as rows, what has to be judged anew, and what judging has made for pages to show."""

from __future__ import annotations

from django.db import models

from movelot.accounts.models import User


class Finding(models.Model):
    """One thing that wants attention, or did: the same trouble of the same thing is one row.

    ``judged_by`` is the judgement that keeps it up. ``gone_at`` is when it was found to be over; found again later it
    is the same row, first seen anew.
    """

    kind = models.CharField(max_length=32)
    subject_kind = models.CharField(max_length=16)
    # 0 where the subject has no row of its own.
    subject_id = models.PositiveBigIntegerField(default=0)
    subject_name = models.CharField(max_length=223)
    scope = models.CharField(max_length=100, blank=True)
    stage = models.CharField(max_length=16)
    urgency = models.CharField(max_length=8)
    rank = models.PositiveSmallIntegerField()
    evidence = models.JSONField()
    judged_by = models.CharField(max_length=64)
    first_seen = models.DateTimeField()
    last_seen = models.DateTimeField()
    gone_at = models.DateTimeField(null=True)
    acknowledged_until = models.DateTimeField(null=True)
    acknowledged_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    acknowledged_note = models.CharField(max_length=300, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["kind", "subject_kind", "subject_id", "subject_name", "scope"], name="finding_once"
            )
        ]
        indexes = [models.Index(fields=["gone_at", "stage"]), models.Index(fields=["judged_by"])]

    def __str__(self) -> str:
        return f"{self.kind} of {self.subject_name}"


class Due(models.Model):
    """A judgement that has to be made anew, as something that it rests on has changed."""

    judgement = models.CharField(max_length=64, unique=True)
    # Another one whenever it becomes due again, so that what changed while it was made is not forgotten.
    ticket = models.CharField(max_length=32)
    since = models.DateTimeField()

    def __str__(self) -> str:
        return self.judgement


class Judged(models.Model):
    """What a judgement made beside findings, as JSON text ready to be sent: a board, a plan, figures of the frame."""

    name = models.CharField(max_length=64, unique=True)
    # What it rests on: another text where that is another one now.
    rests_on = models.CharField(max_length=200)
    document = models.TextField()
    made_at = models.DateTimeField()

    def __str__(self) -> str:
        return self.name
