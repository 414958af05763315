"""What people set and note: for how long what was is kept, from when on room is told of, what they think of."""

from __future__ import annotations

from django.conf import settings
from django.core.exceptions import ValidationError
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

DAYS_MAX = 3660
# Nobody hides what they did by keeping the trail for a short while only.
TRAIL_DAYS_LEAST = 365


def _days(least: int) -> models.PositiveIntegerField[int, int]:
    return models.PositiveIntegerField(validators=[MinValueValidator(least), MaxValueValidator(DAYS_MAX)])


def _for_ever_or_long(days: int) -> None:
    if 0 < days < TRAIL_DAYS_LEAST:
        raise ValidationError(f"At least {TRAIL_DAYS_LEAST} days, or 0 to keep it for ever.")


class Retention(models.Model):
    """Days: how long what no device lists any more stays, with its history, and how long daily figures do.

    The audit trail is kept for ever where its days are 0.
    """

    gone_days = _days(1)
    figures_days = _days(90)
    trail_days = models.PositiveIntegerField(default=0, validators=[_for_ever_or_long, MaxValueValidator(DAYS_MAX)])

    def __str__(self) -> str:
        return f"gone {self.gone_days} days, figures {self.figures_days} days"

    @staticmethod
    def now() -> Retention:
        """As an administrator set it, else as the installation's environment has it."""
        stored = Retention.objects.filter(pk=1).first()
        return stored or Retention(pk=1, gone_days=settings.GONE_KEPT_DAYS, figures_days=settings.FIGURES_KEPT_DAYS)


class RoomWatch(models.Model):
    """From when on room is told of: the fewest days of runway, and what a pool may promise in percent of its size."""

    runway_days = models.PositiveIntegerField(default=45, validators=[MinValueValidator(1), MaxValueValidator(365)])
    promised_percent = models.PositiveIntegerField(
        default=100, validators=[MinValueValidator(50), MaxValueValidator(1000)]
    )

    def __str__(self) -> str:
        return f"less than {self.runway_days} days, more than {self.promised_percent} % promised"

    @staticmethod
    def now() -> RoomWatch:
        """As an administrator set it."""
        return RoomWatch.objects.filter(pk=1).first() or RoomWatch(pk=1)


class KeptWhatIf(models.Model):
    """A what-if that people come back to, by its name; ``asked`` is as movelot.capacity.what_if.Asked has it."""

    name = models.CharField(max_length=60, unique=True)
    asked = models.JSONField()
    made_by = models.CharField(max_length=150)
    made_at = models.DateTimeField(auto_now=True)

    def __str__(self) -> str:
        return self.name


class CourseNote(models.Model):
    """What a person noted of a day on the course of a thing of capacity: its kind, and its key there."""

    kind = models.CharField(max_length=16)
    thing = models.PositiveBigIntegerField()
    day = models.DateField()
    text = models.CharField(max_length=200)
    noted_by = models.CharField(max_length=150)
    noted_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [models.Index(fields=["kind", "thing", "day"])]

    def __str__(self) -> str:
        return f"{self.day}: {self.text}"
