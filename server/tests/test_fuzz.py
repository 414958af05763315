"""The API under requests made from its own schema, good and bad: never a server error, always a problem document."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, settings
from rest_framework.test import APIClient
from schemathesis.checks import not_a_server_error

from conftest import StandIns
from movelot.lots.kinds import REGISTRY
from movelot.wsgi import application
from server.tests.conftest import signed_in

SCHEMA = schemathesis.openapi.from_path(str(Path(__file__).resolve().parents[1] / "openapi.yaml"))
SCHEMA.app = application
# Left out: what would reach out to addresses that are made up, and what would end the session that asks.
SCHEMA = SCHEMA.exclude(path_regex=r"^/api/(devices/|session/|schema/)")


@pytest.fixture
def people(estate: StandIns) -> dict[str, APIClient]:
    return {name: signed_in(name) for name in ("ines.marrow", "tobias.wren", "auditor", "una.keel")}


@SCHEMA.parametrize()
@settings(max_examples=8, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
def test_no_request_makes_the_server_fail(case: Any, people: dict[str, APIClient]) -> None:
    for client in people.values():
        cookies = {name: morsel.value for name, morsel in client.cookies.items()}
        headers = {"X-CSRFToken": cookies["csrftoken"], "Host": "127.0.0.1"}
        answer = case.call(headers=headers, cookies=cookies)
        case.validate_response(answer, checks=[not_a_server_error])
        if answer.status_code >= 400:
            assert answer.headers["content-type"][0].startswith("application/problem+json"), answer.content


NONSENSE: list[Any] = [{}, {"volume": {"a": [1]}}, {"filter": [1]}, {"group": 7}, {"host": None}, {"count": "9" * 40}]
NONSENSE += [{"pools": "x"}, {"pools": [{"a": 1}]}, {"name": "\u0000"}, {"size": "1e999 TiB"}, {"moves": None}]
NONSENSE += [{"size": "9" * 200}, {"cluster": "x" * 5000}, {"initiator": ["a"]}, {"fixes": [None]}, {"policy": {}}]


@pytest.mark.parametrize("kind", sorted(REGISTRY))
def test_any_form_of_any_kind_of_lot_gives_a_draft_or_a_problem(estate: StandIns, api: APIClient, kind: str) -> None:
    for form in NONSENSE:
        answer = api.post("/api/lots/", {"kind": kind, "form": form}, format="json")
        assert answer.status_code < 500, (form, answer.content)
        if answer.status_code < 300:
            lot = answer.json()["summary"]["id"]
            assert api.get(f"/api/lots/{lot}/").status_code == 200, form
