"""Which parts of Move Lot are up: for a watch, without signing in, and for the frame of every page.

Nothing that an outsider could use is told: parts by name, and for how long the schedule has been silent.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from django.conf import settings
from django.db import Error, connection
from django.http import HttpRequest, JsonResponse
from django.utils.timezone import now
from redis import Redis
from redis.exceptions import RedisError

from movelot.lots.models import Lot, Pulse

# The schedule goes a round each ten seconds.
SILENT_SECONDS = 60


def healthz(request: HttpRequest) -> JsonResponse:
    """The web server answers."""
    return JsonResponse({"status": "up"})


def readyz(request: HttpRequest) -> JsonResponse:
    """Parts that are up; 503 while requests cannot be served, which is while the database is down."""
    database = _database_is_up()
    silent = _schedule_silent_seconds() if database else None
    parts = {
        "database": "up" if database else "down",
        "redis": "up" if _redis_is_up() else "down: jobs and readings wait",
        "schedule": "not known" if silent is None else f"silent {silent:.0f} s" if silent else "up",
    }
    return JsonResponse({"status": "up" if database else "down", "parts": parts}, status=200 if database else 503)


@dataclass
class Trouble:
    """A part of Move Lot itself that does not do its work: what is wrong, and what that means until it is back."""

    part: str
    text: str


def troubles(active: Iterable[Lot]) -> list[Trouble]:
    """What is wrong with Move Lot itself, for people who are signed in, and with which of the ``active`` lots.

    The database is up, or nobody could ask.
    """
    found = []
    if not _redis_is_up():
        text = "Redis does not answer: readings stand still, and what you ask for waits until it is back."
        found.append(Trouble("redis", text))
    silent = _schedule_silent_seconds()
    if silent:
        text = f"The schedule has been silent for {silent:.0f} s: readings grow old, and nothing is taken up."
        found.append(Trouble("schedule", text))
    for lot in active:
        seconds = lot.undriven_seconds
        if seconds:
            text = f"No worker has been at lot {lot.pk} for {seconds:.0f} s: it goes on once one takes it up."
            found.append(Trouble("workers", text))
    return found


def _schedule_silent_seconds() -> float | None:
    """For how long it has been silent, 0 while it is not; None where it never ran."""
    last = Pulse.objects.values_list("at", flat=True).first()
    if last is None:
        return None
    silent = (now() - last).total_seconds()
    return silent if silent >= SILENT_SECONDS else 0.0


def _database_is_up() -> bool:
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
    except Error:
        return False
    return True


@lru_cache(maxsize=1)
def _redis(url: str) -> Redis:
    """Its connections are kept: every page asks each few seconds."""
    return Redis.from_url(url, socket_timeout=2, socket_connect_timeout=2)


def _redis_is_up() -> bool:
    try:
        return bool(_redis(settings.CELERY_BROKER_URL).ping())
    except RedisError:
        return False
