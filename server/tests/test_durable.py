"""Things stay while readings come and go: history, labels, pins, grants and memberships are kept."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.utils.timezone import now
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule, run_state_machine_as_test
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.devices.reading import reread
from movelot.inventory.known_groups import known_group
from movelot.inventory.models import (
    BalanceGroup,
    Datastore,
    Device,
    Disk,
    DiskDay,
    Grant,
    Machine,
    Pool,
    PoolHour,
    Volume,
)
from movelot.inventory.retention import forget_gone
from movelot.inventory.store import unlink
from server.tests.conftest import link_card, signed_in

MACHINES = ("payroll", "manifest-api", "weighbridge")
STORES = ("berth-a", "berth-b", "slate-01")
POOLS = ("granite-fast", "granite-mixed", "basalt-deep")
HOSTS = ("quay-01", "quay-02", "quay-03")


def read_all() -> None:
    assert reread(Device.objects.all()) == {}


def kept() -> dict[str, Any]:
    """All that must outlive any reading, by primary key."""
    return {
        "machines": set(Machine.known.values_list("pk", "identity")),
        "disks": set(Disk.known.values_list("pk", "identity")),
        "datastores": set(Datastore.known.values_list("pk", "identity")),
        "pools": set(Pool.known.values_list("pk", "identity")),
        "volumes": set(Volume.known.values_list("pk", "serial")),
        "load days": DiskDay.objects.count(),
        "pool hours": PoolHour.objects.count(),
        "pinned": set(Disk.known.filter(pinned=True).values_list("pk", flat=True)),
        "grants": set(Grant.objects.values_list("pool", "quota_bytes")),
        "labels": {
            (kind, pk)
            for kind, model in LABELLED.items()
            for pk in model.known.filter(labels__key="keep").values_list("pk", flat=True)
        },
        "members": set(BalanceGroup.objects.values_list("name", "members__datastore")),
    }


LABELLED: dict[str, Any] = {"machine": Machine, "disk": Disk, "datastore": Datastore, "pool": Pool}


def decide() -> None:
    """What people decide about things."""
    for name in MACHINES:
        machine = Machine.objects.get(name=name)
        machine.labels.create(key="keep", value="me")
        disk = machine.disks.first()
        disk.labels.create(key="keep", value="me")
        Disk.objects.filter(pk=disk.pk).update(pinned=True)
    for model, names in ((Datastore, STORES), (Pool, POOLS)):
        for thing in model.objects.filter(name__in=names):  # type: ignore[attr-defined]
            thing.labels.create(key="keep", value="me")


class Wandering(RuleBasedStateMachine):
    """Machines move, things are renamed, left out of lists and listed again, devices are read in any order."""

    standins: StandIns

    def __init__(self) -> None:
        super().__init__()
        self.standins.control("reset")
        read_all()
        self.names = (
            {("machine", n): n for n in MACHINES}
            | {("datastore", n): n for n in STORES}
            | {("pool", n): n for n in POOLS}
        )
        self.hidden: set[tuple[str, str]] = set()
        self.before = kept()

    things = st.sampled_from(
        [*(("machine", n) for n in MACHINES), *(("datastore", n) for n in STORES), *(("pool", n) for n in POOLS)]
    )

    @rule(name=st.sampled_from(MACHINES), host=st.sampled_from(HOSTS))
    def migrate(self, name: str, host: str) -> None:
        self.standins.control("wander", act="migrate", name=self.names["machine", name], to=host)

    @rule(thing=things, word=st.sampled_from(["one", "two"]))
    def rename(self, thing: tuple[str, str], word: str) -> None:
        to = f"{thing[1]}-{word}"
        if self.names[thing] != to:
            self.standins.control("wander", act="rename", kind=thing[0], name=self.names[thing], to=to)
            self.names[thing] = to

    @rule(thing=things)
    def hide(self, thing: tuple[str, str]) -> None:
        self.standins.control("wander", act="hide", kind=thing[0], name=self.names[thing])
        self.hidden.add(thing)

    @rule(thing=things)
    def show(self, thing: tuple[str, str]) -> None:
        self.standins.control("wander", act="show", kind=thing[0], name=self.names[thing])
        self.hidden.discard(thing)

    @rule(names=st.lists(st.sampled_from([*HOSTS, "granite", "basalt"]), min_size=1, unique=True))
    def read_some(self, names: list[str]) -> None:
        for name in names:
            assert reread(Device.objects.filter(name=name)) == {}

    @invariant()
    def nothing_is_lost(self) -> None:
        assert kept() == self.before

    def teardown(self) -> None:
        """Listed and read again all is there, under its last name, where it is now."""
        for kind, name in self.hidden:
            self.standins.control("wander", act="show", kind=kind, name=self.names[kind, name])
        read_all()
        assert kept() == self.before
        for (kind, _), name in self.names.items():
            assert LABELLED[kind].objects.filter(name=name, labels__key="keep").count() == 1, (kind, name)
        world = self.standins.world()
        hosts = {machine["name"]: machine["host"] for machine in world["machines"]}
        assert {machine.name: machine.host.name for machine in Machine.objects.all()} == hosts
        placed = dict(Disk.objects.values_list("identity", "placement__datastore__identity"))
        assert placed == self.standins.placement()
        self.standins.control("reset")
        read_all()


def test_history_labels_and_pins_outlive_any_order_of_readings(estate: StandIns) -> None:
    decide()
    Wandering.standins = estate
    run_state_machine_as_test(  # type: ignore[no-untyped-call]
        Wandering,
        settings=settings(
            max_examples=6, stateful_step_count=12, deadline=None, suppress_health_check=list(HealthCheck)
        ),
    )


def test_a_machine_that_moves_keeps_its_row_and_only_its_placement_changes(estate: StandIns) -> None:
    machine = Machine.objects.select_related("placement__host").get(name="payroll")
    hours = DiskDay.objects.filter(disk__machine=machine).count()
    since, target = machine.placement.since, "quay-02" if machine.host.name != "quay-02" else "quay-01"
    assert hours
    estate.control("wander", act="migrate", name="payroll", to=target)
    read_all()
    moved = Machine.objects.get(identity=machine.identity)
    assert (moved.pk, moved.host.name) == (machine.pk, target)
    assert moved.placement.since > since
    assert DiskDay.objects.filter(disk__machine=moved).count() == hours
    read_all()
    assert Machine.objects.get(pk=machine.pk).placement.since == moved.placement.since


def test_a_pool_that_one_reading_leaves_out_keeps_grant_volumes_and_hours(estate: StandIns, api: APIClient) -> None:
    pool = Pool.objects.get(name="granite-fast")
    held = (pool.grant.quota_bytes, set(pool.volumes.values_list("pk", flat=True)), pool.hours.count())
    estate.control("wander", act="hide", kind="pool", name="granite-fast")
    read_all()
    assert not Pool.objects.filter(name="granite-fast").exists()
    gone = Pool.known.get(pk=pool.pk)
    assert gone.gone_at is not None
    assert (gone.grant.quota_bytes, set(gone.volumes.values_list("pk", flat=True)), gone.hours.count()) == held
    assert "granite-fast" not in {row["name"] for row in api.get("/api/attach/grants/").json()}
    estate.control("wander", act="show", kind="pool", name="granite-fast")
    read_all()
    assert Pool.objects.get(name="granite-fast").pk == pool.pk


def test_an_unlinked_device_comes_back_with_all_that_was_decided(estate: StandIns) -> None:
    decide()
    device = Device.objects.get(name="granite")
    machines = set(Machine.known.values_list("pk", flat=True))
    before = kept()
    unlink(device)
    assert not Device.objects.filter(name="granite").exists()
    assert not Pool.objects.filter(device=device).exists()
    assert Device.known.get(pk=device.pk).sealed_password == b""
    again = link_card(estate.cards["granite"])
    assert again.pk == device.pk
    assert kept() == before
    unlink(Device.objects.get(name="quay-01"))
    assert Machine.objects.filter(placement__host__name="quay-01").count() == 0
    assert set(Machine.known.values_list("pk", flat=True)) == machines
    link_card(estate.cards["quay-01"])
    assert kept() == before


def test_what_is_gone_is_kept_for_the_retention(estate: StandIns, settings: Any) -> None:
    settings.GONE_KEPT_DAYS = 400
    machine = Machine.objects.get(name="payroll")
    estate.control("wander", act="hide", name="payroll")
    read_all()
    moment = now()
    assert forget_gone(moment + timedelta(days=399)) == 0
    assert Machine.known.filter(pk=machine.pk).exists()
    count = 1 + Disk.known.filter(machine=machine).count()
    assert forget_gone(moment + timedelta(days=401)) == count
    assert not Machine.known.filter(pk=machine.pk).exists()
    assert not DiskDay.objects.filter(disk__machine=machine.pk).exists()


def test_a_device_that_lots_tell_of_is_unlinked_and_the_history_keeps_its_name(
    estate: StandIns, api: APIClient
) -> None:
    lot = api.post("/api/lots/", {"kind": "uplinks", "form": {"host": "quay-03"}}, format="json").json()
    device = Device.objects.get(name="quay-03")
    assert api.delete(f"/api/devices/{device.pk}/").status_code == 204
    found = api.get(f"/api/lots/{lot['summary']['id']}/").json()
    assert {step["device"] for step in found["steps"]} == {"quay-03"}
    answer = api.post(f"/api/lots/{lot['summary']['id']}/run/")
    assert answer.status_code == 409


@pytest.mark.parametrize("kind", ["machine", "pool"])
def test_two_things_of_one_name_have_labels_of_their_own(estate: StandIns, api: APIClient, kind: str) -> None:
    model = {"machine": Machine, "pool": Pool}[kind]
    first, second = model.objects.order_by("pk")[:2]  # type: ignore[attr-defined]
    model.objects.filter(pk=second.pk).update(name=first.name)  # type: ignore[attr-defined]
    api.put(f"/api/labels/{kind}/{first.pk}/", {"labels": ["team=one"]}, format="json")
    assert api.get(f"/api/labels/{kind}/{second.pk}/").json() == {"labels": []}


def test_a_group_keeps_its_members_whoever_mounts_them(estate: StandIns) -> None:
    """berth-j is gatehouse's; mounted on quay-01 as well it stays in its group, which knows both clusters."""
    group = BalanceGroup.objects.get(name="gatehouse")
    store = Datastore.objects.get(name="berth-j")
    assert store.membership.group == group
    quay = Device.objects.get(name="quay-01")
    quay.mounts.create(datastore=store)
    assert [cluster.name for cluster in group.clusters()] == ["gatehouse", "quayside"]
    Device.objects.filter(name__startswith="gate").update(digest="")
    reread(Device.objects.filter(name__startswith="gate"))
    assert Datastore.objects.get(pk=store.pk).membership.group == group


def test_a_datastore_on_a_hosts_own_drives_is_seen_and_has_no_latency(estate: StandIns, api: APIClient) -> None:
    group = BalanceGroup.objects.get(name="quayside")
    quay = Device.objects.get(name="quay-01")
    store = Datastore.objects.create(
        identity="ds-local",
        name="quay-01-local",
        capacity_bytes=10**12,
        free_bytes=10**11,
        other_bytes=9 * 10**11,
    )
    store.extents.create(number=0, serial="drive-1", since=now())
    quay.mounts.create(datastore=store)
    group.members.create(datastore=store)
    from movelot.inventory.changes import everything_changed

    everything_changed()
    found = known_group(group)
    assert "quay-01-local" in found.group.datastores
    board = api.get("/api/balance/groups/quayside/").json()
    (stack,) = [each for each in board["datastores"] if each["name"] == "quay-01-local"]
    (pool,) = [each for each in board["pools"] if each["id"] == stack["pool"]]
    assert (pool["known"], pool["over"], stack["over"]) == (False, False, True)
    assert {(f["kind"], f["subject"]) for f in api.get("/api/rounds/").json()["findings"]} >= {
        ("over_fill", "quay-01-local")
    }


def test_the_auditor_unlinks_nothing(estate: StandIns) -> None:
    device = Device.objects.get(name="quay-03")
    assert signed_in("auditor").delete(f"/api/devices/{device.pk}/").status_code == 403
    assert Device.objects.filter(pk=device.pk).exists()
