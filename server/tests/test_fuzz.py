"""The API under requests made from its own schema, good and bad: never a server error, always a problem document."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import schemathesis
from django.core.signals import request_finished, request_started
from django.db import close_old_connections
from hypothesis import HealthCheck, settings
from rest_framework.test import APIClient
from schemathesis.checks import not_a_server_error

from conftest import StandIns
from movelot.lots.kinds import REGISTRY
from movelot.wsgi import application
from server.tests.conftest import signed_in


def with_cookies(environ: dict[str, Any], start: Any) -> Any:
    """The application; its client keeps cookies to the host it believes to talk to, so that they come by a header."""
    environ["HTTP_COOKIE"] = environ.pop("HTTP_X_COOKIES", "")
    return application(environ, start)


# The session is what signs in here, not a token that was made up.
CONFIG = schemathesis.Config()
CONFIG.projects.default.generation.with_security_parameters = False
SCHEMA = schemathesis.openapi.from_path(str(Path(__file__).resolve().parents[1] / "openapi.yaml"), config=CONFIG)
SCHEMA.app = with_cookies
# Left out: what would reach out to addresses that are made up, and what would end the session that asks.
SCHEMA = SCHEMA.exclude(path_regex=r"^/api/(devices/|session/|schema/)")


@pytest.fixture
def people(estate: StandIns) -> Iterator[dict[str, APIClient]]:
    """Everybody signed in. A server closes connections between requests: that would end the test's transaction."""
    found = {name: signed_in(name) for name in ("ines.marrow", "tobias.wren", "auditor", "una.keel")}
    # Only now: the client of the sign-in has put them back.
    for signal in (request_started, request_finished):
        signal.disconnect(close_old_connections)
    yield found
    for signal in (request_started, request_finished):
        signal.connect(close_old_connections)


@SCHEMA.parametrize()
@settings(max_examples=5, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
def test_no_request_makes_the_server_fail(case: Any, people: dict[str, APIClient]) -> None:
    for client in people.values():
        cookies = {name: morsel.value for name, morsel in client.cookies.items()}
        together = "; ".join(f"{name}={value}" for name, value in cookies.items())
        answer = case.call(headers={"X-CSRFToken": cookies["csrftoken"], "Host": "127.0.0.1", "X-Cookies": together})
        case.validate_response(answer, checks=[not_a_server_error])
        assert answer.status_code != 401, answer.content
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
