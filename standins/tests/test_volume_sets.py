"""Volume sets as a program meets them: mounted by connected hosts, filled and emptied by what machines do."""

from __future__ import annotations

from collections import Counter
from typing import Any

import pytest
import requests

from conftest import StandIns
from standins.tests.test_devices import client, host_action
from standins.tests.test_nvme import FABRIC, STORAGE, connect

SETS = f"{STORAGE}/Oem/Kestrel/VolumeSets"
GIB = 1024**3


def made_set(standins: StandIns, name: str = "chalk-vd") -> Any:
    pools = [{"ProvidingPools": [{"@odata.id": f"{STORAGE}/StoragePools/chalk-one"}]}]
    return client(standins, "chalk").post(SETS, body={"Name": name, "Description": "k", "CapacitySources": pools})


def mounted_set(standins: StandIns) -> Any:
    """A set that quay-01 mounts; returns the set as the array tells it."""
    made = made_set(standins).dict
    offer = {
        "VolumeInfo": [{"Volume": {"@odata.id": made["@odata.id"]}}],
        "Links": {"InitiatorEndpoints": [{"@odata.id": f"{FABRIC}/Endpoints/quay-01"}]},
    }
    assert client(standins, "chalk").post(f"{FABRIC}/Connections", body=offer).status == 201
    assert mount(standins, made).status == 409
    connect(standins, "quay-01")
    assert mount(standins, made).status == 200
    return made


def mount(standins: StandIns, made: Any, host: str = "quay-01") -> Any:
    serial = made["Identifiers"][0]["DurableName"]
    return host_action(client(standins, host), host, "MountSet", Serial=serial, Name="chalk-vd")


def machine(standins: StandIns, act: str, name: str = "tug-log", **more: Any) -> None:
    standins.control("machine", act=act, name=name, **more)


def purposes(standins: StandIns) -> dict[str, int]:
    members = client(standins, "chalk").get(f"{STORAGE}/Volumes?$expand=.").dict["Members"]
    return dict(Counter(member["Oem"]["Kestrel"]["Purpose"] for member in members))


def consumed(standins: StandIns) -> int:
    pool = client(standins, "chalk").get(f"{STORAGE}/StoragePools/chalk-one").dict
    return int(pool["Capacity"]["Data"]["ConsumedBytes"])


def test_volumes_come_and_go_with_what_the_machine_does(standins: StandIns) -> None:
    mounted_set(standins)
    assert purposes(standins) == {}
    disks = [100 * GIB, 20 * GIB]
    machine(standins, "create", host="quay-01", datastore="chalk-vd", disks=disks)
    assert (purposes(standins), consumed(standins)) == ({"Disk": 2}, 120 * GIB)
    machine(standins, "on")
    assert purposes(standins) == {"Disk": 2, "Swap": 1}
    machine(standins, "snapshot", snapshot="before the upgrade")
    assert purposes(standins) == {"Disk": 2, "Swap": 1, "Snapshot": 2}
    assert consumed(standins) > 128 * GIB
    machine(standins, "off")
    assert purposes(standins) == {"Disk": 2, "Snapshot": 2}
    machine(standins, "delete")
    assert (purposes(standins), consumed(standins)) == ({}, 0)


def test_a_set_has_no_size_of_its_own(standins: StandIns) -> None:
    mounted_set(standins)
    stores = client(standins, "quay-01").get("/redfish/v1/Systems/quay-01/Oem/Kestrel/Datastores?$expand=.")
    found = next(store for store in stores.dict["Members"] if store["Name"] == "chalk-vd")
    pool = client(standins, "chalk").get(f"{STORAGE}/StoragePools/chalk-one").dict
    assert found["CapacityBytes"] == found["FreeBytes"] == pool["Capacity"]["Data"]["AllocatedBytes"]
    assert len(found["VolumeSet"]["Ways"]) == 4


def test_what_the_limits_do_not_allow_is_refused_and_leaves_nothing(standins: StandIns) -> None:
    mounted_set(standins)
    with pytest.raises(requests.HTTPError):
        machine(standins, "create", host="quay-01", datastore="chalk-vd", disks=[GIB] * 61)
    assert purposes(standins) == {}
    machine(standins, "create", host="quay-01", datastore="chalk-vd", disks=[GIB] * 60)
    with pytest.raises(requests.HTTPError):
        machine(standins, "on")
    assert purposes(standins) == {"Disk": 60}


def test_a_set_goes_only_when_it_holds_nothing_and_lets_nobody_in(standins: StandIns) -> None:
    made = mounted_set(standins)
    machine(standins, "create", host="quay-01", datastore="chalk-vd", disks=[GIB])
    array = client(standins, "chalk")
    member = array.get(f"{STORAGE}/Volumes?$expand=.").dict["Members"][0]
    assert array.delete(member["@odata.id"]).status == 409
    assert array.delete(made["@odata.id"]).status == 409
    machine(standins, "delete")
    assert array.delete(made["@odata.id"]).status == 409
    host = client(standins, "quay-01")
    serial = made["Identifiers"][0]["DurableName"]
    assert host_action(host, "quay-01", "Unmount", Serial=serial).status == 204
    offers = array.get(f"{FABRIC}/Connections?$expand=.").dict["Members"]
    assert array.delete(offers[0]["@odata.id"]).status == 204
    assert array.delete(made["@odata.id"]).status == 204


def test_an_array_allows_so_many_sets(standins: StandIns) -> None:
    assert [made_set(standins, f"set-{n}").status for n in range(5)] == [201] * 4 + [409]
    # The same once more is the same.
    assert made_set(standins, "set-0").status == 201
