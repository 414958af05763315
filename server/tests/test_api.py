"""The API as people meet it: sign-in, roles, problems, pages, drafts while they are typed."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.inventory.models import Datastore, Device, Disk
from movelot.lots.models import Lot
from server.tests.conftest import PASSWORD, balanced, by_id, signed_in

READS = [
    "/api/status/",
    "/api/rounds/",
    "/api/devices/",
    "/api/disks/",
    "/api/lots/",
    "/api/balance/groups/",
    "/api/balance/groups/quayside/",
    "/api/find/?q=berth",
]


@pytest.mark.parametrize("path", READS)
def test_nobody_reads_without_signing_in(db: None, path: str) -> None:
    answer = APIClient().get(path)
    assert answer.status_code == 401
    assert answer["Content-Type"].startswith("application/problem+json")
    assert answer.json()["code"] == "signed_out"


@pytest.mark.parametrize("path", READS)
def test_the_auditor_reads_everything(estate: StandIns, path: str) -> None:
    assert signed_in("auditor").get(path).status_code == 200


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("post", "/api/lots/", {"kind": "attach", "form": {}}),
        ("post", "/api/lots/", {"kind": "balance", "form": {"group": "quayside"}}),
        ("post", "/api/devices/reread/", {}),
        ("post", "/api/devices/probe/", {"url": "https://127.40.0.10:1"}),
        ("put", "/api/attach/drafts/1/", {}),
        ("put", "/api/balance/drafts/1/", {"moves": []}),
        ("delete", "/api/devices/1/", {}),
        ("post", "/api/lots/1/run/", {}),
    ],
)
def test_the_auditor_changes_nothing(estate: StandIns, method: str, path: str, body: dict[str, Any]) -> None:
    answer = getattr(signed_in("auditor"), method)(path, body, format="json")
    assert answer.status_code == 403
    assert "reads only" in answer.json()["title"]
    assert not Lot.objects.exists()


def test_a_change_without_the_csrf_token_is_refused(api: APIClient) -> None:
    api.credentials()
    assert api.post("/api/lots/", {"kind": "attach"}, format="json").status_code == 403


def test_a_wrong_password_is_refused_and_many_lock_the_name(db: None) -> None:
    client = APIClient()
    for _ in range(8):
        answer = client.post("/api/session/", {"username": "tobias.wren", "password": "wrong"}, format="json")
    assert answer.status_code in (400, 429)
    right = client.post("/api/session/", {"username": "tobias.wren", "password": PASSWORD}, format="json")
    assert (right.status_code, right.json()["code"]) == (429, "locked")


@pytest.mark.parametrize(
    ("path", "status"),
    [
        ("/api/lots/999999/", 404),
        ("/api/lots/abc/", 404),
        ("/api/trace/disk/999999/", 404),
        ("/api/trace/teapot/1/", 404),
        ("/api/balance/groups/nowhere/", 404),
        ("/api/attach/drafts/999999/", 404),
        ("/api/no/such/call/", 404),
        ("/api/disks/?page=999", 404),
        ("/api/lots/?state=flying", 400),
    ],
)
def test_what_is_not_there_is_said_as_a_problem(estate: StandIns, api: APIClient, path: str, status: int) -> None:
    answer = api.get(path)
    assert answer.status_code == status
    assert {"type", "title", "status", "hint"} <= answer.json().keys()


@pytest.mark.parametrize("body", ["{", "[]", '"text"', "{'kind': 1}", '{"kind": "attach", "form": "text"}'])
def test_a_malformed_body_is_refused_without_a_trace(api: APIClient, body: str) -> None:
    answer = api.post("/api/lots/", body, content_type="application/json")
    assert answer.status_code == 400
    assert "Traceback" not in answer.content.decode()


def test_a_lot_of_another_kind_is_not_an_attach_draft(estate: StandIns, api: APIClient) -> None:
    lot = api.post("/api/lots/", {"kind": "uplinks", "form": {"host": "quay-03"}}, format="json").json()["summary"][
        "id"
    ]
    assert api.get(f"/api/attach/drafts/{lot}/").status_code == 404


def attach_draft(api: APIClient, **form: Any) -> dict[str, Any]:
    lot = api.post("/api/lots/", {"kind": "attach", "form": {}}, format="json").json()["summary"]["id"]
    answer = api.put(f"/api/attach/drafts/{lot}/", {"cluster": "quayside", **by_id(form)}, format="json")
    assert answer.status_code == 200, answer.content
    found: dict[str, Any] = answer.json()
    return found


@pytest.mark.parametrize(
    ("field", "text", "code"),
    [
        ("size", "0", "size_not_positive"),
        ("size", "-1 TiB", "size_not_positive"),
        ("size", "4,5", "size_comma"),
        ("size", "lots", "size_unreadable"),
        ("name", "berth-a", "name_taken"),
        ("name", "Berth E", "name_illegal"),
        ("name", "../../etc", "name_illegal"),
    ],
)
def test_bad_input_is_kept_as_typed_and_explained(
    estate: StandIns, api: APIClient, field: str, text: str, code: str
) -> None:
    draft = attach_draft(api, **{"name": "berth-e", "size": "2 TiB", field: text})
    assert draft["form"][field] == text
    assert [(p["field"], p["code"]) for p in draft["plan"]["problems"]] == [(field, code)]
    assert not draft["lot"]["can_run"]
    refused = api.post(f"/api/lots/{draft['lot']['summary']['id']}/run/")
    assert refused.status_code == 409


def test_four_tb_is_read_in_the_arrays_base(estate: StandIns, api: APIClient) -> None:
    draft = attach_draft(api, name="berth-e", size="4 tb")
    assert draft["plan"]["size_bytes"] == pytest.approx(4e12, rel=1e-6)
    assert draft["lot"]["can_run"]


def test_a_size_beyond_every_pool_says_what_is_free(estate: StandIns, api: APIClient) -> None:
    draft = attach_draft(api, name="berth-e", size="90 TiB")
    assert {pool["verdict"] for pool in draft["plan"]["pools"]} == {"refused"}
    assert not draft["lot"]["can_run"]
    assert any("90.0 TiB needed" in check["text"] for check in draft["lot"]["checks"])


def test_the_draft_names_the_host_with_half_its_paths(estate: StandIns, api: APIClient) -> None:
    draft = attach_draft(api, name="berth-e", size="2")
    board = {host["name"]: host for host in draft["plan"]["board"]["hosts"]}
    assert (board["quay-03"]["seen"], board["quay-03"]["expected"]) == (4, 8)
    assert "standby uplink" in board["quay-03"]["reason"]
    assert draft["plan"]["fixable"] == [{"host": "quay-03", "text": "Bind storage-b to uplink-2 alone"}]
    assert any("quay-03 would reach it over 10.40.8.0/24 only" in check["text"] for check in draft["lot"]["checks"])


def test_two_people_drafting_on_one_pool_are_told(estate: StandIns, api: APIClient) -> None:
    attach_draft(api, name="berth-e", size="15 TiB")
    second = attach_draft(signed_in("tobias.wren"), name="berth-h", size="15 TiB")
    text = next(c["text"] for c in second["lot"]["checks"] if c["name"] == "no rival draft")
    assert "ines.marrow" in text
    assert "together they ask 30.0 TiB" in text


def test_asking_for_the_same_again_opens_the_same_draft(estate: StandIns, api: APIClient) -> None:
    body = {"kind": "balance", "form": {"group": "quayside"}}
    first, second = (api.post("/api/lots/", body, format="json").json()["summary"]["id"] for _ in range(2))
    assert first == second


def test_a_person_adds_a_move_and_the_prediction_follows(estate: StandIns, api: APIClient) -> None:
    draft = balanced(api)
    lot, moves = draft["lot"]["summary"]["id"], draft["plan"]["moves"]
    assert draft["plan"]["clears"]
    assert draft["plan"]["moved_bytes"] >= draft["plan"]["bound_bytes"] > 0
    target = Datastore.objects.get(name="berth-c")
    # One that the plan leaves where it is, on the same pool as the target.
    stay = Disk.objects.filter(placement__datastore__name="berth-d").exclude(pk__in=[m["disk"] for m in moves])
    extra = stay.earliest("size_bytes", "pk")
    asked = [{"disk": m["disk"], "target": m["target"]} for m in moves] + [{"disk": extra.pk, "target": target.pk}]
    after = api.put(f"/api/balance/drafts/{lot}/", {"group": "quayside", "moves": asked}, format="json").json()
    fill = {entry["id"]: entry["fill"] for entry in after["plan"]["datastores"]}
    before = {entry["id"]: entry["fill"] for entry in draft["plan"]["datastores"]}
    assert fill[target.pk] == pytest.approx(before[target.pk] + extra.size_bytes / target.capacity_bytes)
    assert len(after["lot"]["steps"]) == len(moves) + 1


def test_a_move_that_breaks_a_must_is_stopped(estate: StandIns, api: APIClient) -> None:
    target = Datastore.objects.get(name="berth-b")
    disks = Disk.objects.filter(placement__datastore__name="berth-a").order_by("-size_bytes")[:6]
    lot = balanced(api)["lot"]["summary"]["id"]
    moves = [{"disk": disk.pk, "target": target.pk} for disk in disks]
    after = api.put(f"/api/balance/drafts/{lot}/", {"group": "quayside", "moves": moves}, format="json").json()
    assert any("berth-b would be over its fill ceiling" in text for text in after["plan"]["broken"])
    assert not after["lot"]["can_run"]


def test_rounds_find_each_planted_trouble(estate: StandIns, api: APIClient) -> None:
    rounds = api.get("/api/rounds/").json()
    found = {(f["kind"], f["subject"]): f for f in rounds["findings"]}
    # What is planted beside these has tests of its own (server/worlds/tests/test_rounds.py).
    assert found.keys() >= {
        ("over_fill", "berth-a"),
        ("missing_paths", "quay-03"),
        ("missing_paths", "gate-03"),
        ("slow_pool", "granite-fast"),
        ("seen_by_some", "berth-f"),
        ("leftover_initiator", "iqn.2026-01.example.kestrelbay:quay-09"),
        ("idle_volume", "slate-09"),
        ("idle_volume", "sand-04"),
        ("file_limits", "shale"),
        ("clock_off", "granite"),
    }
    full = found["over_fill", "berth-a"]["figures"]
    assert full["fill"] == pytest.approx(0.949, abs=0.01)
    assert full["growth_bytes_per_day"] == pytest.approx(12 * 2**30, rel=0.05)
    slow = found["slow_pool", "granite-fast"]
    assert (slow["figures"]["peak_hour"], slow["figures"]["peak_day"]) == (10, "weekday")
    assert "berth-plan-db disk 1" in slow["reasons"]


def test_a_device_that_is_away_becomes_a_finding_and_keeps_its_last_reading(estate: StandIns, api: APIClient) -> None:
    read_at = Device.objects.get(name="quay-01").read_at
    estate.fault("quay-01", "away")
    devices = {d["name"]: d for d in api.post("/api/devices/reread/").json()}
    assert devices["quay-01"]["state"] == "away"
    assert Device.objects.get(name="quay-01").read_at == read_at
    assert Disk.objects.filter(machine__placement__host__name="quay-01").exists()
    kinds = {(f["kind"], f["subject"]) for f in api.get("/api/rounds/").json()["findings"]}
    assert ("device_trouble", "quay-01") in kinds


@pytest.mark.parametrize("kind", ["machine", "disk", "host", "datastore", "volume", "pool", "array"])
def test_a_trace_leads_from_any_thing_to_its_array(estate: StandIns, api: APIClient, kind: str) -> None:
    hits = api.get("/api/find/?q=granite").json()["hits"] + api.get("/api/find/?q=quay-01").json()["hits"]
    hits += api.get("/api/find/?q=berth").json()["hits"]
    thing = next(hit for hit in hits if hit["kind"] == kind)
    trace = api.get(f"/api/trace/{kind}/{thing['id']}/").json()
    layers = {layer["kind"]: layer["links"] for layer in trace["layers"]}
    assert "granite" in {link["name"] for link in layers["array"]}
    assert layers["disk"]
    assert trace["figures"]
    # Every edge joins two things that are listed, and each of them but machines and hosts leads to the array's side.
    listed = {(kind, link["id"]) for kind, links in layers.items() for link in links}
    ends = [((e["kind"], e["id"]), (e["to_kind"], e["to_id"])) for e in trace["edges"]]
    assert {end for pair in ends for end in pair} <= listed
    assert {one for one, _ in ends} >= {place for place in listed if place[0] in ("disk", "volume", "pool")}


def test_a_trace_tells_how_each_host_sees_a_volume_and_an_export(estate: StandIns, api: APIClient) -> None:
    def ways(name: str) -> dict[str, Any]:
        hits = api.get(f"/api/find/?q={name}").json()["hits"]
        volume = next(hit for hit in hits if hit["kind"] == "volume" and hit["name"] == name)
        found = api.get(f"/api/trace/volume/{volume['id']}/").json()["ways"]
        return {way["host"]: way for way in found}

    block = ways("berth-a")
    assert {host: len(way["paths"]) for host, way in block.items()} == {"quay-01": 8, "quay-02": 8, "quay-03": 4}
    assert block["quay-01"]["device"].startswith("naa.6002600000004b42")
    hits = api.get("/api/find/", {"q": block["quay-01"]["device"]}).json()["hits"]
    assert {(hit["kind"], hit["name"]) for hit in hits} == {("datastore", "berth-a"), ("volume", "berth-a")}
    assert (block["quay-01"]["number_word"], block["quay-01"]["number"]) == ("LUN number", 11)
    assert block["quay-01"]["initiator"].endswith("quay-01")
    file = ways("sand-01")
    assert file["quay-02"]["device"] == "shale-a.kestrelbay.example:/exports/sand-01"
    assert (file["quay-02"]["number"], file["quay-02"]["paths"]) == (None, [["files", "A1", ""]])


def test_a_trace_costs_the_same_queries_however_many_volumes_there_are(
    estate: StandIns, api: APIClient, django_assert_max_num_queries: Any
) -> None:
    hits = api.get("/api/find/?q=granite").json()["hits"]
    array = next(hit for hit in hits if hit["kind"] == "array")
    with django_assert_max_num_queries(45):
        api.get(f"/api/trace/array/{array['id']}/")


def test_the_front_end_is_served_with_a_strict_policy(db: None, api: APIClient) -> None:
    page = api.get("/balance/quayside")
    policy = page["Content-Security-Policy"]
    assert page.status_code == 200
    assert "script-src 'self'" in policy
    assert "unsafe-inline" not in policy.split("script-src")[1].split(";")[0]
    assert page["X-Frame-Options"] == "DENY"
