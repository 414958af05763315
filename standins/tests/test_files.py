"""The file array and its clients as a program meets them: exports, who may mount, and what is refused."""

from __future__ import annotations

from typing import Any

import pytest

from conftest import StandIns
from standins.tests.test_devices import client, host_action

SYSTEMS = "/redfish/v1/Storage/shale/FileSystems"
GIB = 1024**3
SERVER = "shale-a.kestrelbay.example"


def new_file_system(array: Any, name: str = "sand-x", controller: str = "A", size: int = GIB, key: str = "k") -> Any:
    pools = [{"ProvidingPools": [{"@odata.id": "/redfish/v1/Storage/shale/StoragePools/shale-home"}]}]
    body = {
        "Name": name,
        "Description": key,
        "Capacity": {"Data": {"AllocatedBytes": size}},
        "CapacitySources": pools,
        "Oem": {"Kestrel": {"Controller": controller}},
    }
    return array.post(SYSTEMS, body=body)


def new_export(array: Any, uri: str, network: str = "10.40.10.0/24", access: str = "ReadWrite", **more: Any) -> Any:
    body = {
        "Name": "sand-x",
        "FileSharePath": "/exports/sand-x",
        "FileSharingProtocols": ["NFSv4_1"],
        "RootAccess": True,
        "Oem": {"Kestrel": {"Clients": [{"Network": network, "Access": access}]}},
        **more,
    }
    return array.post(f"{uri}/ExportedFileShares", body=body)


def mount(standins: StandIns, host: str = "quay-01", **more: str) -> Any:
    fields = {"Server": SERVER, "Path": "/exports/sand-x", "Version": "NFSv4_1", "Name": "sand-x", **more}
    return host_action(client(standins, host), host, "MountExport", **fields)


def test_an_export_goes_from_pool_to_mounted_datastore_and_away_again(standins: StandIns) -> None:
    array = client(standins, "shale")
    made = new_file_system(array).dict
    share = new_export(array, made["@odata.id"]).dict
    found = mount(standins).dict
    # The host tells the file system's own id, whatever the export is called.
    assert found["Extents"][0]["DeviceSerial"] == made["Identifiers"][0]["DurableName"]
    assert found["Export"]["Ways"] == [{"Port": "files", "Portal": "A1"}]
    assert array.delete(share["@odata.id"]).status == 409
    host = client(standins, "quay-01")
    assert host_action(host, "quay-01", "UnmountExport", Identity=found["Id"]).status == 204
    assert array.delete(made["@odata.id"]).status == 409
    assert array.delete(share["@odata.id"]).status == 204
    assert array.delete(made["@odata.id"]).status == 204


def test_the_same_again_changes_nothing_and_another_way_is_refused(standins: StandIns) -> None:
    array = client(standins, "shale")
    made = new_file_system(array).dict
    assert new_file_system(array).dict["Id"] == made["Id"]
    assert new_file_system(array, key="other").status == 409
    uri = made["@odata.id"]
    assert new_export(array, uri).dict["Id"] == new_export(array, uri).dict["Id"]
    assert new_export(array, uri, RootAccess=False).status == 409
    assert mount(standins).dict["Id"] == mount(standins).dict["Id"]
    assert mount(standins, Version="NFSv3").status == 400


def test_another_spelling_is_another_datastore(standins: StandIns) -> None:
    array = client(standins, "shale")
    new_export(array, new_file_system(array).dict["@odata.id"])
    named = mount(standins).dict
    numbered = mount(standins, "quay-02", Server="10.40.10.11", Name="sand-y").dict
    assert named["Extents"] == numbered["Extents"]
    assert named["Id"] != numbered["Id"]
    assert mount(standins, "quay-03", Name="sand-z").status == 409


@pytest.mark.parametrize(
    ("export", "more", "status"),
    [
        ({}, {"Path": "/exports/elsewhere"}, 404),
        ({}, {"Server": "shale-b.kestrelbay.example"}, 404),
        ({}, {"Server": "nowhere"}, 404),
        ({"network": "10.40.11.0/24"}, {}, 403),
        ({"access": "ReadOnly"}, {}, 403),
        ({"RootAccess": False}, {}, 403),
        ({"FileSharingProtocols": ["NFSv3"]}, {}, 400),
    ],
)
def test_what_a_client_may_not_mount(
    standins: StandIns, export: dict[str, Any], more: dict[str, str], status: int
) -> None:
    array = client(standins, "shale")
    assert new_export(array, new_file_system(array).dict["@odata.id"], **export).status == 201
    assert mount(standins, **more).status == status


def test_a_host_on_another_vlan_does_not_reach_the_server(standins: StandIns) -> None:
    array = client(standins, "shale")
    new_export(array, new_file_system(array).dict["@odata.id"])
    standins.control("wire", host="quay-01", interface="files", vlan=999)
    assert mount(standins).status == 409


@pytest.mark.parametrize(("settings", "status"), [({"retries": 9}, 200), ({"retries": 0}, 400), ({"colour": 1}, 400)])
def test_settings_of_the_client_are_checked(standins: StandIns, settings: dict[str, int], status: int) -> None:
    host = client(standins, "quay-01")
    assert host_action(host, "quay-01", "SetFileClient", Settings=settings).status == status
    now = host.get("/redfish/v1/Systems/quay-01").dict["Oem"]["Kestrel"]["FileClient"]
    assert now["retries"] == (9 if status == 200 else 4)


@pytest.mark.parametrize(
    "wrong", [{"controller": "Z"}, {"size": 0}, {"size": 10**18}], ids=["controller", "nothing", "too large"]
)
def test_a_file_system_that_cannot_be_is_refused(standins: StandIns, wrong: dict[str, Any]) -> None:
    array = client(standins, "shale")
    assert new_file_system(array, **wrong).status == 400
    assert "sand-x" not in {volume["name"] for volume in standins.world()["volumes"]}
