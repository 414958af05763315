"""iSCSI as a program meets it: discovery at one address, sessions, CHAP on both sides, a target of a volume's own."""

from __future__ import annotations

from typing import Any

import pytest

from conftest import StandIns, until
from standins.tests.test_devices import FABRIC, STORAGE, client, host_action, new_volume
from standins.tests.test_nvme import devices

IQN = "iqn.2026-01.example.kestrelbay:"
TARGET = f"{IQN}granite"
ADDRESS = "10.40.8.11"
SECRET, OTHER = "one-secret-of-24-letters", "the-secret-of-the-target"
INITIATOR = f"{FABRIC}/Endpoints/quay-01"


def act(standins: StandIns, verb: str, host: str = "quay-01", **body: Any) -> Any:
    return host_action(client(standins, host), host, verb, **body)


def log_in(standins: StandIns, host: str = "quay-01", address: str = ADDRESS, **body: Any) -> Any:
    return act(standins, "LogIn", host, **{"Target": TARGET, "DiscoveryAddress": address, **body})


def sessions(standins: StandIns, host: str = "quay-01", target: str = TARGET) -> list[dict[str, str]]:
    told = client(standins, host).get(f"/redfish/v1/Systems/{host}").dict["Oem"]["Kestrel"]["Targets"]
    return next((each["Sessions"] for each in told if each["IQN"] == target), [])


def scan(standins: StandIns, key: str, host: str = "quay-01") -> None:
    opened = client(standins, host)
    monitor = host_action(opened, host, "Scan", Key=key).getheader("Location")
    until(lambda: opened.get(monitor).status != 202, "the scan")


def chap(method: str, secret: str = SECRET, other: str = OTHER) -> dict[str, str]:
    both = {"UserName": "quay-01", "Secret": secret, "TargetUser": "granite", "TargetSecret": other}
    return {"Method": method, **both}


def ask(standins: StandIns, wanted: dict[str, str], initiator: str = INITIATOR) -> Any:
    return client(standins, "granite").patch(initiator, body={"Oem": {"Kestrel": {"Chap": wanted}}})


def test_one_address_is_enough_as_the_array_tells_the_other_portals(standins: StandIns) -> None:
    standins.control("session", host="quay-01", array="granite", keep=[["storage-a", "A1"]])
    scan(standins, "s1")
    volume = client(standins, "granite").get(f"{STORAGE}/Volumes?$expand=.").dict["Members"][0]
    serial = volume["Identifiers"][0]["DurableName"]
    assert [path["Portal"] for path in devices(standins, "quay-01")[serial]["Paths"]] == ["A1"]
    assert log_in(standins).status == 200
    assert len(sessions(standins)) == 8
    # The sessions are there, the paths after a scan.
    assert len(devices(standins, "quay-01")[serial]["Paths"]) == 1
    scan(standins, "s2")
    assert len(devices(standins, "quay-01")[serial]["Paths"]) == 8


def test_a_session_that_is_cut_off_takes_its_path_at_once(standins: StandIns) -> None:
    standins.control("session", host="quay-01", array="granite", keep=[["storage-a", "A1"], ["storage-b", "B2"]])
    assert {len(device["Paths"]) for device in devices(standins, "quay-01").values()} >= {2}


@pytest.mark.parametrize(
    ("host", "address", "target", "status"),
    [
        ("quay-01", "10.40.8.99", TARGET, 409),
        ("quay-03", "10.40.9.11", TARGET, 409),
        ("quay-01", ADDRESS, f"{IQN}nothing", 404),
    ],
)
def test_what_does_not_answer_or_is_not_listed_is_refused(
    standins: StandIns, host: str, address: str, target: str, status: int
) -> None:
    assert log_in(standins, host, address, Target=target).status == status


def test_the_array_refuses_an_initiator_that_it_does_not_know(standins: StandIns) -> None:
    answer = log_in(standins, "gate-04", Target=f"{IQN}basalt", DiscoveryAddress="10.40.8.31")
    assert answer.status == 403
    assert "does not know the initiator" in str(answer.dict)


def test_the_last_session_stays_while_something_behind_it_is_mounted(standins: StandIns) -> None:
    answer = act(standins, "LogOut", Target=TARGET, Keep=[])
    assert answer.status == 409
    assert "berth-a" in str(answer.dict)
    assert act(standins, "LogOut", Target=TARGET, Keep=[{"Port": "storage-a", "Portal": "A1"}]).status == 200
    assert [(each["Port"], each["Portal"]) for each in sessions(standins)] == [("storage-a", "A1")]


@pytest.mark.parametrize("method", ["CHAP", "MutualCHAP"])
def test_a_login_needs_the_same_secrets_on_both_sides(standins: StandIns, method: str) -> None:
    assert ask(standins, chap(method)).status == 200
    # Sessions that are there stay; the next login has to agree.
    assert len(sessions(standins)) == 8
    assert "CHAP does not agree" in str(log_in(standins, Again=True).dict)
    wrong = chap(method, secret="another-secret-than-that")
    assert act(standins, "SetChap", Target=TARGET, Chap=wrong).status == 200
    assert log_in(standins, Again=True).status == 403
    assert act(standins, "SetChap", Target=TARGET, Chap=chap(method)).status == 200
    assert log_in(standins, Again=True).status == 200
    assert {each["Chap"] for each in sessions(standins)} == {method}


def test_mutual_chap_compares_what_the_target_proves_too(standins: StandIns) -> None:
    ask(standins, chap("MutualCHAP"))
    act(standins, "SetChap", Target=TARGET, Chap=chap("MutualCHAP", other="not-what-the-target-has"))
    assert log_in(standins, Again=True).status == 403


def test_a_secret_is_never_told(standins: StandIns) -> None:
    answers = [ask(standins, chap("MutualCHAP")), act(standins, "SetChap", Target=TARGET, Chap=chap("MutualCHAP"))]
    answers += [
        client(standins, "granite").get(INITIATOR),
        client(standins, "quay-01").get("/redfish/v1/Systems/quay-01"),
    ]
    for answer in answers:
        assert answer.status == 200
        assert SECRET not in answer.text
        assert OTHER not in answer.text
    assert answers[2].dict["Oem"]["Kestrel"]["Chap"] == "MutualCHAP"


@pytest.mark.parametrize(
    "wanted",
    [chap("CHAP", secret="too-short"), chap("MutualCHAP", other=SECRET), chap("Guess"), {"Method": "CHAP"}],
)
def test_short_equal_or_unknown_ones_are_refused_on_both_sides(standins: StandIns, wanted: dict[str, str]) -> None:
    assert ask(standins, wanted).status == 400
    assert act(standins, "SetChap", Target=TARGET, Chap=wanted).status == 400


def test_only_an_iscsi_initiator_has_chap(standins: StandIns) -> None:
    assert ask(standins, chap("CHAP"), f"{FABRIC}/Endpoints/2100024b42000101").status == 400
    assert ask(standins, chap("CHAP"), f"{FABRIC}/Endpoints/A1").status == 405


def test_a_volume_behind_a_target_of_its_own_is_seen_by_who_logs_in_there(standins: StandIns) -> None:
    array = client(standins, "granite")
    pools = [{"ProvidingPools": [{"@odata.id": f"{STORAGE}/StoragePools/granite-mixed"}]}]
    body = {"Name": "own", "CapacityBytes": 1024**4, "CapacitySources": pools, "Oem": {"Kestrel": {"OwnTarget": True}}}
    made = array.post(f"{STORAGE}/Volumes", body=body).dict
    target = made["Oem"]["Kestrel"]["Target"]
    assert target == f"{TARGET}.own"
    assert new_volume(array).dict["Oem"]["Kestrel"]["Target"] == TARGET
    offer = {
        "VolumeInfo": [{"Volume": {"@odata.id": made["@odata.id"]}, "LUN": 77}],
        "Links": {"InitiatorEndpoints": [{"@odata.id": INITIATOR}]},
    }
    connection = array.post(f"{FABRIC}/Connections", body=offer)
    serial = made["Identifiers"][0]["DurableName"]
    scan(standins, "s3")
    assert serial not in devices(standins, "quay-01")
    assert log_in(standins, Target=target).status == 200
    scan(standins, "s4")
    assert len(devices(standins, "quay-01")[serial]["Paths"]) == 8
    # With the volume its target goes, and the sessions with that.
    assert array.delete(connection.dict["@odata.id"]).status == 204
    assert array.delete(made["@odata.id"]).status == 204
    assert sessions(standins, target=target) == []
