"""How a pool answers, over the API: as learned, and how far plans may load it by people's word."""

from __future__ import annotations

from typing import Any

import pytest
from django.core.cache import cache
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.audit.models import Entry
from movelot.inventory.known_groups import known_group
from movelot.inventory.models import BalanceGroup, Datastore, GivenPolicy, Machine, Pool
from server.tests.conftest import drafted
from server.tests.test_machine_lots import flash, judge_all


def at(name: str) -> str:
    return f"/api/pools/{Pool.objects.get(name=name).pk}/curve/"


def bearable(name: str) -> float:
    group = known_group(BalanceGroup.objects.get(name="quayside")).group
    return float(group.bearable_load[group.pools.index(name)])


def test_what_was_seen_of_a_pool_and_what_people_allow_are_told_apart(
    estate: StandIns, api: APIClient, django_capture_on_commit_callbacks: Any
) -> None:
    def allow(load: float | None) -> dict[str, Any]:
        with django_capture_on_commit_callbacks(execute=True):
            told: dict[str, Any] = api.put(at("shale-deep"), {"allowed": load}, format="json").json()
        return told

    found = api.get(at("shale-deep")).json()
    assert found["cautious"]
    assert found["known"] <= 1.2 * found["seen"] * 1.001
    assert found["allowed"] > found["known"]
    assert bearable("shale-deep") == pytest.approx(found["allowed"])
    assert allow(None)["allowed"] is None
    assert bearable("shale-deep") == pytest.approx(found["known"])
    # Nobody's word is needed for what was seen.
    allow(1)
    assert bearable("shale-deep") == pytest.approx(found["known"])
    entry = Entry.objects.latest("pk")
    assert (entry.subject, entry.before, entry.after) == ("load of shale-deep", None, 1.0)


@pytest.mark.parametrize("wrong", [0, -5, "much", "nan", 1e12])
def test_a_load_that_nobody_means_is_refused(estate: StandIns, api: APIClient, wrong: object) -> None:
    before = api.get(at("shale-deep")).json()
    assert api.put(at("shale-deep"), {"allowed": wrong}, format="json").status_code == 400
    assert api.get(at("shale-deep")).json() == before


def test_a_pool_that_is_not_there_says_so(estate: StandIns, api: APIClient) -> None:
    assert api.get("/api/pools/999999/curve/").status_code == 404
    assert api.put("/api/pools/999999/curve/", {"allowed": 5}, format="json").status_code == 404


def test_a_place_whose_pool_would_have_more_load_than_is_known_of_it_says_so(estate: StandIns, ines: User) -> None:
    store = Datastore.objects.get(name="sand-02")
    machine = Machine.objects.get(name="mail-relay")
    GivenPolicy.objects.create(policy=flash(), machine=machine, by="ines.marrow")
    Pool.objects.update(allowed_load=None)
    cache.clear()
    judge_all()
    lot = drafted("machine_disk", ines, machine=machine.pk, size="50", datastore=store.pk)
    said = " ".join(str(check) for check in lot.checks)
    assert "sand-02: its pool would have more load than is known of it" in said
