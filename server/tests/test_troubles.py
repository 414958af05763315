"""What is said, and what goes on, while a part of Move Lot itself is down."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.db import OperationalError
from django.test import Client
from django.utils.timezone import now
from pytest_django.fixtures import Settings
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.inventory.models import Reading
from movelot.jobs import work
from movelot.jobs.models import Job
from movelot.jobs.tasks import do_job
from movelot.lots import actions
from movelot.lots.models import Lot, Pulse
from server.tests.test_restored import attach

NOBODY = "redis://127.0.0.1:1/0"


@pytest.fixture
def without_redis(settings: Settings) -> None:
    """Nothing listens where Redis is looked for."""
    settings.CELERY_BROKER_URL = NOBODY
    settings.CACHES = {"default": {**settings.CACHES["default"], "LOCATION": NOBODY}}


def parts(api: APIClient) -> list[str]:
    return [trouble["part"] for trouble in api.get("/api/status/").json()["troubles"]]


def test_without_redis_pages_are_served_and_say_so(estate: StandIns, api: APIClient, without_redis: None) -> None:
    assert parts(api)[0] == "redis"
    assert api.get("/api/rounds/").status_code == 200
    assert api.get("/api/network/paths/").status_code == 200
    assert Client().get("/readyz").status_code == 200


def test_a_silent_schedule_and_a_lot_that_nobody_drives_are_said(estate: StandIns, api: APIClient, ines: User) -> None:
    Pulse.objects.update_or_create(pk=1, defaults={"count": 5})
    lot = attach(ines)
    actions.run(lot)
    assert parts(api) == []
    long_ago = now() - timedelta(seconds=90)
    Lot.objects.filter(pk=lot.pk).update(driven_at=long_ago)
    Pulse.objects.update(at=long_ago)
    assert parts(api) == ["schedule", "workers"]
    assert f"No worker has been at lot {lot.pk} for 90 s" in api.get("/api/status/").json()["troubles"][1]["text"]


@pytest.mark.django_db(transaction=False)
def test_what_was_asked_for_while_redis_was_away_is_taken_up_later(
    estate: StandIns,
    api: APIClient,
    ines: User,
    monkeypatch: pytest.MonkeyPatch,
    django_capture_on_commit_callbacks: Any,
) -> None:
    def away(*_args: Any, **_options: Any) -> None:
        from kombu.exceptions import OperationalError as Away

        raise Away("connection refused")

    with monkeypatch.context() as gone:
        gone.setattr(do_job, "apply_async", away)
        with django_capture_on_commit_callbacks(execute=True):
            job = work.start("reread", {}, ines)
    assert job.state == Job.State.WAITING
    Job.objects.filter(pk=job.pk).update(asked_at=now() - timedelta(seconds=30))
    given: list[Any] = []
    monkeypatch.setattr(do_job, "apply_async", lambda args, **_options: given.append(args))
    with django_capture_on_commit_callbacks(execute=True):
        work.take_up()
    assert given == [(job.pk,)]


@pytest.mark.parametrize(
    ("number", "status", "code"),
    [(2002, 503, "database_away"), (1021, 507, "database_full"), (1064, 500, "unexpected")],
)
def test_a_database_that_is_down_or_full_is_named(
    estate: StandIns, api: APIClient, monkeypatch: pytest.MonkeyPatch, number: int, status: int, code: str
) -> None:
    def refused(*_args: Any, **_more: Any) -> None:
        raise OperationalError(number, "as MariaDB says it")

    monkeypatch.setattr("movelot.rounds.views.revision", refused)
    answer = api.get("/api/status/")
    assert (answer.status_code, answer.json()["code"]) == (status, code)
    # Also where no view of the API is reached.
    monkeypatch.setattr("movelot.audit.middleware.AuditTrail.__call__", refused)
    client = Client(raise_request_exception=False)
    answer = client.get("/api/status/")
    assert (answer.status_code, answer.json()["code"]) == (status, code)
    assert Reading.objects.exists()
