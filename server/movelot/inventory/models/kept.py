"""For how long what was is kept."""

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
