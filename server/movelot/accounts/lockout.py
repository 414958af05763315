"""Names that too many failed sign-ins have locked: for the address they came from, and for a while.

Nobody locks out others by trying in their name.
"""

from __future__ import annotations

from datetime import timedelta

from axes.models import AccessAttempt
from django.conf import settings
from django.db.models import QuerySet
from django.utils.timezone import now

COOL_OFF = timedelta(hours=settings.AXES_COOLOFF_TIME)


def locking() -> QuerySet[AccessAttempt]:
    """The attempts, one a name and address, that lock now."""
    many = AccessAttempt.objects.filter(failures_since_start__gte=settings.AXES_FAILURE_LIMIT)
    lately: QuerySet[AccessAttempt] = many.filter(attempt_time__gt=now() - COOL_OFF)
    return lately


def seconds_left(name: str, address: str) -> int:
    """For how long a name stays locked for an address; a second where it has just ended."""
    attempt = locking().filter(username=name, ip_address=address).order_by("-attempt_time").first()
    return max(1, round((attempt.attempt_time + COOL_OFF - now()).total_seconds())) if attempt else 1
