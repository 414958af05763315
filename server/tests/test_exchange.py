"""Device links and grants from CSV and YAML: dry run, import, and everything that can be wrong with a row or a file."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
import yaml
from hypothesis import given, settings
from hypothesis import strategies as st
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.devices.certificate import fingerprint_of
from movelot.exchange.rows import GRANT, LINK, ROWS_MAX, Row, rows_in
from movelot.inventory.models import Device, Grant, Pool
from movelot.inventory.store import unlink
from server.tests.conftest import signed_in

TIB = 1024**4


def send(client: APIClient, text: str, dry: bool = True, written_as: str = "csv") -> Any:
    body = {"text": text, "written_as": written_as, "dry_run": dry}
    return client.post("/api/exchange/import/", body, format="json")


def outcomes(answer: Any) -> list[tuple[str, str]]:
    assert answer.status_code == 200, answer.content
    return [(row["place"], row["outcome"]) for row in answer.json()["rows"]]


def link_line(estate: StandIns, name: str, **part: str) -> str:
    card = {**estate.cards[name], **part}
    fingerprint = part.get("fingerprint") or fingerprint_of(Path(card["certificate"]).read_text())
    return f"{card['url']},{card['user']},{card['password']},{fingerprint}"


def links(*lines: str) -> str:
    return "\n".join(["address,user,password,fingerprint", *lines])


@pytest.fixture
def unlinked(estate: StandIns) -> StandIns:
    """quay-01 is not linked."""
    unlink(Device.objects.get(name="quay-01"))
    return estate


def test_a_dry_run_says_each_outcome_and_links_nothing(unlinked: StandIns, api: APIClient) -> None:
    text = links(link_line(unlinked, "quay-01"), link_line(unlinked, "quay-02"), "https://127.0.0.1:1,u,p,AA")
    answer = send(api, text)
    assert outcomes(answer) == [("line 2", "would"), ("line 3", "same"), ("line 4", "wrong")]
    assert (answer.json()["done"], answer.json()["wrong"]) == (0, 1)
    assert not Device.objects.filter(name="quay-01").exists()


def test_the_import_does_what_the_dry_run_said(unlinked: StandIns, api: APIClient) -> None:
    answer = send(api, links(link_line(unlinked, "quay-01"), "https://127.0.0.1:1,u,p,AA"), dry=False)
    assert outcomes(answer) == [("line 2", "done"), ("line 3", "wrong")]
    device = Device.objects.get(name="quay-01")
    assert device.state == Device.State.LINKED
    assert device.machine_placements.exists()


def test_no_password_comes_back_or_into_a_log(
    unlinked: StandIns, api: APIClient, caplog: pytest.LogCaptureFixture
) -> None:
    secret = unlinked.cards["quay-01"]["password"]
    for dry in (True, False):
        answer = send(api, links(link_line(unlinked, "quay-01"), f"https://127.0.0.1:1,u,{secret},AA"), dry=dry)
        assert secret not in answer.content.decode()
    assert secret not in caplog.text
    row = rows_in(links(f"https://h,u,{secret},AA"), "csv")[0]
    assert secret not in repr(row)


@pytest.mark.parametrize(
    ("part", "reason"),
    [
        ({"fingerprint": "AA:BB"}, "It shows "),
        ({"url": "http://127.40.0.21"}, "is not an address of a device"),
        ({"url": "https://127.0.0.1:1"}, "Nothing answers"),
        ({"user": ""}, "user is missing."),
        ({"url": "", "password": ""}, "address, password is missing."),
    ],
)
def test_a_wrong_link_says_why(unlinked: StandIns, api: APIClient, part: dict[str, str], reason: str) -> None:
    (row,) = send(api, links(link_line(unlinked, "quay-01", **part))).json()["rows"]
    assert (row["outcome"], reason in row["text"]) == ("wrong", True), row["text"]


def test_a_refused_account_links_nothing(unlinked: StandIns, api: APIClient) -> None:
    (row,) = send(api, links(link_line(unlinked, "quay-01", password="wrong")), dry=False).json()["rows"]
    assert row["outcome"] == "wrong"
    assert "refuses the account" in row["text"]
    assert not Device.objects.filter(name="quay-01").exists()


def test_grants_are_imported_by_the_storage_team(estate: StandIns) -> None:
    text = "array,pool,quota\ngranite,granite-fast,18 TiB\ngranite,granite-mixed,\ngranite,none,\n"
    tobias = signed_in("tobias.wren")
    assert outcomes(send(tobias, text)) == [("line 2", "would"), ("line 3", "same"), ("line 4", "wrong")]
    assert Grant.objects.get(pool__name="granite-fast").quota_bytes == 16 * TIB
    assert outcomes(send(tobias, text, dry=False))[0] == ("line 2", "done")
    assert Grant.objects.get(pool__name="granite-fast").quota_bytes == 18 * TIB


@pytest.mark.parametrize(
    ("quota", "reason"), [("4,5", "comma"), ("1 TiB", "promised already"), ("99 TiB", "cannot be")]
)
def test_a_quota_that_cannot_be_is_said(estate: StandIns, quota: str, reason: str) -> None:
    text = f'array,pool,quota\ngranite,granite-fast,"{quota}"\n'
    (row,) = send(signed_in("tobias.wren"), text, dry=False).json()["rows"]
    assert (row["outcome"], reason in row["text"]) == ("wrong", True), row["text"]
    assert Grant.objects.get(pool__name="granite-fast").quota_bytes == 16 * TIB


def test_virtualization_cannot_grant_by_import(estate: StandIns, api: APIClient) -> None:
    Grant.objects.all().delete()
    (row,) = send(api, "array,pool,quota\ngranite,granite-fast,\n", dry=False).json()["rows"]
    assert (row["outcome"], "storage team" in row["text"]) == ("wrong", True)
    assert not Grant.objects.exists()


def test_the_auditor_imports_nothing(estate: StandIns) -> None:
    assert send(signed_in("auditor"), "array,pool,quota\n").status_code == 403


def test_yaml_links_an_array_and_grants_its_pools_with_one_file(unlinked: StandIns) -> None:
    card = unlinked.cards["quay-01"]
    entry = {
        "address": card["url"],
        "user": card["user"],
        "password": card["password"],
        "fingerprint": fingerprint_of(Path(card["certificate"]).read_text()),
    }
    document = {"grants": [{"array": "granite", "pool": "granite-mixed", "quota": "20 TiB"}], "links": [entry]}
    # JSON is YAML.
    answer = send(signed_in("tobias.wren"), json.dumps(document), dry=False, written_as="yaml")
    assert outcomes(answer) == [("links, entry 1", "done"), ("grants, entry 1", "done")]
    assert Pool.objects.get(name="granite-mixed").grant.quota_bytes == 20 * TIB


@pytest.mark.parametrize(
    ("text", "written_as", "code"),
    [
        ("", "csv", "invalid"),
        ("a,b\n1,2\n", "csv", "header_unknown"),
        ("array,pool,quota\n", "csv", "nothing_to_import"),
        ("{", "yaml", "yaml_unreadable"),
        ("- 1\n- 2", "yaml", "lists_missing"),
        ("links: text", "yaml", "lists_missing"),
        ("links: []", "yaml", "nothing_to_import"),
        ("!!python/object/apply:os.system ['true']", "yaml", "lists_missing"),
        ("[" * 5000, "yaml", "yaml_unreadable"),
        ("array,pool,quota\n" + "a,b,\n" * (ROWS_MAX + 1), "csv", "too_many_rows"),
    ],
)
def test_a_file_that_cannot_be_read_imports_nothing_and_says_where(
    estate: StandIns, api: APIClient, text: str, written_as: str, code: str
) -> None:
    answer = send(api, text, dry=False, written_as=written_as)
    assert (answer.status_code in (400, 422), answer.json()["code"]) == (True, code)


def test_columns_may_stand_in_any_order_with_others_between() -> None:
    (row,) = rows_in("\ufeffQuota, note, POOL ,array\n 2 TiB ,x, fast , granite\n", "csv")
    assert row == Row("line 2", GRANT, {"array": "granite", "pool": "fast", "quota": "2 TiB"})


def test_nested_values_count_as_missing() -> None:
    bomb = "a: &a [x, x]\nb: &b [*a, *a]\nlinks:\n  - {address: *b, user: {a: 1}, password: 7, fingerprint: }\n"
    (row,) = rows_in(bomb, "yaml")
    assert row.missing == ["address", "user", "fingerprint"]
    assert row.values["password"] == "7"


@pytest.mark.parametrize("password", ["012345", "yes", "1e3", "0x1F", "12:30:45", "2026-01-01", "null", "~"])
def test_a_password_in_yaml_is_what_is_written(password: str) -> None:
    text = f"links:\n  - {{address: a, user: u, password: {password}, fingerprint: AA}}\n"
    assert rows_in(text, "yaml")[0].values["password"] == password


def test_a_lone_carriage_return_ends_a_line() -> None:
    rows = rows_in("array,pool,quota\rgranite,granite-fast,1 TiB\rgranite,granite-mixed,", "csv")
    assert [row.values["pool"] for row in rows] == ["granite-fast", "granite-mixed"]


TEXT = st.text(st.characters(codec="utf-8", exclude_categories=["C"]), max_size=8)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(TEXT, TEXT, TEXT, TEXT), min_size=1, max_size=5))
def test_what_is_written_as_yaml_is_read_back(values: list[tuple[str, ...]]) -> None:
    names = ("address", "user", "password", "fingerprint")
    document = yaml.safe_dump({"links": [dict(zip(names, row, strict=True)) for row in values]}, allow_unicode=True)
    rows = rows_in(document, "yaml")
    assert [row.kind for row in rows] == [LINK] * len(values)
    assert [tuple(row.values.values()) for row in rows] == [tuple(v.strip() for v in row) for row in values]
