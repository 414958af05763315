"""Find finds what pages show, however it is typed."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.inventory.models import Cluster, Datastore, Device, Export, HostPort, Machine, Mount, Portal, Volume


def found(api: APIClient, text: str) -> set[tuple[str, str]]:
    answer = api.get("/api/find/", {"q": text})
    assert answer.status_code == 200
    return {(hit["kind"], hit["name"]) for hit in answer.json()["hits"]}


def test_a_machine_is_found_by_its_address(estate: StandIns, api: APIClient) -> None:
    machine = Machine.objects.get(name="berth-plan-db")
    assert ("machine", "berth-plan-db") in found(api, machine.address)
    assert ("machine", "berth-plan-db") in found(api, machine.identity)


@pytest.mark.parametrize("name", ["granite", "basalt"])
def test_an_array_is_found_by_its_target(estate: StandIns, api: APIClient, name: str) -> None:
    array = Device.objects.get(name=name)
    assert array.target
    assert ("array", name) in found(api, array.target)
    assert ("array", name) in found(api, array.target.upper())


@pytest.mark.parametrize("typed", [str, lambda text: text.replace(":", ""), str.upper])
def test_a_wwpn_is_found_with_and_without_colons(estate: StandIns, api: APIClient, typed: Any) -> None:
    port = HostPort.objects.filter(protocol="FC").select_related("device")[0]
    wwpn = port.network.partition("@")[0]
    assert {("host", port.device.name), ("port", f"{port.name}")} <= found(api, typed(wwpn))


@pytest.mark.parametrize("form", ["{}", "naa.{}", "NAA.{}"])
def test_a_serial_is_found_in_any_form(estate: StandIns, api: APIClient, form: str) -> None:
    volume = Volume.objects.get(name="berth-a")
    typed = form.format(volume.serial)
    assert {("volume", "berth-a"), ("datastore", "berth-a")} <= found(api, typed)
    colons = ":".join(typed[n : n + 2] for n in range(0, len(typed), 2)) if form == "{}" else typed
    assert ("volume", "berth-a") in found(api, colons)


def test_a_datastore_is_found_by_identity_export_path_and_server(estate: StandIns, api: APIClient) -> None:
    store = Datastore.objects.get(name="berth-a")
    assert ("datastore", "berth-a") in found(api, store.identity)
    mount = Mount.objects.exclude(server="").select_related("datastore")[0]
    for text in (mount.path, mount.server):
        assert ("datastore", mount.datastore.name) in found(api, text)
    export = Export.objects.select_related("volume")[0]
    assert ("volume", export.volume.name) in found(api, export.path)
    portal = Portal.objects.exclude(host_name="")[0]
    assert ("portal", portal.name) in found(api, portal.host_name)


def test_clusters_and_switches_are_found(estate: StandIns, api: APIClient) -> None:
    assert ("cluster", "quayside") in found(api, "quays")
    assert {("switch", "switch-1"), ("switch", "switch-2")} <= found(api, "SWITCH-")
    assert Cluster.objects.filter(name="quayside").exists()


@pytest.mark.parametrize("text", ["team=wages", "team=wa", "team=", "team", "wages"])
def test_a_label_is_found_whole_or_by_either_part(estate: StandIns, api: APIClient, text: str) -> None:
    Machine.objects.get(name="payroll").labels.create(key="team", value="wages")
    assert ("machine", "payroll") in found(api, text)


@pytest.mark.parametrize("text", ["%", "_", "\\", ":", "naa.", "'", "x" * 500, "\x00"])
def test_marks_are_only_text(estate: StandIns, api: APIClient, text: str) -> None:
    for kind, name in found(api, text):
        assert text.strip() in name or kind in ("datastore", "volume", "machine", "disk", "host", "array", "portal")


def test_no_kind_is_asked_for_row_by_row(estate: StandIns, api: APIClient, django_assert_max_num_queries: Any) -> None:
    with django_assert_max_num_queries(60):
        found(api, "1")
