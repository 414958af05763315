"""The devices as a client meets them, through the standards body's Redfish client."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
import redfish
import requests

from conftest import WORKER, StandIns, until

STORAGE, FABRIC = "/redfish/v1/Storage/granite", "/redfish/v1/Fabrics/granite"
TIB = 1024**4


def client(standins: StandIns, name: str) -> Any:
    card = standins.cards[name]
    opened = redfish.redfish_client(
        card["url"], card["user"], card["password"], cafile=card["certificate"], timeout=5, max_retry=0
    )
    opened.login(auth="session")
    return opened


def host_action(opened: Any, host: str, verb: str, **body: Any) -> Any:
    return opened.post(f"/redfish/v1/Systems/{host}/Actions/Oem/Kestrel.{verb}", body=body)


def new_volume(array: Any, name: str = "berth-x", size: int = TIB, pool: str = "granite-mixed", key: str = "k1") -> Any:
    pools = [{"ProvidingPools": [{"@odata.id": f"{STORAGE}/StoragePools/{pool}"}]}]
    return array.post(
        f"{STORAGE}/Volumes", body={"Name": name, "CapacityBytes": size, "Description": key, "CapacitySources": pools}
    )


def test_collections_expand_filter_and_page(standins: StandIns) -> None:
    array = client(standins, "granite")
    whole = array.get(f"{STORAGE}/Volumes?$expand=.").dict
    names = ["berth-a", "berth-b", "berth-c", "berth-d", "berth-f", "slate-09", "berth-j", "berth-k"]
    assert [member["Name"] for member in whole["Members"]] == names
    found = array.get(f"{STORAGE}/Volumes?$expand=.&$filter=Name eq 'berth-c'").dict
    assert (found["Members@odata.count"], found["Members"][0]["Name"]) == (1, "berth-c")
    page = array.get(f"{STORAGE}/Volumes?$top=3").dict
    rest = array.get(page["Members@odata.nextLink"]).dict
    assert (len(page["Members"]), len(rest["Members"])) == (3, 3)


def test_a_filter_that_is_not_understood_is_refused(standins: StandIns) -> None:
    answer = client(standins, "granite").get(f"{STORAGE}/Volumes?$filter=Name ~ 'x'")
    assert answer.status == 400
    assert "Base." in answer.dict["error"]["code"]


def test_a_changed_resource_refuses_the_old_etag(standins: StandIns) -> None:
    host = client(standins, "quay-03")
    path = "/redfish/v1/Systems/quay-03/EthernetInterfaces/storage-b"
    etag = host.get(path).getheader("ETag")
    body = {"Oem": {"Kestrel": {"ActiveUplinks": ["uplink-2"], "StandbyUplinks": []}}}
    assert host.patch(path, body=body, headers={"If-Match": etag}).status == 200
    assert host.patch(path, body=body, headers={"If-Match": etag}).status == 412


def test_a_volume_goes_from_pool_to_mounted_datastore(standins: StandIns) -> None:
    array, host = client(standins, "granite"), client(standins, "quay-01")
    made = new_volume(array)
    assert made.status == 201
    serial = made.dict["Identifiers"][0]["DurableName"]
    body = {
        "VolumeInfo": [{"LUN": 40, "Volume": {"@odata.id": made.dict["@odata.id"]}}],
        "Links": {"InitiatorEndpoints": [{"@odata.id": f"{FABRIC}/Endpoints/quay-01"}]},
    }
    assert array.post(f"{FABRIC}/Connections", body=body).status == 201
    # Offered is not seen: a host knows a device only after a scan.
    assert host_action(host, "quay-01", "Format", Serial=serial, Name="berth-x", Key="f1").status == 404
    scan = host_action(host, "quay-01", "Scan", Key="s1")
    assert scan.status == 202
    monitor = scan.getheader("Location")
    until(lambda: host.get(monitor).status == 200, "the scan")
    assert host_action(host, "quay-01", "Format", Serial=serial, Name="berth-x", Key="f1").status == 201
    assert host_action(host, "quay-01", "Mount", Serial=serial).status == 200
    stores = host.get("/redfish/v1/Systems/quay-01/Oem/Kestrel/Datastores?$expand=.").dict["Members"]
    assert "berth-x" in {store["Name"] for store in stores}
    # What carries a datastore is never formatted again.
    assert host_action(host, "quay-01", "Format", Serial=serial, Name="other", Key="f2").status == 409


def test_the_same_request_again_makes_no_second_volume(standins: StandIns) -> None:
    array = client(standins, "granite")
    assert new_volume(array).dict["Id"] == new_volume(array).dict["Id"]
    assert new_volume(array, key="another").status == 409


@pytest.mark.parametrize("size", [0, -5, 100 * TIB])
def test_a_size_the_pool_cannot_hold_is_refused(standins: StandIns, size: int) -> None:
    assert new_volume(client(standins, "granite"), size=size).status == 400


def test_a_copy_takes_room_at_once_and_moves_the_disk_at_its_end(standins: StandIns) -> None:
    standins.control("pace", pace=100)
    host = client(standins, "quay-01")
    ids = {store["name"]: store["id"] for store in standins.world()["datastores"]}
    free = f"/redfish/v1/Systems/quay-01/Oem/Kestrel/Datastores/{ids['berth-d']}"
    before = host.get(free).dict["FreeBytes"]
    started = host_action(host, "quay-01", "MoveDisk", Disk="berth-plan-db-1", Target=ids["berth-d"], Key="m1")
    task = host.get(started.dict["@odata.id"]).dict
    assert host.get(free).dict["FreeBytes"] < before
    assert task["Oem"]["Kestrel"]["PerSecond"] >= 0
    standins.control("pace", pace=50000)
    until(lambda: standins.placement()["berth-plan-db-1"] == ids["berth-d"], "the copy")


def test_an_abandoned_copy_leaves_the_disk_and_gives_the_room_back(standins: StandIns) -> None:
    standins.control("pace", pace=1)
    host = client(standins, "quay-01")
    ids = {store["name"]: store["id"] for store in standins.world()["datastores"]}
    free = f"/redfish/v1/Systems/quay-01/Oem/Kestrel/Datastores/{ids['berth-d']}"
    before = host.get(free).dict["FreeBytes"]
    started = host_action(host, "quay-01", "MoveDisk", Disk="berth-plan-db-1", Target=ids["berth-d"], Key="m1")
    host.delete(started.getheader("Location"))
    assert host.get(started.dict["@odata.id"]).dict["TaskState"] == "Cancelled"
    assert host.get(free).dict["FreeBytes"] == before
    assert standins.placement()["berth-plan-db-1"] == ids["berth-a"]


def test_an_expired_token_is_refused_until_signed_in_again(standins: StandIns) -> None:
    array = client(standins, "granite")
    standins.fault("granite", "expire")
    assert array.get(STORAGE).status == 401
    assert client(standins, "granite").get(STORAGE).status == 200


def test_a_dropped_connection_leaves_the_action_done(standins: StandIns) -> None:
    array = client(standins, "granite")
    standins.fault("granite", "drop")
    with pytest.raises(redfish.rest.v1.RetriesExhaustedError):
        new_volume(array)
    assert "berth-x" in {volume["name"] for volume in standins.world()["volumes"]}


def test_the_nth_action_fails_and_is_not_done(standins: StandIns) -> None:
    array = client(standins, "granite")
    standins.fault("granite", "fail_nth", n=2)
    assert new_volume(array, "one").status == 201
    assert new_volume(array, "two").status == 500
    assert "two" not in {volume["name"] for volume in standins.world()["volumes"]}


def test_another_certificate_is_not_trusted_by_who_pinned_the_first(standins: StandIns, tmp_path: Any) -> None:
    card = standins.cards["quay-02"]
    pinned = tmp_path / "pinned.crt"
    pinned.write_bytes(Path(card["certificate"]).read_bytes())
    standins.fault("quay-02", "certificate")
    with pytest.raises(requests.exceptions.SSLError):
        requests.get(f"{card['url']}/redfish/v1", verify=str(pinned), timeout=5)


def test_state_survives_a_restart(tmp_path: Any) -> None:
    running = StandIns(tmp_path / "site", port=19543 + 20 * WORKER, control=19540 + 20 * WORKER)
    running.start()
    try:
        new_volume(client(running, "granite"), "kept")
        running.stop()
        running.start()
        assert "kept" in {volume["name"] for volume in running.world()["volumes"]}
    finally:
        running.stop()
