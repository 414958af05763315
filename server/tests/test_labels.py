"""Labels of things over the API: kept while rows come and go, found by key and value, refused with a reason."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.devices.reading import reread
from movelot.inventory.models import Datastore, Device, Disk, Label, Machine, Pool
from server.tests.conftest import signed_in


def url(kind: str, name: str) -> str:
    models: dict[str, Any] = {"datastore": Datastore, "pool": Pool, "machine": Machine, "disk": Disk}
    return f"/api/labels/{kind}/{models[kind].objects.get(name=name).pk}/"


def put(client: APIClient, at: str, *labels: str) -> Any:
    return client.put(at, {"labels": list(labels)}, format="json")


@pytest.mark.parametrize(
    ("kind", "name"),
    [("datastore", "berth-a"), ("pool", "granite-fast"), ("machine", "payroll"), ("disk", "payroll disk 1")],
)
def test_each_kind_is_labelled_and_found(estate: StandIns, api: APIClient, kind: str, name: str) -> None:
    at = url(kind, name)
    assert api.get(at).json() == {"labels": []}
    assert put(api, at, "tier=gold", "team = berths").json() == {"labels": ["team=berths", "tier=gold"]}
    assert api.get(at).json() == {"labels": ["team=berths", "tier=gold"]}
    for text in ("tier=gold", "tier=", "tier=go"):
        hits = api.get("/api/find/", {"q": text}).json()["hits"]
        assert [(hit["kind"], hit["name"]) for hit in hits] == [(kind, name)]
    assert api.get("/api/find/", {"q": "tier=silver"}).json()["hits"] == []
    assert put(api, at).json() == {"labels": []}
    assert not Label.objects.exists()


def test_labels_stay_while_a_machine_is_not_listed(estate: StandIns, api: APIClient) -> None:
    put(api, url("machine", "payroll"), "team=wages")
    for act in ("hide", "show"):
        estate.control("wander", act=act, name="payroll")
        reread(Device.objects.all())
        assert Machine.objects.filter(name="payroll").exists() == (act == "show")
    assert api.get(url("machine", "payroll")).json() == {"labels": ["team=wages"]}


def test_one_bad_label_leaves_the_others_as_they_were(estate: StandIns, api: APIClient) -> None:
    at = url("datastore", "berth-a")
    put(api, at, "tier=gold")
    answer = put(api, at, "tier=slow", "no label")
    assert answer.status_code == 422
    assert (answer.json()["code"], answer.json()["hint"]) == ("label_unreadable", "Write it as team=berths.")
    assert api.get(at).json() == {"labels": ["tier=gold"]}


def test_the_auditor_reads_and_does_not_label(estate: StandIns) -> None:
    auditor = signed_in("auditor")
    assert auditor.get(url("datastore", "berth-a")).status_code == 200
    assert put(auditor, url("datastore", "berth-a"), "tier=gold").status_code == 403


@pytest.mark.parametrize("at", ["/api/labels/array/1/", "/api/labels/datastore/999999/", "/api/labels/teapot/1/"])
def test_what_cannot_be_labelled_is_said(estate: StandIns, api: APIClient, at: str) -> None:
    answer = api.get(at)
    assert (answer.status_code, answer.json()["code"]) == (404, "not_found")


@pytest.mark.parametrize(
    ("text", "host"),
    [("21:00:02:4b:42:00:01:01", "gate-01"), ("kestrelbay:quay-01", "quay-01")],
)
def test_a_host_is_found_by_its_initiator(estate: StandIns, api: APIClient, text: str, host: str) -> None:
    hits = api.get("/api/find/", {"q": text}).json()["hits"]
    assert ("host", host) in {(hit["kind"], hit["name"]) for hit in hits}
