"""An estate read from real stand-ins once, and each test in a transaction of its own on top of it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import pytest
from django.core.cache import cache
from django.db import connection
from django.http import JsonResponse
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import Role, User
from movelot.balance.aims import KeptPlan
from movelot.balance.plans import plan_of as kept_plan_of
from movelot.devices.certificate import fingerprint_of
from movelot.devices.linking import link
from movelot.devices.management.commands.link_standins import grant_pools
from movelot.devices.models import AllowedNetwork
from movelot.devices.reading import collect
from movelot.findings.judging import judge_due
from movelot.inventory.follow.shared import path_listing, path_sets
from movelot.inventory.known_groups import known_group
from movelot.inventory.models import BalanceGroup, Device, HostDevice, Pool
from movelot.inventory.versions import EVERYTHING, renew
from movelot.jobs import work
from movelot.lots import actions
from movelot.lots.drafting import new_draft
from movelot.lots.models import Lot
from movelot.lots.runner import Driver
from movelot.problems import Problem

PASSWORD = "a-long-enough-password"


@pytest.fixture(scope="session")
def django_db_setup(django_db_setup: None, django_db_blocker: Any, standin_process: StandIns) -> None:
    """The stand-ins linked, read and learned from, once for all tests of this room."""
    with django_db_blocker.unblock():
        cache.clear()
        standin_process.control("reset")
        AllowedNetwork.objects.create(cidr="127.0.0.0/8", note="stand-ins", added_by="tests")
        for card in standin_process.cards.values():
            link_card(card)
        collect(Device.objects.all())
        grant_pools()
        # What one judgement finds makes another one due.
        while judge_due():
            pass
        for name, role in (
            ("ines.marrow", Role.VIRTUALIZATION),
            ("tobias.wren", Role.STORAGE),
            ("auditor", Role.AUDITOR),
            ("una.keel", Role.ADMINISTRATOR),
        ):
            User.objects.create_user(name, password=PASSWORD, role=role)


def link_card(card: dict[str, str]) -> Device:
    from pathlib import Path

    return link(card["url"], card["user"], card["password"], fingerprint_of(Path(card["certificate"]).read_text()))


@contextmanager
def held_elsewhere(name: str) -> Iterator[None]:
    """A lock held by a connection of its own, as another worker has; a connection may take its own locks again."""
    other = connection.copy()
    try:
        with other.cursor() as cursor:
            cursor.execute("SELECT GET_LOCK(%s, 0)", [f"{connection.settings_dict['NAME']}-{name}"])
            assert cursor.fetchone()[0] == 1
        yield
    finally:
        other.close()


@pytest.fixture
def estate(db: None, standins: StandIns) -> Iterator[StandIns]:
    """The demo's estate as first read, which is how the stand-ins are again; the caches of the last test count not."""
    renew([EVERYTHING])
    yield standins
    cache.clear()


@pytest.fixture
def ines(db: None) -> User:
    return User.objects.get(username="ines.marrow")


@pytest.fixture
def api(db: None) -> APIClient:
    """The API as ines sees it, CSRF enforced."""
    return signed_in("ines.marrow")


class WithWorker(APIClient):
    """A client that looks once the worker has judged what is due, as it does within a second or two."""

    def generic(self, *args: Any, **kwargs: Any) -> Any:
        judge_due()
        answer = super().generic(*args, **kwargs)
        return self._followed(answer) if answer.status_code == 202 else answer

    def _followed(self, answer: Any) -> Any:
        """What the front end does with a job: it is followed to its end, then what it was about is looked at."""
        work.do(answer.json()["id"])
        ended = super().generic("GET", answer["Location"]).json()
        if ended["problem"]:
            refused: Any = JsonResponse(ended["problem"], status=ended["problem"]["status"])
            refused.json = lambda: ended["problem"]
            return refused
        if ended["kind"] == "reread":
            return super().generic("GET", "/api/devices/")
        if "lot" in ended["result"]:
            return super().generic("GET", f"/api/lots/{ended['result']['lot']}/")
        done: Any = JsonResponse(ended["result"])
        done.json = lambda: ended["result"]
        return done


def signed_in(name: str) -> APIClient:
    client = WithWorker(enforce_csrf_checks=True)
    token = client.get("/api/session/").json()["csrf"]
    answer = client.post(
        "/api/session/", {"username": name, "password": PASSWORD}, format="json", headers={"X-CSRFToken": token}
    )
    assert answer.status_code == 200, answer.content
    client.credentials(HTTP_X_CSRFTOKEN=answer.json()["csrf"])
    return client


def seen_over(device: HostDevice, paths: list[list[str]]) -> None:
    """Have a host see a device over these paths, [port, portal, access state], as if it had been read so."""
    device.path_set_id = path_sets({device.device_id: [paths]})[device.device_id, path_listing(paths)]
    device.save()


def figures(lot: Lot) -> tuple[int, int, int]:
    """The first figure of an outcome: before, predicted and measured."""
    row = lot.outcome["rows"][0]
    return row["before"], row["predicted"], row["measured"]


def run_to_end(lot: Lot) -> Lot:
    """Check, start and drive a lot in this process, as the worker would."""
    actions.run(lot)
    lot.refresh_from_db()
    Driver(lot).run()
    lot.refresh_from_db()
    return lot


def refused(kind: str, user: User, **form: Any) -> dict[str, list[str]]:
    """What is said, by field, of a form that does not fit; nothing is drafted."""
    before = Lot.objects.count()
    with pytest.raises(Problem) as problem:
        new_draft(kind, form, user)
    assert Lot.objects.count() == before
    found: dict[str, list[str]] = problem.value.more["fields"]
    return found


def by_id(form: dict[str, Any]) -> dict[str, Any]:
    """A form with pools by their primary keys, where a test names them."""
    key = dict(Pool.objects.values_list("name", "pk"))
    named = {"pools": [key.get(pool, pool) for pool in form.get("pools", [])], "pool": key.get(form.get("pool"))}
    return {name: named.get(name, value) for name, value in form.items()}


def plan_of(group: str) -> KeptPlan:
    """The plan that clears a group as it is known now."""
    return kept_plan_of(known_group(BalanceGroup.objects.get(name=group)))


def balanced(client: APIClient, group: str = "quayside") -> dict[str, Any]:
    """The draft of the plan that clears a group, as its page shows it."""
    lot = client.post("/api/lots/", {"kind": "balance", "form": {"group": group}}, format="json").json()
    found: dict[str, Any] = client.get(f"/api/balance/drafts/{lot['summary']['id']}/").json()
    return found


def drafted(kind: str, user: User, **form: Any) -> Lot:
    return new_draft(kind, by_id(form), user)
