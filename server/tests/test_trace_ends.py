"""Ports, portals and drive groups as things to trace: found by what they are called, with the chain over them."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.devices.reading import reread
from movelot.inventory.models import Datastore, Device, DriveGroup, HostDevice, HostPort, Path, Pool, Portal, Volume


def traced(api: APIClient, kind: str, key: int) -> tuple[dict[str, list[str]], dict[str, Any]]:
    """The names in each layer, and the whole trace."""
    answer: dict[str, Any] = api.get(f"/api/trace/{kind}/{key}/").json()
    return {layer["kind"]: [link["name"] for link in layer["links"]] for layer in answer["layers"]}, answer


def figures(answer: dict[str, Any]) -> dict[str, Any]:
    return {figure["label"]: figure["text"] or figure["value"] for figure in answer["figures"]}


def test_a_portal_leads_to_what_is_reached_over_it(estate: StandIns, api: APIClient) -> None:
    portal = Portal.objects.get(device__name="granite", name="A2")
    names, answer = traced(api, "portal", portal.pk)
    # quay-03 cannot use this leg; gatehouse comes over Fibre Channel.
    assert names["host"] == ["quay-01", "quay-02"]
    over_it = Path.objects.filter(portal="A2", path_set__device__name__startswith="quay")
    # Another array may have a portal of that name.
    of_granite = Volume.objects.filter(device__name="granite").values("serial")
    devices = HostDevice.objects.filter(path_set__paths__in=over_it, serial__in=of_granite)
    seen = Volume.objects.filter(serial__in=devices.values("serial"))
    assert names["volume"] == sorted(seen.values_list("name", flat=True))
    assert {"berth-a", "berth-f"} <= set(names["volume"])
    assert (names["array"], names["portal"]) == (["granite"], ["A2"])
    assert "berth-plan-db" in names["machine"] or "manifest-api" in names["machine"]
    told = figures(answer)
    assert (told["controller"], told["address"], told["paths over it"]) == ("A", "10.40.9.11/24", devices.count())
    volume = Volume.objects.get(name="berth-a")
    assert {"kind": "volume", "id": volume.pk, "to_kind": "portal", "to_id": portal.pk} in answer["edges"]


def test_a_port_leads_to_its_host_and_the_arrays_that_it_reaches(estate: StandIns, api: APIClient) -> None:
    port = HostPort.objects.get(device__name="quay-01", name="storage-a")
    names, answer = traced(api, "port", port.pk)
    assert (names["host"], names["port"]) == (["quay-01"], ["storage-a"])
    assert names["array"] == ["basalt", "granite"]
    assert "shale" not in names["array"]
    assert {machine.host.name for machine in _machines(names["machine"])} == {"quay-01"}
    assert {edge["to_kind"] for edge in answer["edges"] if edge["kind"] == "port"} == {"volume"}


def _machines(names: list[str]) -> Any:
    from movelot.inventory.models import Machine

    return Machine.objects.filter(name__in=names).select_related("placement__host")


def test_a_port_that_carries_nothing_says_so(estate: StandIns, api: APIClient) -> None:
    port = HostPort.objects.get(device__name="quay-03", name="storage-b")
    names, answer = traced(api, "port", port.pk)
    assert set(names) == {"host", "port"}
    assert figures(answer)["paths over it"] == 0
    assert figures(answer)["uplinks"] == "uplink-2, uplink-1 standby"


def test_what_carries_nothing_any_more_goes_from_the_chain(estate: StandIns, api: APIClient) -> None:
    portal = Portal.objects.get(device__name="granite", name="A1")
    before, _ = traced(api, "portal", portal.pk)
    estate.control("session", host="quay-01", array="granite", keep=[["storage-b", "A2"]])
    reread(Device.objects.all())
    after, _ = traced(api, "portal", portal.pk)
    assert set(before["host"]) - set(after["host"]) == {"quay-01"}


def test_drive_groups_stand_between_a_pool_and_its_array(estate: StandIns, api: APIClient) -> None:
    pool = Pool.objects.get(name="granite-fast")
    names, answer = traced(api, "pool", pool.pk)
    assert names["drive_group"] == ["granite-fast-g1", "granite-fast-g2"]
    assert sum(pool.drive_groups.values_list("drives", flat=True)) == pool.drives == 13
    group = DriveGroup.objects.get(name="granite-fast-g1")
    assert {"kind": "pool", "id": pool.pk, "to_kind": "drive_group", "to_id": group.pk} in answer["edges"]
    names, answer = traced(api, "drive_group", group.pk)
    assert (names["drive_group"], names["volume"]) == (["granite-fast-g1"], ["berth-a", "berth-b"])
    assert figures(answer) == {"redundancy": "RAID6", "drives": 7, "media": "SSD"}


@pytest.mark.parametrize(("kind", "layer"), [("host", "port"), ("array", "portal")])
def test_a_device_lists_its_ends(estate: StandIns, api: APIClient, kind: str, layer: str) -> None:
    device = Device.objects.get(name={"host": "gate-04", "array": "chalk"}[kind])
    names, _ = traced(api, kind, device.pk)
    assert names[layer] == {"host": ["fc-a", "fc-b", "storage-a"], "array": ["A1", "A2", "B1", "B2"]}[kind]


@pytest.mark.parametrize(
    ("text", "kind", "note"),
    [
        ("10.40.9.102", "port", "quay-02, iSCSI, 10.40.9.102"),
        ("50:24:b4:20:00:00:01:01", "portal", "granite, FC, 50:24:b4:20:00:00:01:01"),
        ("granite-fast-g2", "drive_group", "RAID6 over 6 drives"),
    ],
)
def test_they_are_found_by_address_and_name(estate: StandIns, api: APIClient, text: str, kind: str, note: str) -> None:
    hits = api.get("/api/find/", {"q": text}).json()["hits"]
    assert (kind, note) in {(hit["kind"], hit["note"]) for hit in hits}


def test_what_only_an_unlinked_host_told_of_goes_with_it(estate: StandIns, api: APIClient) -> None:
    hosts = list(Device.objects.filter(name__startswith="gate-").order_by("name"))
    for host in hosts[:-1]:
        assert api.delete(f"/api/devices/{host.pk}/").status_code == 204
    assert Datastore.objects.filter(name="berth-j").exists()
    assert api.delete(f"/api/devices/{hosts[-1].pk}/").status_code == 204
    assert not Datastore.objects.filter(name__in=["berth-j", "berth-k"]).exists()
    assert Datastore.objects.filter(name="berth-a").exists()
