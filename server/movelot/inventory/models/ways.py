"""Ways of working of balance groups, laid out over the week; what a rehearsal of them came to; and the one switch."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from movelot.inventory.models.groups import BalanceGroup

WEEK_HOURS = 168


class WayOfWorking(models.Model):
    """What a group does while it is in force: advise, act by itself, or keep still.

    ``most_bytes`` move in a window of it by themselves and ``most_copies`` run at once; null for no limit. Ceilings
    that are null are the group's own.
    """

    class Does(models.TextChoices):
        ADVISE = "advise"
        ACT = "act"
        STILL = "still"

    group = models.ForeignKey(BalanceGroup, on_delete=models.CASCADE, related_name="ways")
    name = models.CharField(max_length=32)
    does = models.CharField(max_length=6, choices=Does.choices)
    most_bytes = models.BigIntegerField(null=True)
    most_copies = models.PositiveSmallIntegerField(null=True)
    fill_ceiling = models.FloatField(null=True)
    latency_ceiling_ms = models.FloatField(null=True)
    position = models.PositiveSmallIntegerField()

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(fields=["group", "name"], name="way_named_once"),
            models.CheckConstraint(condition=Q(does__in=["advise", "act", "still"]), name="way_does_known"),
            models.CheckConstraint(
                condition=Q(fill_ceiling__isnull=True) | Q(fill_ceiling__gt=0, fill_ceiling__lte=1),
                name="way_fill_is_share",
            ),
            models.CheckConstraint(
                condition=Q(latency_ceiling_ms__isnull=True) | Q(latency_ceiling_ms__gt=0),
                name="way_latency_positive",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.name} of {self.group}"


class WayBar(models.Model):
    """Hours of the week in which a way is in force, from the hour ``begins`` (0 is Monday's first) on."""

    way = models.ForeignKey(WayOfWorking, on_delete=models.CASCADE, related_name="bars")
    begins = models.PositiveSmallIntegerField()
    hours = models.PositiveSmallIntegerField()

    class Meta:
        ordering = ["begins"]
        constraints = [
            models.CheckConstraint(
                condition=Q(begins__lt=WEEK_HOURS, hours__gte=1, hours__lte=WEEK_HOURS), name="bar_within_week"
            )
        ]

    def __str__(self) -> str:
        return f"{self.way} from hour {self.begins} for {self.hours}"


class WayException(models.Model):
    """A way that is in force once, from ``begins`` until ``ends``, whatever the week says; then the week goes on."""

    way = models.ForeignKey(WayOfWorking, on_delete=models.CASCADE, related_name="exceptions")
    begins = models.DateTimeField()
    ends = models.DateTimeField()
    reason = models.CharField(max_length=100, blank=True)

    class Meta:
        ordering = ["begins"]
        constraints = [models.CheckConstraint(condition=Q(ends__gt=models.F("begins")), name="exception_has_length")]

    def __str__(self) -> str:
        return f"{self.way} once from {self.begins}"


class Rehearsal(models.Model):
    """A group's ways replayed over its history. ``of`` is the digest of ways and week that it was made for."""

    group = models.ForeignKey(BalanceGroup, on_delete=models.CASCADE, related_name="rehearsals")
    of = models.CharField(max_length=64)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)
    document = models.JSONField()
    # Who opened it first, and when: a group acts by itself only as somebody has seen it would.
    seen_by = models.CharField(max_length=150, blank=True)
    seen_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.group} rehearsed {self.at}"


class ActsHalted(models.Model):
    """One row while no group may act by itself, whatever its ways say: the switch for all of them."""

    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)
    reason = models.CharField(max_length=200, blank=True)

    def __str__(self) -> str:
        return f"halted by {self.by}"
