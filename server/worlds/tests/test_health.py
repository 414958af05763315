"""What a watch is told of the parts of an installation, without signing in."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.db import OperationalError, connection
from django.test import Client
from django.utils.timezone import now
from pytest_django.fixtures import Settings

from movelot.lots.models import Pulse
from movelot.lots.restored import count_on

pytestmark = pytest.mark.django_db


def ready(client: Client) -> tuple[int, dict[str, Any]]:
    answer = client.get("/readyz")
    return answer.status_code, answer.json()["parts"]


def test_the_web_server_answers(client: Client) -> None:
    assert client.get("/healthz").json() == {"status": "up"}


def test_a_schedule_that_goes_no_rounds_is_said(client: Client) -> None:
    assert ready(client) == (200, {"database": "up", "redis": "up", "schedule": "not known"})
    count_on()
    assert ready(client)[1]["schedule"] == "up"
    Pulse.objects.update(at=now() - timedelta(minutes=5))
    assert ready(client)[1]["schedule"] == "silent 300 s"


def test_without_redis_requests_are_served(client: Client, settings: Settings) -> None:
    settings.CELERY_BROKER_URL = "redis://127.0.0.1:1/0"
    assert ready(client) == (200, {"database": "up", "redis": "down: jobs and readings wait", "schedule": "not known"})


def test_without_a_database_none_are(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    def none() -> None:
        raise OperationalError("gone away")

    monkeypatch.setattr(connection, "cursor", none)
    assert ready(client) == (503, {"database": "down", "redis": "up", "schedule": "not known"})
