"""Kinds of lots: what each has to hold to, and that no form which does not fit is taken for another one."""

from __future__ import annotations

import dataclasses
import json
from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.inventory.models import Pool, Volume
from movelot.lots.documents import LONGEST_TEXT, LotForm, LotPlan, dumped, form_of
from movelot.lots.kinds import REGISTRY
from movelot.lots.models import Lot
from movelot.problems import Problem
from server.tests.conftest import drafted

KINDS = sorted(REGISTRY)
NAMED = [
    (kind, each.name, 999_999 if each.default is None else "nowhere")
    for kind in KINDS
    for each in dataclasses.fields(REGISTRY[kind].form)
    if "names" in each.metadata
]


@pytest.mark.parametrize("name", KINDS)
def test_every_kind_keeps_the_contract(name: str) -> None:
    kind = REGISTRY[name]
    assert kind.name == name
    assert kind.__doc__
    assert issubclass(kind.form, LotForm)
    assert issubclass(kind.plan, LotPlan)
    assert kind.form.__doc__
    assert kind.plan.__doc__
    empty = form_of(kind.form, {})
    assert form_of(kind.form, dumped(empty)) == empty
    with pytest.raises(Problem) as unknown:
        form_of(kind.form, {"clustr": "quayside"})
    assert "clustr" in unknown.value.more["fields"]


@pytest.mark.parametrize("name", [name for name in KINDS if dataclasses.fields(REGISTRY[name].form)])
def test_no_field_takes_what_it_is_not_for(name: str) -> None:
    form = REGISTRY[name].form
    for each in dataclasses.fields(form):
        for wrong in ({"no": ["such"]}, [[{}]], -1.5, "x" * (LONGEST_TEXT + 1)):
            with pytest.raises(Problem) as refused:
                form_of(form, {each.name: wrong})
            assert any(field.startswith(each.name) for field in refused.value.more["fields"])


@pytest.mark.parametrize(("kind", "field", "value"), NAMED)
def test_a_name_that_nothing_has_is_refused_and_nothing_is_drafted(
    estate: StandIns, api: APIClient, kind: str, field: str, value: Any
) -> None:
    answer = api.post("/api/lots/", {"kind": kind, "form": {field: value}}, format="json")
    assert answer.status_code == 422
    assert list(answer.json()["fields"]) == [field]
    assert str(value) in answer.json()["detail"]
    assert not Lot.objects.exists()


@pytest.mark.parametrize("body", [[], [{"cluster": "gatehouse"}], "gatehouse", 7, None])
def test_a_form_that_is_no_object_is_refused_and_the_draft_stays(
    estate: StandIns, api: APIClient, ines: User, body: Any
) -> None:
    lot = drafted("attach", ines, cluster="gatehouse")
    answer = api.put(f"/api/attach/drafts/{lot.pk}/", json.dumps(body), content_type="application/json")
    assert answer.status_code == 422
    assert list(answer.json()["fields"]) == ["form"]
    assert Lot.objects.get(pk=lot.pk).form["cluster"] == "gatehouse"


def test_a_misspelt_key_never_means_the_usual_cluster(estate: StandIns, api: APIClient, ines: User) -> None:
    lot = drafted("attach", ines, cluster="gatehouse")
    answer = api.put(f"/api/attach/drafts/{lot.pk}/", {"clustr": "gatehouse", "name": "berth-x"}, format="json")
    assert answer.status_code == 422
    assert answer.json()["fields"]["clustr"][0].startswith("There is no such field; there are cluster, name, size")
    lot.refresh_from_db()
    assert lot.form["cluster"] == "gatehouse"


# What each kind's plans had not yet in the release before, by kind, with a form that drafts such a plan.
SINCE = {
    "detach": ({"keep": True}, ("serial", "kind", "pool_id")),
    "spread": ({}, ("kind",)),
    "use_volume": ({"cluster": "quayside"}, ("serial",)),
}


@pytest.mark.parametrize("name", sorted(SINCE))
def test_a_plan_of_the_release_before_is_read_as_it_would_be_today(estate: StandIns, ines: User, name: str) -> None:
    form, added = SINCE[name]
    volume = Volume.objects.get(name="berth-f" if name == "spread" else "slate-09")
    lot = drafted(name, ines, volume=volume.pk, **form)
    today = REGISTRY[name].plan_of(lot)
    lot.plan = {key: value for key, value in lot.plan.items() if key not in added}
    lot.documents_version = 1
    assert today is not None
    assert REGISTRY[name].plan_of(lot) == today


@pytest.mark.parametrize(("name", "field"), [("attach", "pools"), ("attach_file", "pool"), ("attach_set", "pool")])
def test_a_form_of_the_release_before_named_pools_by_their_names(
    estate: StandIns, ines: User, name: str, field: str
) -> None:
    pool = Pool.objects.get(name="chalk-one")
    lot = Lot(kind=name, form={"name": "berth-x", field: [pool.name] if field == "pools" else pool.name})
    form = REGISTRY[name].form_of(lot)
    assert getattr(form, field) == ([pool.pk] if field == "pools" else pool.pk)


def test_a_plan_of_an_older_release_that_cannot_be_read_is_said_so(estate: StandIns, ines: User) -> None:
    lot = drafted("uplinks", ines, host="quay-03")
    lot.plan = {"host": "quay-03"}
    with pytest.raises(Problem) as unreadable:
        REGISTRY["uplinks"].plan_of(lot)
    assert unreadable.value.title == (
        f"The plan of lot {lot.pk} is kept in a form that this release cannot read (paths)."
    )
