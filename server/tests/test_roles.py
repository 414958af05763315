"""Every operation of the API as every role: who may, who may not, and that nobody finds a server error."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest
import yaml
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import Role, User

SCHEMA = yaml.safe_load((Path(__file__).resolve().parents[1] / "openapi.yaml").read_text())
METHODS = ("get", "post", "put", "patch", "delete")
OPERATIONS = [(method, path) for path, found in SCHEMA["paths"].items() for method in found if method in METHODS]
PEOPLE = {
    "ines.marrow": Role.VIRTUALIZATION,
    "tobias.wren": Role.STORAGE,
    "auditor": Role.AUDITOR,
    "una.keel": Role.ADMINISTRATOR,
}
CHANGERS = {Role.VIRTUALIZATION, Role.STORAGE}
EVERYBODY = set(Role)
# What differs from the rule: everybody who is signed in reads, virtualization and storage change.
ANYBODY = {"/api/session/", "/api/welcome/", "/api/welcome/accept/"}
OF_ADMINISTRATORS = ("/api/people/", "/api/networks/", "/api/retention/", "/api/capacity/watch/", "/api/images/depots/")
OF_STORAGE = {"/api/attach/grants/{id}/"}
OWN = ("/api/sign-ins/", "/api/tokens/", "/api/session/password/", "/api/saved-views/")
# Reads that are asked for by POST, as they are jobs.
READ_BY_POST = {"/api/audit/proof/"}


def allowed(method: str, path: str) -> set[Role]:
    """Which roles may, by the rule and what differs from it."""
    if path in ANYBODY or path.startswith(OWN) or path in READ_BY_POST or "export" in path:
        return EVERYBODY
    if path.startswith(OF_ADMINISTRATORS):
        return {Role.ADMINISTRATOR}
    if method == "get":
        return EVERYBODY
    return {Role.STORAGE} if path in OF_STORAGE else CHANGERS


def call(client: APIClient, method: str, path: str) -> Any:
    """The operation on things that are not there, with a body that says nothing."""
    address = re.sub(r"{[^}]*}", "987654321", path)
    if method == "get":
        return client.get(address)
    taken = SCHEMA["paths"][path][method].get("requestBody", {}).get("content", {})
    return getattr(client, method)(address, {}, format="multipart" if "multipart/form-data" in taken else "json")


@pytest.fixture
def people(estate: StandIns) -> dict[Role, APIClient]:
    found = {}
    for name, role in PEOPLE.items():
        found[role] = APIClient()
        # How a session comes about is tested elsewhere, and would take most of the time here.
        found[role].force_authenticate(User.objects.get(username=name))
    return found


@pytest.mark.parametrize(("method", "path"), [o for o in OPERATIONS if o[1] != "/api/session/"])
def test_who_may(people: dict[Role, APIClient], method: str, path: str) -> None:
    may = allowed(method, path)
    for role, client in people.items():
        answer = call(client, method, path)
        assert answer.status_code < 500, (role, answer.content)
        assert (answer.status_code == 403) == (role not in may), (role, answer.status_code, answer.content)


@pytest.mark.parametrize(("method", "path"), [o for o in OPERATIONS if o[1] not in ANYBODY])
def test_nobody_who_is_signed_out_may_anything(db: None, method: str, path: str) -> None:
    answer = call(APIClient(), method, path)
    assert (answer.status_code, answer["WWW-Authenticate"]) == (401, 'Bearer realm="movelot"')


def test_the_matrix_names_no_operation_that_is_gone() -> None:
    paths = set(SCHEMA["paths"])
    assert paths >= ANYBODY | OF_STORAGE | READ_BY_POST
    for start in (*OF_ADMINISTRATORS, *OWN):
        assert any(path.startswith(start) for path in paths)
