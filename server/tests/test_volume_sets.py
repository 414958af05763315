"""Volume sets: attached to a cluster, and afterwards every disk, snapshot and swap is a volume of its own."""

from __future__ import annotations

from collections import Counter
from typing import Any

import pytest

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.host import act
from movelot.devices.reading import reread
from movelot.devices.session import session_with
from movelot.inventory.models import Datastore, Device, Disk, Grant, Machine, Pool, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from movelot.placement.grants import promised_bytes
from server.tests.conftest import drafted, run_to_end, signed_in
from server.tests.test_nvme import everything

GIB = 1024**3


@pytest.fixture
def granted(estate: StandIns) -> StandIns:
    Grant.objects.create(pool=Pool.objects.get(name="chalk-one"), granted_by="tobias.wren")
    return estate


def attach(user: User, name: str = "chalk-vd", **more: Any) -> Lot:
    return drafted("attach_set", user, cluster="quayside", name=name, **more)


def machine(standins: StandIns, act: str, name: str = "tug-log", **more: Any) -> None:
    """What a person does with a machine on a host, and a new reading."""
    standins.control("machine", act=act, name=name, **more)
    reread(Device.objects.filter(name__in=["chalk", "quay-01"]))


def purposes() -> dict[str, int]:
    return dict(Counter(Volume.objects.filter(kind=Volume.Kind.MEMBER).values_list("purpose", flat=True)))


def test_a_set_is_mounted_on_every_host_and_undone_without_a_trace(granted: StandIns, ines: User) -> None:
    before = everything(granted)
    lot = attach(ines)
    assert lot.plan["array"] == "chalk"
    assert (lot.plan["board"]["seen"], lot.plan["board"]["expected"]) == (8, 10)
    run_to_end(lot)
    assert lot.state == Lot.State.DONE
    store = Datastore.objects.get(name="chalk-vd")
    assert store.mounts.count() == 3
    # It has no size of its own: the datastore is as large as the pool.
    assert store.capacity_bytes == Pool.objects.get(name="chalk-one").capacity_bytes
    rows = {row["figure"]: (row["predicted"], row["measured"]) for row in lot.outcome["rows"]}
    assert rows == {"hosts that mount it": (3, 3), "paths": (8, 8)}
    run_to_end(actions.undo(lot, ines))
    assert everything(granted) == before
    assert not Volume.objects.filter(name="chalk-vd").exists()


def test_the_draft_counts_the_volumes_that_the_machines_would_take(granted: StandIns, ines: User) -> None:
    lot = attach(ines)
    room = lot.plan["room"]
    machines = Machine.objects.filter(placement__host__cluster__name="quayside")
    assert room["needed"] == Disk.objects.filter(machine__in=machines).count() + machines.filter(power="On").count()
    assert (room["machines"], room["volumes_max"], room["sets"]) == (machines.count(), 60, 0)
    check = next(check for check in lot.checks if check["name"] == "volumes are enough")
    assert check["level"] == "warn"
    assert f"room for {room['machines_fit']} of {room['machines']} machines" in check["text"]


def test_every_disk_snapshot_and_swap_is_a_volume_that_comes_and_goes(granted: StandIns, ines: User) -> None:
    run_to_end(attach(ines))
    pool = Pool.objects.get(name="chalk-one")
    machine(granted, "create", host="quay-01", datastore="chalk-vd", disks=[100 * GIB, 20 * GIB])
    assert purposes() == {"disk": 2}
    machine(granted, "on")
    assert purposes() == {"disk": 2, "swap": 1}
    machine(granted, "snapshot", snapshot="before the upgrade")
    assert purposes() == {"disk": 2, "swap": 1, "snapshot": 2}
    pool.refresh_from_db()
    assert pool.allocated_bytes > 128 * GIB
    # What the volumes of a set were promised counts against the grant.
    assert promised_bytes()[pool.pk] == sum(Volume.objects.filter(kind="member").values_list("size_bytes", flat=True))
    disk = Disk.objects.get(name="tug-log disk 1")
    layers = signed_in("ines.marrow").get(f"/api/trace/disk/{disk.pk}/").json()["layers"]
    volumes = {link["name"] for layer in layers if layer["kind"] == "volume" for link in layer["links"]}
    # Its own volumes, and the set that its datastore is: not those of other disks there.
    assert volumes == {"chalk-vd", "tug-log disk 1", "tug-log disk 1 before the upgrade"}
    assert {layer["kind"] for layer in layers} >= {"pool", "array", "datastore", "host"}
    own = Volume.objects.get(name="tug-log disk 1")
    back = signed_in("ines.marrow").get(f"/api/trace/volume/{own.pk}/").json()["layers"]
    assert [link["name"] for layer in back if layer["kind"] == "disk" for link in layer["links"]] == ["tug-log disk 1"]
    machine(granted, "off")
    assert purposes() == {"disk": 2, "snapshot": 2}
    machine(granted, "delete")
    assert purposes() == {}
    pool.refresh_from_db()
    assert pool.allocated_bytes == 0


def test_the_trace_of_its_datastore_names_the_set_and_not_what_lives_in_it(granted: StandIns, ines: User) -> None:
    run_to_end(attach(ines))
    # By name this one comes before the set.
    machine(granted, "create", name="a-log", host="quay-01", datastore="chalk-vd", disks=[GIB])
    api = signed_in("ines.marrow")
    store, member = Datastore.objects.get(name="chalk-vd"), Volume.objects.get(kind=Volume.Kind.MEMBER)
    found = api.get(f"/api/trace/datastore/{store.pk}/").json()["volume"]
    assert (found["name"], found["kind"]) == ("chalk-vd", "set")
    assert api.get(f"/api/trace/volume/{member.pk}/").json()["volume"]["kind"] == "member"
    assert api.get(f"/api/trace/disk/{Disk.objects.get(name='a-log disk 1').pk}/").json()["volume"] is None


def findings() -> dict[str, Any]:
    return {row["kind"]: row for row in signed_in("ines.marrow").get("/api/rounds/").json()["findings"]}


def test_a_set_nearly_out_of_volumes_is_a_finding(granted: StandIns, ines: User) -> None:
    run_to_end(attach(ines))
    machine(granted, "create", host="quay-01", datastore="chalk-vd", disks=[GIB] * 47)
    assert "set_nearly_full" not in findings()
    machine(granted, "on")
    found = findings()["set_nearly_full"]
    assert (found["subject"], found["figures"]) == ("chalk-vd", {"held": 48, "most": 60})


def test_a_set_is_taken_away_only_when_nothing_is_on_it(granted: StandIns, ines: User) -> None:
    run_to_end(attach(ines))
    machine(granted, "create", host="quay-01", datastore="chalk-vd", disks=[GIB])
    volume = Volume.objects.get(name="chalk-vd")
    form = {"volume": volume.pk, "keep": False, "confirm": "chalk-vd"}
    refused = drafted("detach", ines, **form)
    assert any(check["level"] == "stop" and "tug-log disk 1" in check["text"] for check in refused.checks)
    machine(granted, "delete")
    lot = run_to_end(drafted("detach", ines, **form))
    assert lot.state == Lot.State.DONE
    assert [step.kind for step in lot.steps.all()][-1] == "delete_volume_set"
    assert "scan" not in {step.kind for step in lot.steps.all()}
    assert not Volume.objects.filter(serial=volume.serial).exists()


def test_a_set_that_one_host_does_not_mount_is_spread_to_it(granted: StandIns, ines: User) -> None:
    run_to_end(attach(ines))
    volume = Volume.objects.get(name="chalk-vd")
    session = session_with(Device.objects.get(name="quay-02"))
    act(session, "Unmount", Serial=volume.serial)
    reread(Device.objects.filter(name="quay-02"))
    lot = drafted("spread", ines, volume=volume.pk)
    assert list(lot.steps.values_list("kind", "device__name")) == [("mount_set", "quay-02")]
    run_to_end(lot)
    assert lot.state == Lot.State.DONE
    assert (lot.outcome["rows"][0]["before"], lot.outcome["rows"][0]["measured"]) == (2, 3)


@pytest.mark.parametrize("kind", ["spread", "detach", "use_volume"])
def test_a_volume_in_a_set_is_not_handled_by_itself(granted: StandIns, ines: User, kind: str) -> None:
    run_to_end(attach(ines))
    machine(granted, "create", host="quay-01", datastore="chalk-vd", disks=[GIB])
    member = Volume.objects.get(kind=Volume.Kind.MEMBER)
    lot = drafted(kind, ines, volume=member.pk)
    assert (lot.checks[0]["level"], lot.steps.count()) == ("stop", 0)


def test_an_idle_set_is_a_finding(granted: StandIns, ines: User) -> None:
    run_to_end(attach(ines))
    run_to_end(drafted("detach", ines, volume=Volume.objects.get(name="chalk-vd").pk, keep=True))
    rows = signed_in("ines.marrow").get("/api/rounds/").json()["findings"]
    found = next(row for row in rows if row["kind"] == "idle_volume" and row["subject"] == "chalk-vd")
    assert found["draft"]["action"] == "Delete the volume set"


def test_an_array_that_allows_no_more_sets_is_said_in_the_draft(granted: StandIns, ines: User) -> None:
    Device.objects.filter(name="chalk").update(set_limits={"sets": 0, "volumes": 60})
    assert "allows no more" in " ".join(check["text"] for check in attach(ines).checks)


def test_without_an_array_that_has_sets_nothing_is_offered(estate: StandIns, ines: User) -> None:
    Device.objects.filter(name="chalk").update(set_limits={})
    lot = attach(ines)
    assert (lot.plan["pools"], lot.steps.count()) == ([], 0)
    assert "No array with volume sets" in lot.checks[0]["text"]
