"""Creating calls that are made again under the same key: carried out once, answered as the first time."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.utils.timezone import now
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.audit.models import Entry
from movelot.lots.models import Lot
from movelot.repeats.middleware import forget_old
from movelot.repeats.models import AnsweredCall
from server.tests.conftest import signed_in

NEW = {"kind": "uplinks", "form": {"host": "quay-03"}}


def post(api: APIClient, body: dict[str, Any], key: str, at: str = "/api/lots/") -> Any:
    return api.post(at, body, format="json", HTTP_IDEMPOTENCY_KEY=key)


def test_a_call_made_again_is_carried_out_once_and_answered_alike(estate: StandIns, api: APIClient) -> None:
    first = post(api, {"kind": "attach", "form": {"name": "berth-x"}}, "one")
    Lot.objects.update(state=Lot.State.RUNNING)
    entries = Entry.objects.count()
    again = post(api, {"kind": "attach", "form": {"name": "berth-x"}}, "one")
    assert (again.status_code, again.json(), again["ETag"]) == (201, first.json(), first["ETag"])
    assert (again["Idempotency-Replayed"], first.has_header("Idempotency-Replayed")) == ("true", False)
    assert (Lot.objects.count(), Entry.objects.count()) == (1, entries)


def test_a_key_means_one_call_of_one_person(estate: StandIns, api: APIClient) -> None:
    assert post(api, NEW, "one").status_code == 201
    other = post(api, {"kind": "uplinks", "form": {"host": "quay-01"}}, "one")
    assert (other.status_code, other.json()["code"]) == (422, "key_reused")
    assert post(signed_in("tobias.wren"), {"kind": "uplinks", "form": {"host": "quay-01"}}, "one").status_code == 201
    assert post(api, NEW, "x" * 65).status_code == 400


def test_a_refused_call_is_not_kept_and_may_be_made_again(estate: StandIns, api: APIClient) -> None:
    wrong = {"kind": "uplinks", "form": {"host": "quay-77"}}
    assert [post(api, wrong, "one").status_code for _ in range(2)] == [422, 422]
    assert not AnsweredCall.objects.exists()
    assert post(api, NEW, "one").status_code == 201


def test_answers_are_kept_for_a_day(estate: StandIns, api: APIClient) -> None:
    post(api, NEW, "old")
    post(api, {"kind": "uplinks", "form": {"host": "quay-01"}}, "new")
    AnsweredCall.objects.filter(key="old").update(at=now() - timedelta(days=2))
    assert forget_old() == 1
    assert AnsweredCall.objects.get().key == "new"
