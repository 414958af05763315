"""The NVMe array and its hosts as a program meets them: discover, connect, namespaces without a scan."""

from __future__ import annotations

from typing import Any

from conftest import StandIns
from standins.tests.test_devices import client, host_action

STORAGE, FABRIC = "/redfish/v1/Storage/chalk", "/redfish/v1/Fabrics/chalk"
NQN = "nqn.2026-01.example.kestrelbay:"
TIB = 1024**4


def namespace(array: Any, *hosts: str) -> Any:
    pools = [{"ProvidingPools": [{"@odata.id": f"{STORAGE}/StoragePools/chalk-one"}]}]
    body = {"Name": "chalk-x", "CapacityBytes": TIB, "Description": "k", "CapacitySources": pools}
    made = array.post(f"{STORAGE}/Volumes", body=body).dict
    offer = {
        "VolumeInfo": [{"Volume": {"@odata.id": made["@odata.id"]}}],
        "Links": {"InitiatorEndpoints": [{"@odata.id": f"{FABRIC}/Endpoints/{host}"} for host in hosts]},
    }
    assert array.post(f"{FABRIC}/Connections", body=offer).status == 201
    return made


def connect(standins: StandIns, host: str, address: str = "10.40.11.11") -> Any:
    body = {"NQN": f"{NQN}chalk", "DiscoveryAddress": address}
    return host_action(client(standins, host), host, "ConnectSubsystem", **body)


def devices(standins: StandIns, host: str) -> dict[str, Any]:
    members = client(standins, host).get(f"/redfish/v1/Systems/{host}/Oem/Kestrel/Devices?$expand=.").dict["Members"]
    return {member["Serial"]: member for member in members}


def test_a_connected_host_has_a_namespace_as_soon_as_it_is_let_in(standins: StandIns) -> None:
    answer = connect(standins, "quay-01")
    assert len(answer.dict["Subsystems"][0]["Connections"]) == 4
    made = namespace(client(standins, "chalk"), "quay-01")
    identifier = made["Identifiers"][0]
    assert identifier["DurableNameFormat"] == "NGUID"
    found = devices(standins, "quay-01")[identifier["DurableName"]]
    assert found["LUN"] == int(made["NVMeNamespaceProperties"]["NamespaceId"])
    assert sorted(path["Portal"] for path in found["Paths"]) == ["A1", "A2", "B1", "B2"]
    states = {path["Portal"][0]: path["AccessState"] for path in found["Paths"]}
    assert states == {"A": "Optimized", "B": "NonOptimized"}
    # Another host that is connected is not let in, and so has none.
    assert connect(standins, "quay-03").status == 200
    assert identifier["DurableName"] not in devices(standins, "quay-03")


def test_frames_of_another_size_leave_half_of_the_connections(standins: StandIns) -> None:
    pairs = connect(standins, "quay-03").dict["Subsystems"][0]["Connections"]
    assert {pair["Port"] for pair in pairs} == {"nvme-a"}
    assert connect(standins, "quay-03", "10.40.12.11").status == 409


def test_discovery_lists_nothing_to_a_host_that_the_array_does_not_know(standins: StandIns) -> None:
    assert connect(standins, "quay-02").status == 403
    array = client(standins, "chalk")
    body = {"Identifiers": [{"DurableNameFormat": "NQN", "DurableName": f"{NQN}quay-02"}]}
    assert array.post(f"{FABRIC}/Endpoints", body=body).status == 201
    assert connect(standins, "quay-02").status == 200
    # An iSCSI name is none of its kind.
    body["Identifiers"][0]["DurableName"] = "iqn.2026-01.example.kestrelbay:quay-02"
    assert array.post(f"{FABRIC}/Endpoints", body=body).status == 400


def test_a_host_leaves_a_subsystem_only_when_it_mounts_nothing_from_it(standins: StandIns) -> None:
    connect(standins, "quay-01")
    serial = namespace(client(standins, "chalk"), "quay-01")["Identifiers"][0]["DurableName"]
    host = client(standins, "quay-01")
    assert host_action(host, "quay-01", "Format", Serial=serial, Name="chalk-x", Key="f").status == 201
    assert host_action(host, "quay-01", "Mount", Serial=serial).status == 200
    assert host_action(host, "quay-01", "DisconnectSubsystem", NQN=f"{NQN}chalk").status == 409
    one = [{"Port": "nvme-a", "Portal": "A1"}]
    assert host_action(host, "quay-01", "DisconnectSubsystem", NQN=f"{NQN}chalk", Keep=one).status == 200
    assert len(devices(standins, "quay-01")[serial]["Paths"]) == 1
    assert host_action(host, "quay-01", "Unmount", Serial=serial).status == 204
    answer = host_action(host, "quay-01", "DisconnectSubsystem", NQN=f"{NQN}chalk")
    assert answer.dict["Subsystems"] == []
    assert serial not in devices(standins, "quay-01")
