"""The audit trail: who changed what, from where and when. Rows are added and never changed, and go only with age."""

from __future__ import annotations

from typing import Any, NoReturn

from django.db import models


class AppendOnly(Exception):
    """Somebody tried to change or delete an entry of the audit trail."""


class Entries(models.QuerySet["Entry"]):
    """Entries, which can be read and added to."""

    def update(self, **_values: Any) -> NoReturn:
        raise AppendOnly

    def delete(self) -> NoReturn:
        raise AppendOnly

    def cut(self) -> int:
        """Delete the entries after all: for the retention alone, which says in the trail what it did."""
        count = self.count()
        self._raw_delete(self.db)
        return count


class Entry(models.Model):
    """One change by a person. ``digest`` covers this entry and the digest of the one before: a chain.

    ``subject`` names what was changed (lot 12, pool granite/granite-fast); ``before`` and ``after`` are what of it is
    another one now, without any secret.
    """

    at = models.DateTimeField(db_index=True)
    who = models.CharField(max_length=150, db_index=True)
    role = models.CharField(max_length=16)
    address = models.CharField(max_length=64)
    what = models.CharField(max_length=64, db_index=True)
    subject = models.CharField(max_length=200, db_index=True)
    before = models.JSONField(null=True)
    after = models.JSONField(null=True)
    previous = models.CharField(max_length=64)
    digest = models.CharField(max_length=64, unique=True)

    objects = Entries.as_manager()

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.at:%Y-%m-%d %H:%M} {self.who}: {self.what} {self.subject}"

    def save(self, *args: Any, **kwargs: Any) -> None:
        if self.pk:
            raise AppendOnly
        super().save(*args, **kwargs)

    def delete(self, *_args: Any, **_kwargs: Any) -> NoReturn:
        raise AppendOnly


class Head(models.Model):
    """Where the chain ends, locked while an entry is added to it: its last digest. One row.

    Where older entries were cut off it begins after ``cut`` of them, with the digest of the last of these.
    """

    digest = models.CharField(max_length=64, blank=True)
    entries = models.PositiveBigIntegerField(default=0)
    cut = models.PositiveBigIntegerField(default=0)
    cut_digest = models.CharField(max_length=64, blank=True)

    def __str__(self) -> str:
        return f"{self.entries} entries"
