"""Block storage over NVMe/TCP: hosts made known, connected after discovery, namespaces formatted and taken away."""

from __future__ import annotations

from typing import Any

import pytest

from conftest import StandIns
from movelot.accounts.models import User
from movelot.inventory.changes import everything_changed
from movelot.inventory.models import Datastore, Device, Grant, HostDevice, HostPort, Pool, Portal, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from server.tests.conftest import drafted, figures, refused, run_to_end, signed_in
from server.tests.test_lots import outside

NQN = "nqn.2026-01.example.kestrelbay:"


@pytest.fixture
def granted(estate: StandIns) -> StandIns:
    Grant.objects.create(pool=Pool.objects.get(name="chalk-one"), granted_by="tobias.wren")
    return estate


def attach(user: User, name: str = "chalk-01", **more: Any) -> Lot:
    return drafted("attach", user, cluster="quayside", name=name, size="1 TiB", pools=["chalk-one"], **more)


def connections(standins: StandIns) -> dict[str, int]:
    hosts = [host for host in standins.world()["hosts"] if host["cluster"] == "quayside"]
    return {host["name"]: len(host["connected"].get("chalk", [])) for host in hosts}


def everything(standins: StandIns) -> Any:
    return outside(standins), standins.world()["initiators"], connections(standins)


def test_the_array_and_its_hosts_say_their_nvme_names(estate: StandIns) -> None:
    chalk = Device.objects.get(name="chalk")
    assert chalk.nqn == f"{NQN}chalk"
    assert set(chalk.portals.values_list("protocol", flat=True)) == {"NVMe/TCP"}
    assert Device.objects.get(name="quay-02").nqn == f"{NQN}quay-02"
    assert chalk.capabilities.get(code="protocols").detail == "NVMe/TCP"


def test_a_pool_that_is_not_granted_is_refused(estate: StandIns, ines: User) -> None:
    lot = attach(ines)
    assert "the storage team has not granted it" in " ".join(check["text"] for check in lot.checks)


def test_an_nvme_datastore_is_discovered_connected_and_mounted_on_every_host(granted: StandIns, ines: User) -> None:
    lot = attach(ines)
    kinds = list(lot.steps.values_list("kind", flat=True))
    assert kinds[:3] == ["add_initiator", "create_volume", "offer_volume"]
    assert kinds.count("connect_subsystem") == 3
    # quay-03 has a port with small frames: two of its four paths will be missing.
    assert (lot.plan["board"]["seen"], lot.plan["board"]["expected"]) == (8, 10)
    assert "frames of different size" in next(h["reason"] for h in lot.plan["board"]["hosts"] if h["name"] == "quay-03")
    run_to_end(lot)
    assert lot.state == Lot.State.DONE
    store = Datastore.objects.get(name="chalk-01")
    assert store.mounts.count() == 3
    paths = {d.device.name: len(d.paths) for d in HostDevice.objects.filter(serial__in=store.serials)}
    assert paths == {"quay-01": 4, "quay-02": 2, "quay-03": 2}
    assert connections(granted) == paths
    rows = {row["figure"]: row for row in lot.outcome["rows"]}
    assert rows["paths"]["predicted"] == rows["paths"]["measured"] == 8
    # The second one finds everything connected and known.
    again = attach(ines, "chalk-02")
    kinds = set(again.steps.values_list("kind", flat=True))
    assert not kinds & {"add_initiator", "connect_subsystem"}


def test_what_stands_in_the_way_is_mended_by_the_same_lot(granted: StandIns, ines: User) -> None:
    before = everything(granted), interfaces(granted)
    offered = {row["host"]: row["text"] for row in attach(ines).plan["fixable"]}
    assert offered == {
        "quay-02": "Make interface nvme-b on quay-02 with 10.40.12.102/24",
        "quay-03": "Set frames of nvme-b to 9000 bytes",
    }
    lot = attach(ines, fixes=["quay-02", "quay-03"])
    assert lot.plan["board"]["seen"] == lot.plan["board"]["expected"] == 12
    assert lot.plan["fixable"] == []
    run_to_end(lot)
    assert connections(granted) == {"quay-01": 4, "quay-02": 4, "quay-03": 4}
    run_to_end(actions.undo(lot, ines))
    assert (everything(granted), interfaces(granted)) == before


def interfaces(standins: StandIns) -> dict[str, list[tuple[str, str, int]]]:
    return {
        h["name"]: [(i["name"], i["address"], i["mtu"]) for i in h["interfaces"]] for h in standins.world()["hosts"]
    }


def findings_of(kind: str) -> dict[str, Any]:
    rows = signed_in("ines.marrow").get("/api/rounds/").json()["findings"]
    return {row["figures"]["array"]: row for row in rows if row["kind"] == kind}


def test_small_frames_are_a_finding_and_one_lot_brings_the_paths_back(granted: StandIns, ines: User) -> None:
    run_to_end(attach(ines))
    found = findings_of("missing_paths")
    # The trouble of the other array is a finding of its own.
    assert {"granite", "chalk"} <= set(found)
    assert found["chalk"]["reasons"] == ["nvme-b and the portal use frames of different size"]
    before = everything(granted)
    lot = run_to_end(drafted(found["chalk"]["draft"]["kind"], ines, **found["chalk"]["draft"]["form"]))
    assert figures(lot) == (2, 4, 4)
    assert "chalk" not in findings_of("missing_paths")
    run_to_end(actions.undo(lot, ines))
    assert everything(granted) == before
    interface = next(i for i in granted.world()["hosts"][2]["interfaces"] if i["name"] == "nvme-b")
    assert interface["mtu"] == 1500


def test_a_host_without_an_interface_is_a_finding_and_gets_the_next_free_address(granted: StandIns, ines: User) -> None:
    run_to_end(attach(ines))
    found = findings_of("no_interface")["chalk"]
    assert (found["subject"], found["figures"]["subnet"]) == ("quay-02", "10.40.12.0/24")
    before = interfaces(granted)
    draft = found["draft"]
    lot = drafted(draft["kind"], ines, **draft["form"])
    (row,) = lot.plan["rows"]
    # 10.40.12.101 and .103 are its fellows'.
    assert (row["host"], row["name"], row["address"], row["problem"]) == ("quay-02", "nvme-b", "10.40.12.102", "")
    edited = drafted(draft["kind"], ines, **draft["form"], addresses={row["key"]: "10.40.12.150"})
    run_to_end(edited)
    assert edited.state == Lot.State.DONE
    assert figures(edited) == (2, 4, 4)
    assert ("nvme-b", "10.40.12.150/24", 9000) in interfaces(granted)["quay-02"]
    assert "chalk" not in findings_of("no_interface")
    run_to_end(actions.undo(edited, ines))
    assert interfaces(granted) == before


@pytest.mark.parametrize(
    ("address", "problem"), [("10.40.12.101", "in use"), ("10.40.77.1", "not in"), ("nvme", "no IP address")]
)
def test_an_address_that_cannot_be_used_stops_the_lot(
    granted: StandIns, ines: User, address: str, problem: str
) -> None:
    form = {"cluster": "quayside", "array": "chalk", "addresses": {"quay-02 10.40.12.0/24": address}}
    lot = drafted("interfaces", ines, **form)
    assert problem in lot.plan["rows"][0]["problem"]
    assert (lot.checks[0]["level"], lot.steps.count()) == ("stop", 0)


def test_a_full_subnet_is_said_and_does_not_stop_the_draft(granted: StandIns, ines: User) -> None:
    # Both ends of a subnet of two are taken.
    for model in (HostPort, Portal):
        model.objects.filter(network__startswith="10.40.12.").delete()
    array, one, two = (Device.objects.get(name=name) for name in ("chalk", "quay-01", "quay-03"))
    wired = {"protocol": "NVMe/TCP", "vlan": 412, "up": True}
    Portal.objects.create(device=array, name="A9", uri="/a9", controller="A", network="10.40.12.1/30", **wired)
    for host in (one, two):
        HostPort.objects.create(
            device=host, name="nvme-b", uri=f"/{host}", network="10.40.12.2/30", active_uplinks=["uplink-6"], **wired
        )
    everything_changed()
    lot = attach(ines)
    assert lot.plan["fixable"] == []
    board = {host["name"]: host["reason"] for host in lot.plan["board"]["hosts"]}
    assert board["quay-02"] == "no interface in 10.40.12.0/30"
    none = drafted("interfaces", ines, cluster="quayside", array="chalk")
    assert none.checks[0]["text"] == "No address is free in 10.40.12.0/30."


def test_without_anything_lacking_there_is_no_lot(granted: StandIns, ines: User) -> None:
    assert drafted("interfaces", ines, cluster="quayside", array="granite").checks[0]["level"] == "stop"
    assert "array" in refused("interfaces", ines, cluster="quayside", array="nowhere")


def test_frames_that_fit_need_no_lot_and_other_hosts_are_named(granted: StandIns, ines: User) -> None:
    fits = drafted("frames", ines, host="quay-01", array="chalk")
    assert (fits.checks[0]["level"], fits.steps.count()) == ("stop", 0)
    assert "host" in refused("frames", ines, host="quay-77", array="chalk")


def test_taking_a_namespace_away_leaves_no_device_behind(granted: StandIns, ines: User) -> None:
    run_to_end(attach(ines))
    volume = Volume.objects.get(name="chalk-01")
    lot = drafted("detach", ines, volume=volume.pk, keep=False, confirm="chalk-01")
    titles = list(lot.steps.values_list("title", flat=True))
    assert "Wait until the namespace is gone from quay-01" in titles
    run_to_end(lot)
    assert lot.state == Lot.State.DONE
    assert not Volume.objects.filter(name="chalk-01").exists()
    assert not HostDevice.objects.filter(serial=volume.serial).exists()


def test_a_host_that_is_left_out_is_made_known_and_let_in(granted: StandIns, ines: User) -> None:
    run_to_end(attach(ines))
    volume = Volume.objects.get(name="chalk-01")
    offer = volume.offers.get()
    without = drafted("detach", ines, volume=volume.pk, keep=True)
    run_to_end(without)
    assert volume.offers.count() == 0
    spread = drafted("spread", ines, volume=volume.pk, cluster="quayside")
    assert offer.lun == int(volume.uri.rsplit("/", 1)[1])
    run_to_end(spread)
    assert spread.state == Lot.State.DONE
    assert Datastore.objects.get(name="chalk-01").mounts.count() == 3
