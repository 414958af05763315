"""For how long what was is kept."""

from __future__ import annotations

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

DAYS_MAX = 3660


def _days(least: int) -> models.PositiveIntegerField[int, int]:
    return models.PositiveIntegerField(validators=[MinValueValidator(least), MaxValueValidator(DAYS_MAX)])


class Retention(models.Model):
    """Days: how long what no device lists any more stays, with its history, and how long daily figures do."""

    gone_days = _days(1)
    figures_days = _days(90)

    def __str__(self) -> str:
        return f"gone {self.gone_days} days, figures {self.figures_days} days"

    @staticmethod
    def now() -> Retention:
        """As an administrator set it, else as the installation's environment has it."""
        stored = Retention.objects.filter(pk=1).first()
        return stored or Retention(pk=1, gone_days=settings.GONE_KEPT_DAYS, figures_days=settings.FIGURES_KEPT_DAYS)
