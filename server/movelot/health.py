"""What a watch asks, without signing in: whether the web server answers, and which parts behind it are up.

Nothing that an outsider could use is told: parts by name, and for how long the schedule has been silent.
"""

from __future__ import annotations

from django.conf import settings
from django.db import Error, connection
from django.http import HttpRequest, JsonResponse
from django.utils.timezone import now
from redis import Redis
from redis.exceptions import RedisError

from movelot.lots.models import Pulse

# The schedule goes a round each ten seconds.
SILENT_SECONDS = 60


def healthz(request: HttpRequest) -> JsonResponse:
    """The web server answers."""
    return JsonResponse({"status": "up"})


def readyz(request: HttpRequest) -> JsonResponse:
    """Parts that are up; 503 while requests cannot be served, which is while the database is down."""
    database = _database_is_up()
    parts = {
        "database": "up" if database else "down",
        "redis": "up" if _redis_is_up() else "down: jobs and readings wait",
        "schedule": _schedule_now() if database else "not known",
    }
    return JsonResponse({"status": "up" if database else "down", "parts": parts}, status=200 if database else 503)


def _schedule_now() -> str:
    last = Pulse.objects.values_list("at", flat=True).first()
    if last is None:
        return "not known"
    silent = (now() - last).total_seconds()
    return "up" if silent < SILENT_SECONDS else f"silent {silent:.0f} s"


def _database_is_up() -> bool:
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
    except Error:
        return False
    return True


def _redis_is_up() -> bool:
    try:
        with Redis.from_url(settings.CELERY_BROKER_URL, socket_timeout=2, socket_connect_timeout=2) as redis:
            return bool(redis.ping())
    except RedisError:
        return False
