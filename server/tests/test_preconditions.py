"""A person acts on what they saw: ETag, If-Match, and what is said when another one was faster."""

from __future__ import annotations

from hashlib import sha256

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.jobs.models import Job
from movelot.lots import actions
from movelot.lots.drafting import redraft, set_form
from movelot.lots.history import KEPT, keep_version
from movelot.lots.models import Lot
from movelot.problems import Problem
from server.tests.conftest import drafted as drafted_lot
from server.tests.conftest import run_to_end, signed_in

FORM = {"cluster": "quayside", "name": "berth-t1", "size": "1 TiB"}


def drafted(api: APIClient) -> tuple[str, str]:
    """The address of a new lot's page, and the ETag of it as its drafter sees it."""
    answer = api.post("/api/lots/", {"kind": "attach", "form": FORM}, format="json")
    return f"/api/lots/{answer.json()['summary']['id']}/", answer["ETag"]


def typed_on(api: APIClient, at: str, **fields: str) -> None:
    page = at.replace("lots", "attach/drafts")
    form = api.get(page).json()["form"]
    assert api.put(page, {**form, **fields}, format="json").status_code == 200


def test_a_lot_that_another_person_changed_is_not_run(estate: StandIns, api: APIClient) -> None:
    at, seen = drafted(api)
    typed_on(signed_in("tobias.wren"), at, name="berth-t2")
    answer = api.post(f"{at}run/", HTTP_IF_MATCH=seen)
    told = answer.json()
    assert (answer.status_code, told["code"], told["changed_by"]) == (412, "changed_since", ["tobias.wren"])
    assert "name was berth-t1, is berth-t2" in told["changes"]
    assert told["title"].endswith("was changed since you looked, by tobias.wren.")
    assert not Job.objects.filter(kind="run").exists()
    assert Lot.objects.get().state == Lot.State.DRAFT
    # Looked at again, it may be run.
    assert api.post(f"{at}run/", HTTP_IF_MATCH=api.get(at)["ETag"]).status_code == 200


def test_a_form_typed_on_an_older_draft_overwrites_nothing(estate: StandIns, api: APIClient) -> None:
    at, seen = drafted(api)
    page = at.replace("lots", "attach/drafts")
    mine = {**api.get(page).json()["form"], "size": "3 TiB"}
    typed_on(signed_in("tobias.wren"), at, name="berth-t2")
    answer = api.put(page, mine, format="json", HTTP_IF_MATCH=seen)
    assert (answer.status_code, answer.json()["changed_by"]) == (412, ["tobias.wren"])
    assert api.get(page).json()["form"] == {**mine, "name": "berth-t2", "size": "1 TiB"}
    # Each answer tells the version that the next call is to name.
    first = api.put(page, mine, format="json", HTTP_IF_MATCH=api.get(page)["ETag"])
    assert api.put(page, {**mine, "size": "4 TiB"}, format="json", HTTP_IF_MATCH=first["ETag"]).status_code == 200


def test_what_changed_while_the_run_waited_for_its_worker_is_refused_too(
    estate: StandIns, api: APIClient, ines: User
) -> None:
    _, seen = drafted(api)
    lot = Lot.objects.get()
    set_form(lot, {**lot.form, "size": "2 TiB"}, ines)
    with pytest.raises(Problem) as refused:
        actions.run(lot, seen=seen.strip('"'))
    assert (refused.value.status, refused.value.code) == (412, "changed_since")
    assert "size was 1 TiB, is 2 TiB" in refused.value.detail


def test_a_reading_that_makes_other_steps_is_named_and_one_that_does_not_is_no_change(
    estate: StandIns, api: APIClient, ines: User
) -> None:
    lot = drafted_lot("uplinks", ines, host="quay-03")
    seen = lot.version
    assert redraft(lot).version == seen
    run_to_end(drafted_lot("uplinks", User.objects.get(username="tobias.wren"), host="quay-03"))
    redraft(lot)
    told = api.delete(f"/api/lots/{lot.pk}/", HTTP_IF_MATCH=f'"{seen}"').json()
    assert told["changed_by"] == ["a fresh reading of the devices"]
    assert told["changes"] == ["It had 4 steps, has 0"]
    assert Lot.objects.filter(pk=lot.pk).exists()


def test_a_draft_of_today_is_dropped_and_any_may_be_asked_for(estate: StandIns, api: APIClient) -> None:
    at, seen = drafted(api)
    assert api.delete(at, HTTP_IF_MATCH=seen).status_code == 204
    at, _ = drafted(api)
    assert api.delete(at, HTTP_IF_MATCH="*").status_code == 204


def test_only_the_last_versions_are_kept(estate: StandIns, api: APIClient, ines: User) -> None:
    drafted(api)
    lot = Lot.objects.get()
    for number in range(KEPT + 5):
        set_form(lot, {**lot.form, "name": f"berth-t{number}"}, ines)
    assert lot.versions.count() == KEPT
    newest = lot.versions.order_by("-pk").first()
    assert newest is not None
    assert (newest.digest, newest.form["name"]) == (lot.version, f"berth-t{KEPT + 4}")


def typed(lot: Lot, by: User, **more: str) -> None:
    """As of a kind whose form has such a field."""
    lot.form, lot.drafted_as = {**lot.form, **more}, sha256(repr(more).encode()).hexdigest()
    lot.save()
    keep_version(lot, 3, by)


def test_a_secret_is_never_said(estate: StandIns, api: APIClient, ines: User) -> None:
    drafted(api)
    lot = Lot.objects.get()
    seen = lot.version
    typed(lot, ines, secret="kelp-and-salt")
    with pytest.raises(Problem) as refused:
        actions.run(lot, seen=seen)
    assert "secret was not given, is (not written down)" in refused.value.detail
    seen = lot.version
    typed(lot, ines, secret="kelp-and-foam")
    with pytest.raises(Problem) as again:
        actions.run(lot, seen=seen)
    assert "secret is another one" in again.value.detail
    assert "kelp" not in refused.value.detail + again.value.detail
