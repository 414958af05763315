"""Calls that were answered, kept for a while so that the same call is not carried out twice."""

from __future__ import annotations

from django.db import models

from movelot.accounts.models import User


class AnsweredCall(models.Model):
    """The answer of a call that a person made under a key of their own choice; ``asked`` is a digest of the call."""

    person = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    key = models.CharField(max_length=64)
    asked = models.CharField(max_length=64)
    status = models.PositiveSmallIntegerField(default=0)
    content_type = models.CharField(max_length=64, blank=True)
    etag = models.CharField(max_length=80, blank=True)
    body = models.BinaryField(default=b"")
    at = models.DateTimeField(auto_now_add=True, db_index=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "key"], name="call_answered_once")]

    def __str__(self) -> str:
        return f"{self.key} of {self.person_id}: {self.status}"
