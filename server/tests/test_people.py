"""How people come in, stay in and are kept out: links, sessions, passwords, tokens, locks, proxies."""

from __future__ import annotations

import re
from datetime import timedelta
from io import StringIO
from typing import Any

import pytest
from django.contrib.sessions.models import Session
from django.core.management import call_command
from django.test import Client
from django.utils.timezone import now
from pytest_django.fixtures import Settings
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import ApiToken, Invitation, Role, SignIn, User
from movelot.audit.models import Entry
from movelot.repeats.models import AnsweredCall
from server.tests.conftest import PASSWORD, signed_in

NEW = "another-long-password"


@pytest.fixture
def una(estate: StandIns) -> APIClient:
    """The administrator."""
    return signed_in("una.keel")


def accept(secret: str, password: str = NEW, name: str = "") -> Any:
    return APIClient().post(
        "/api/welcome/accept/", {"secret": secret, "name": name, "password": password}, format="json"
    )


def sign_in(name: str, password: str, **extra: Any) -> Any:
    return APIClient().post("/api/session/", {"username": name, "password": password}, format="json", **extra)


def secret_in(link: str) -> str:
    return link.partition("#")[2]


def welcome() -> str:
    out = StringIO()
    call_command("welcome", stdout=out)
    return out.getvalue().strip()


def test_the_first_administrator_comes_by_a_link_that_is_printed_once(db: None) -> None:
    User.objects.filter(role=Role.ADMINISTRATOR).update(role=Role.AUDITOR)
    link = welcome()
    assert re.fullmatch(r"http://127\.0\.0\.1:\d+/welcome#[\w-]{43}", link)
    assert APIClient().post("/api/welcome/", {"secret": secret_in(link)}, format="json").json() == {
        "name": "",
        "role": "administrator",
    }
    assert accept(secret_in(link), "short", "petra.vane").json()["code"] == "password_weak"
    assert accept(secret_in(link), NEW, "no name").json()["code"] == "name_odd"
    made = accept(secret_in(link), NEW, "petra.vane")
    assert (made.status_code, made.json()["role"]) == (200, "administrator")
    assert accept(secret_in(link), NEW, "somebody.else").json()["code"] == "link_used"
    assert welcome() == ""


def test_two_links_for_the_first_make_one_administrator(db: None) -> None:
    User.objects.filter(role=Role.ADMINISTRATOR).delete()
    first, second = secret_in(welcome()), secret_in(welcome())
    assert accept(first, NEW, "petra.vane").status_code == 404
    assert accept(second, NEW, "petra.vane").status_code == 200


def test_a_person_is_invited_sets_a_password_and_nobody_else_knows_it(una: APIClient) -> None:
    body = {"username": "petra.vane", "role": "storage"}
    made = una.post("/api/people/", body, format="json", headers={"Idempotency-Key": "k1"})
    assert made.status_code == 201
    secret = secret_in(made.json()["link"])
    # Kept nowhere as it is: neither with the invitation, nor in the trail, nor with answers for repeated calls.
    assert not Invitation.objects.filter(digest=secret).exists()
    assert secret not in repr(list(Entry.objects.values()))
    assert all(secret.encode() not in bytes(row.body) for row in AnsweredCall.objects.all())
    again = una.post("/api/people/", body, format="json", headers={"Idempotency-Key": "k1"})
    assert (again.status_code, again.json()["code"]) == (409, "shown_once")
    assert sign_in("petra.vane", "").status_code == 400
    assert accept(secret).json()["name"] == "petra.vane"
    assert sign_in("petra.vane", NEW).json()["role"] == "storage"


def test_an_old_link_is_worth_nothing(una: APIClient) -> None:
    secret = secret_in(una.post("/api/people/", {"username": "p", "role": "auditor"}, format="json").json()["link"])
    Invitation.objects.update(expires_at=now() - timedelta(seconds=1))
    assert accept(secret).json()["code"] == "link_used"


def test_a_new_link_ends_the_old_password_and_all_sessions(una: APIClient, api: APIClient) -> None:
    ines = User.objects.get(username="ines.marrow")
    link = una.post(f"/api/people/{ines.pk}/link/").json()["link"]
    assert api.get("/api/status/").status_code == 401
    assert sign_in("ines.marrow", PASSWORD).status_code == 400
    accept(secret_in(link))
    assert sign_in("ines.marrow", NEW).status_code == 200


def test_who_may_not_sign_in_any_more_is_out_at_once(una: APIClient, api: APIClient) -> None:
    ines = User.objects.get(username="ines.marrow")
    secret = api.post("/api/tokens/", {"name": "backup"}, format="json").json()["secret"]
    una.put(f"/api/people/{ines.pk}/", {"role": "virtualization", "active": False}, format="json")
    assert api.get("/api/status/").status_code == 401
    assert by_token(secret).get("/api/status/").status_code == 401
    assert sign_in("ines.marrow", PASSWORD).status_code == 400


def test_there_is_always_an_administrator(una: APIClient) -> None:
    who = User.objects.get(username="una.keel")
    for values in ({"role": "auditor", "active": True}, {"role": "administrator", "active": False}):
        answer = una.put(f"/api/people/{who.pk}/", values, format="json")
        assert (answer.status_code, answer.json()["code"]) == (409, "last_administrator")
    assert User.objects.get(pk=who.pk).administers


def test_a_changed_password_ends_the_other_sessions_and_keeps_this_one(estate: StandIns, api: APIClient) -> None:
    other = signed_in("ines.marrow")
    wrong = api.put("/api/session/password/", {"old": "no", "new": NEW}, format="json")
    assert (wrong.status_code, wrong.json()["code"]) == (400, "refused")
    assert api.put("/api/session/password/", {"old": PASSWORD, "new": NEW}, format="json").status_code == 204
    assert api.get("/api/status/").status_code == 200
    assert other.get("/api/status/").status_code == 401
    assert len(api.get("/api/sign-ins/").json()) == 1


def test_a_session_is_ended_from_another_browser(estate: StandIns, api: APIClient) -> None:
    other = signed_in("ines.marrow")
    rows = api.get("/api/sign-ins/").json()
    assert sorted(row["this"] for row in rows) == [False, True]
    away = next(row["id"] for row in rows if not row["this"])
    assert signed_in("auditor").delete(f"/api/sign-ins/{away}/").status_code == 404
    assert api.delete(f"/api/sign-ins/{away}/").status_code == 204
    assert other.get("/api/status/").status_code == 401


def shift(api: APIClient, **by: str) -> None:
    """Have the session of a client begun, or last seen, so long ago."""
    session = api.session
    for name, moment in by.items():
        session[name] = moment
    session.save()


def test_a_session_ends_when_nobody_is_there_however_often_its_page_asks(estate: StandIns, api: APIClient) -> None:
    shift(api, seen=(now() - timedelta(minutes=59)).isoformat())
    assert api.get("/api/status/").status_code == 200
    shift(api, seen=(now() - timedelta(minutes=61)).isoformat())
    assert api.get("/api/status/").status_code == 401
    assert not SignIn.objects.filter(person__username="ines.marrow").exists()


def test_a_session_goes_on_while_somebody_is_there_but_not_for_ever(estate: StandIns, api: APIClient) -> None:
    shift(api, seen=(now() - timedelta(minutes=59)).isoformat())
    assert api.get("/api/status/", headers={"X-Movelot-Active": "1"}).status_code == 200
    assert api.session["seen"] > (now() - timedelta(minutes=1)).isoformat()
    shift(api, began=(now() - timedelta(hours=13)).isoformat())
    assert api.get("/api/status/", headers={"X-Movelot-Active": "1"}).status_code == 401


def by_token(secret: str) -> APIClient:
    client = APIClient(enforce_csrf_checks=True)
    client.credentials(HTTP_AUTHORIZATION=f"Bearer {secret}")
    return client


def test_a_token_may_what_its_person_may_or_reads_only(estate: StandIns, api: APIClient) -> None:
    made = {
        reads_only: api.post(
            "/api/tokens/", {"name": f"t{reads_only}", "reads_only": reads_only, "days": 1}, format="json"
        ).json()["secret"]
        for reads_only in (True, False)
    }
    assert not ApiToken.objects.filter(digest__in=made.values()).exists()
    assert by_token(made[True]).get("/api/status/").status_code == 200
    assert by_token(made[True]).post("/api/lots/", {}, format="json").status_code == 403
    answer = by_token(made[False]).post("/api/lots/", {"kind": "balance", "form": {"group": "none"}}, format="json")
    assert answer.status_code not in (401, 403)
    # Who a token stands for is still only they: it makes no more tokens, sees no sessions and sets no password.
    for path in ("/api/tokens/", "/api/sign-ins/"):
        assert by_token(made[False]).get(path).status_code == 403
    assert User.objects.get(username="ines.marrow").role == Role.VIRTUALIZATION
    assert ApiToken.objects.filter(used_at=None).count() == 0


def test_a_token_ends_when_it_is_old_or_revoked(estate: StandIns, api: APIClient) -> None:
    made = api.post("/api/tokens/", {"name": "backup", "days": 1}, format="json").json()
    ApiToken.objects.update(expires_at=now() - timedelta(seconds=1))
    assert by_token(made["secret"]).get("/api/status/").status_code == 401
    ApiToken.objects.update(expires_at=now() + timedelta(days=1))
    assert by_token(made["secret"]).get("/api/status/").status_code == 200
    assert signed_in("auditor").delete(f"/api/tokens/{made['id']}/").status_code == 404
    assert api.delete(f"/api/tokens/{made['id']}/").status_code == 204
    assert by_token(made["secret"]).get("/api/status/").status_code == 401


def test_what_a_program_changed_is_told_of_its_person(estate: StandIns, api: APIClient) -> None:
    secret = api.post("/api/tokens/", {"name": "backup", "reads_only": False}, format="json").json()["secret"]
    by_token(secret).post("/api/devices/reread/")
    assert Entry.objects.order_by("-pk")[0].who == "ines.marrow"


def test_failed_tries_lock_a_name_for_the_address_they_came_from_only(estate: StandIns) -> None:
    there, elsewhere = {"REMOTE_ADDR": "192.0.2.7"}, {"REMOTE_ADDR": "192.0.2.8"}
    for _ in range(8):
        sign_in("ines.marrow", "wrong", **there)
    locked = sign_in("ines.marrow", PASSWORD, **there)
    assert (locked.status_code, locked.json()["code"]) == (429, "locked")
    assert 0 < int(locked["Retry-After"]) <= 900
    assert sign_in("ines.marrow", PASSWORD, **elsewhere).status_code == 200
    una = signed_in("una.keel")
    row = next(row for row in una.get("/api/people/").json() if row["name"] == "ines.marrow")
    assert row["locked"]
    assert una.delete(f"/api/people/{row['id']}/lock/").status_code == 204
    assert sign_in("ines.marrow", PASSWORD, **there).status_code == 200


def test_a_caller_cannot_make_up_the_address_it_comes_from(estate: StandIns, settings: Settings) -> None:
    def tries(proxy: bool) -> int:
        settings.TRUSTED_PROXIES = ["127.0.0.1"] if proxy else []
        made_up = [{"HTTP_X_FORWARDED_FOR": f"198.51.100.{n}, 192.0.2.9"} for n in range(9)]
        return [sign_in("auditor", "wrong", **extra).status_code for extra in made_up][-1]

    assert tries(proxy=False) == 429
    # Behind a proxy that is trusted, what it wrote counts: the last entry, not what the caller put before it.
    assert tries(proxy=True) == 429
    assert sign_in("auditor", PASSWORD, HTTP_X_FORWARDED_FOR="192.0.2.10").status_code == 200


def test_behind_a_proxy_with_tls_cookies_are_secure_and_browsers_keep_to_tls(db: None, settings: Settings) -> None:
    over_tls = {"HTTP_X_FORWARDED_PROTO": "https"}
    settings.TRUSTED_PROXIES = ["127.0.0.1"]
    answer = Client().get("/api/session/", **over_tls)
    assert answer.cookies["csrftoken"]["secure"]
    assert answer["Strict-Transport-Security"].startswith("max-age=31536000")
    settings.TRUSTED_PROXIES = []
    answer = Client().get("/api/session/", **over_tls)
    assert not answer.cookies["csrftoken"]["secure"]
    assert "Strict-Transport-Security" not in answer


def test_too_many_requests_are_told_when_to_go_on(estate: StandIns, api: APIClient, settings: Settings) -> None:
    settings.PERSON_REQUESTS_PER_MINUTE = 3
    answers = [api.get("/api/status/") for _ in range(8)]
    refused = answers[-1]
    assert (refused.status_code, refused.json()["code"]) == (429, "too_many")
    assert 0 < int(refused["Retry-After"]) <= 60
    # Others are not kept out by it.
    settings.PERSON_REQUESTS_PER_MINUTE = 3000
    assert signed_in("auditor").get("/api/status/").status_code == 200


def test_an_upgrade_brings_nobody_back(db: None, settings: Settings, tmp_path: Any) -> None:
    settings.RUN, settings.STATIC_ROOT = tmp_path, tmp_path / "static"
    (tmp_path / "keys").mkdir()
    User.objects.filter(username="auditor").delete()
    User.objects.filter(username="ines.marrow").update(role=Role.AUDITOR)
    call_command("prepare")
    call_command("add_people")
    assert not User.objects.filter(username="auditor").exists()
    assert User.objects.get(username="ines.marrow").role == Role.AUDITOR
    assert not (tmp_path / "keys" / "people.json").exists()


def test_sessions_of_a_browser_that_signs_out_are_gone(estate: StandIns, api: APIClient) -> None:
    assert SignIn.objects.count() == Session.objects.count() == 1
    api.delete("/api/session/")
    assert SignIn.objects.count() == 0
