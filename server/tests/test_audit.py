"""The audit trail: every change by a person is in it, no secret is, nobody can change it, and it proves itself."""

from __future__ import annotations

import json
from datetime import timedelta
from typing import Any

import pytest
import yaml
from django.db import connection
from rest_framework.test import APIClient

from conftest import ROOT, StandIns
from movelot.audit.keeping import cut_trail
from movelot.audit.middleware import AuditTrail
from movelot.audit.models import AppendOnly, Entry
from movelot.audit.trail import Proof, clean, prove
from movelot.inventory.models import Pool, Retention
from server.tests.conftest import balanced, signed_in


def newest() -> Entry:
    return Entry.objects.order_by("-pk")[0]


def test_a_change_is_told_with_who_when_from_where_before_and_after(estate: StandIns) -> None:
    pool = Pool.objects.get(name="granite-fast")
    tobias = signed_in("tobias.wren")
    assert tobias.put(f"/api/attach/grants/{pool.pk}/", {"quota": "18 TiB"}, format="json").status_code == 200
    entry = newest()
    assert (entry.who, entry.role, entry.address) == ("tobias.wren", "storage", "127.0.0.1")
    assert (entry.what, entry.subject) == ("attach grants change", "pool granite/granite-fast")
    assert (entry.before["quota_bytes"], entry.after["quota_bytes"]) == (16 * 2**40, 18 * 2**40)


def test_what_was_refused_or_only_read_is_no_change(estate: StandIns, api: APIClient) -> None:
    count = Entry.objects.count()
    api.get("/api/rounds/")
    pool = Pool.objects.get(name="granite-fast")
    assert api.put(f"/api/attach/grants/{pool.pk}/", {"quota": "18 TiB"}, format="json").status_code == 403
    assert Entry.objects.count() == count


def test_signing_in_and_out_is_told_with_the_name_and_without_the_password(estate: StandIns) -> None:
    client = signed_in("ines.marrow")
    entry = newest()
    assert (entry.who, entry.what) == ("ines.marrow", "session create")
    assert entry.after["password"] == "(not written down)"
    client.delete("/api/session/")
    assert (newest().who, newest().what) == ("ines.marrow", "session remove")


def test_a_lot_says_who_drafted_checked_ran_and_undid_it(estate: StandIns, api: APIClient) -> None:
    lot = api.post("/api/lots/", {"kind": "uplinks", "form": {"host": "quay-03"}}, format="json").json()
    at = f"/api/lots/{lot['summary']['id']}/"
    api.post(f"{at}check/")
    api.post(f"{at}check/")
    tobias = signed_in("tobias.wren")
    tobias.post(f"{at}run/")
    acts = [(act["who"], act["what"]) for act in api.get(at).json()["acts"]]
    assert acts == [("ines.marrow", "drafted"), ("ines.marrow", "checked"), ("tobias.wren", "ran")]


def test_a_run_that_was_refused_is_no_run(estate: StandIns, api: APIClient) -> None:
    lot = balanced(api)["lot"]
    at = f"/api/lots/{lot['summary']['id']}/"
    estate.fault(lot["steps"][0]["device"], "away")
    assert api.post(f"{at}run/").status_code == 409
    acts = [(act["who"], act["what"]) for act in api.get(at).json()["acts"]]
    assert acts == [("ines.marrow", "drafted"), ("ines.marrow", "tried to run")]


def test_every_operation_that_changes_something_passes_the_trail() -> None:
    """The trail stands before all views: what the schema lists under another method than GET goes through it."""
    from django.conf import settings

    assert f"{AuditTrail.__module__}.{AuditTrail.__name__}" in settings.MIDDLEWARE
    paths = yaml.safe_load((ROOT / "server" / "openapi.yaml").read_text())["paths"]
    changing = [(path, method) for path, of_path in paths.items() for method in of_path if method != "get"]
    assert changing
    assert all(path.startswith("/api/") for path, _ in changing)
    # Nothing of the trail itself is changed by any of them: asking for its proof is a job.
    assert {path for path, _ in changing if path.startswith("/api/audit")} == {"/api/audit/proof/"}


def test_nobody_changes_or_deletes_an_entry(estate: StandIns, api: APIClient) -> None:
    entry = newest()
    for act in (entry.delete, entry.save, Entry.objects.all().delete, lambda: Entry.objects.update(who="x")):
        with pytest.raises(AppendOnly):
            act()
    for method in ("post", "put", "patch", "delete"):
        assert getattr(api, method)("/api/audit/").status_code in (403, 405)


@pytest.mark.parametrize(
    "spoil", ["UPDATE audit_entry SET who='somebody else' WHERE id={}", "DELETE FROM audit_entry WHERE id={}"]
)
def test_an_entry_that_was_changed_behind_our_back_is_found(estate: StandIns, api: APIClient, spoil: str) -> None:
    for host in ("quay-01", "quay-02", "quay-03"):
        api.post("/api/lots/", {"kind": "uplinks", "form": {"host": host}}, format="json")
    assert prove().broken_at is None
    middle = Entry.objects.order_by("-pk")[1].pk
    with connection.cursor() as cursor:
        cursor.execute(spoil.format(middle))
    assert prove().broken_at == (middle if spoil.startswith("UPDATE") else newest().pk)


def test_an_auditor_has_it_proven_by_a_job(estate: StandIns, api: APIClient) -> None:
    api.post("/api/lots/", {"kind": "uplinks", "form": {"host": "quay-03"}}, format="json")
    count = Entry.objects.count()
    result = signed_in("auditor").post("/api/audit/proof/").json()
    # Signing in is an entry itself.
    assert (result["broken_at"], result["entries"] >= count) == (None, True)


def test_the_last_entries_cannot_go_unseen(estate: StandIns, api: APIClient) -> None:
    api.post("/api/lots/", {"kind": "uplinks", "form": {"host": "quay-03"}}, format="json")
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM audit_entry WHERE id=%s", [newest().pk])
    assert prove().broken_at == 0


def test_it_is_exported_as_csv_and_json_lines(estate: StandIns, api: APIClient) -> None:
    api.post("/api/lots/", {"kind": "uplinks", "form": {"host": "=1+1"}}, format="json")
    lines = b"".join(api.get("/api/audit/export/?written_as=jsonl").streaming_content).decode().splitlines()
    assert len(lines) == Entry.objects.count()
    assert json.loads(lines[-1])["digest"] == newest().digest
    text = b"".join(api.get("/api/audit/export/").streaming_content).decode()
    assert len(text.strip().splitlines()) == len(lines) + 1
    assert api.get("/api/audit/export/?written_as=xml").json()["code"] == "form_unknown"


@pytest.mark.parametrize(
    ("value", "kept"),
    [
        ({"password": "p", "name": "n"}, {"password": "(not written down)", "name": "n"}),
        ({"chap": {"target_secret": "s"}}, {"chap": {"target_secret": "(not written down)"}}),
        ("x" * 3000, "x" * 2000 + "…"),
        ([1, None, True], [1, None, True]),
    ],
)
def test_secrets_and_whole_files_are_not_written_down(value: Any, kept: Any) -> None:
    assert clean(value) == kept


def test_older_entries_go_with_age_where_an_administrator_says_so_and_the_rest_is_proven(
    estate: StandIns, api: APIClient
) -> None:
    for host in ("quay-01", "quay-02", "quay-03"):
        api.post("/api/lots/", {"kind": "uplinks", "form": {"host": host}}, format="json")
    count, kept = Entry.objects.count(), newest()
    last = Entry.objects.filter(pk__lt=kept.pk).order_by("-pk")[0]
    later = kept.at + timedelta(days=400)
    assert cut_trail(later, 0) == 0
    assert cut_trail(later, 400) == count - 1
    told = newest()
    assert (told.who, told.what) == ("Move Lot", "trail cut")
    assert told.after == {"entries": count - 1, "until": last.at.isoformat(), "digest": last.digest}
    assert Entry.objects.count() == 2
    assert prove() == Proof(2, None, count - 1)
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM audit_entry WHERE id=%s", [kept.pk])
    assert prove().broken_at == told.pk


def test_the_trail_is_not_kept_for_a_short_while_only(estate: StandIns) -> None:
    administrator = signed_in("una.keel")
    asked = {"gone_days": 400, "figures_days": 1100, "trail_days": 30}
    answer = administrator.put("/api/retention/", asked, format="json")
    assert (answer.status_code, "365" in answer.content.decode()) == (400, True)
    assert administrator.put("/api/retention/", asked | {"trail_days": 365}, format="json").status_code == 200
    assert Retention.now().trail_days == 365
