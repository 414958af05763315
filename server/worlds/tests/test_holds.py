"""What lots hold against one another on different devices: disks, volumes, names of datastores, and room."""

from __future__ import annotations

from typing import Any

import pytest
from django.db import OperationalError, connection, transaction

from movelot.accounts.models import User
from movelot.inventory.models import Datastore, Device
from movelot.lots.holding import hold, let_go
from movelot.lots.models import Hold, Lot, Step
from movelot.lots.steps.base import StepKind
from movelot.lots.steps.hosts import FormatDevice, Mount, Scan, Unmount, WipeDevice
from movelot.lots.steps.move_disk import MoveDisk
from movelot.lots.steps.raw import GiveVolume
from movelot.lots.steps.volumes import DeleteVolume
from movelot.problems import Problem
from server.worlds.tests.world import GIB, World

# A device, and a step on it.
ON = tuple[str, StepKind[Any]]


@pytest.fixture
def quays(world: World) -> World:
    """Two hosts that mount berth-a and berth-b on granite, and one of another cluster."""
    world.array("granite", fast=10)
    for name in ("quay-1", "quay-2"):
        world.host(name)
    world.host("gate-1", "gatehouse")
    hosts = ("quay-1", "quay-2")
    for name in ("berth-a", "berth-b"):
        serial = world.volume("granite", "fast", name, 1, hosts)
        world.datastore(name, [serial], 1, 0.5, hosts)
    world.machine("payroll", "quay-1", one=("berth-a", 100), two=("berth-a", 200))
    world.read()
    return world


def move(disk: str, gib: int, source: str = "berth-a", target: str = "berth-b") -> MoveDisk:
    serials = {name: f"6002-granite-{name}" for name in (source, target)}
    return MoveDisk(
        disk=f"payroll-{disk}",
        machine="payroll",
        name=f"payroll {disk}",
        size_bytes=gib * GIB,
        source=f"ds-{source}",
        source_name=source,
        source_serial=serials[source],
        target=f"ds-{target}",
        target_name=target,
        target_serial=serials[target],
    )


def started(person: User, *steps: ON) -> Lot:
    """A lot of these steps, each on a device, that holds what it works on."""
    lot = Lot.objects.create(kind="balance", title="made for a test", created_by=person, state=Lot.State.RUNNING)
    for position, (device, step) in enumerate(steps):
        Step.objects.create(
            lot=lot,
            position=position,
            key=f"key-{lot.pk}-{position}",
            kind=step.kind,
            device=Device.objects.get(name=device),
            title=step.kind,
            params=step.model_dump(mode="json"),
        )
    with transaction.atomic():
        hold(lot)
    return lot


A = "6002-granite-berth-a"
MOVE_ONE = ("quay-1", move("one", 100))
DELETE = DeleteVolume(uri="/granite/volumes/berth-a", name="berth-a")
UNMOUNT = ("quay-2", Unmount(serial=A, name="berth-a"))


@pytest.mark.parametrize(
    ("first", "second", "said"),
    [
        (MOVE_ONE, ("quay-2", move("one", 100)), "works on disk payroll one"),
        (MOVE_ONE, UNMOUNT, "works on volume berth-a"),
        (UNMOUNT, MOVE_ONE, "works on volume berth-a"),
        (("quay-1", Mount(serial=A, name="berth-a")), UNMOUNT, "works on volume berth-a"),
        (("quay-1", Mount(serial=A, name="berth-a")), ("granite", DELETE), "works on volume berth-a"),
        (("quay-1", WipeDevice(serial=A, name="berth-a")), MOVE_ONE, "runs on quay-1"),
        (
            ("quay-1", GiveVolume(machine="payroll", serial="6002-x", name="x", shared=False)),
            ("quay-2", FormatDevice(serial="6002-x", name="berth-c")),
            "works on volume x",
        ),
        (
            ("quay-1", FormatDevice(serial="6002-x", name="berth-c")),
            ("quay-2", FormatDevice(serial="6002-y", name="berth-c")),
            "works on datastore name berth-c",
        ),
    ],
)
def test_what_a_lot_works_on_is_kept_from_lots_on_other_devices(
    quays: World, ines: User, first: ON, second: ON, said: str
) -> None:
    lot = started(ines, first)
    with pytest.raises(Problem) as refused:
        started(ines, second)
    assert (refused.value.code, refused.value.title) == ("held", f"Lot {lot.pk} {said}.")
    let_go(lot)
    assert started(ines, second).pk


@pytest.mark.parametrize(
    ("first", "second"),
    [
        (MOVE_ONE, ("quay-2", move("two", 200))),
        (("quay-1", Mount(serial=A, name="berth-a")), ("quay-2", Mount(serial=A, name="berth-a"))),
        (MOVE_ONE, ("quay-2", Scan(serials=[A], present=True))),
        (
            ("quay-1", FormatDevice(serial="6002-x", name="berth-c")),
            ("gate-1", FormatDevice(serial="6002-y", name="berth-c")),
        ),
    ],
)
def test_what_may_go_on_side_by_side_does(quays: World, ines: User, first: ON, second: ON) -> None:
    assert {started(ines, step).pk for step in (first, second)} == set(Hold.objects.values_list("lot", flat=True))


def test_room_that_a_lot_still_takes_is_not_given_twice(quays: World, ines: User) -> None:
    Datastore.objects.filter(name="berth-b").update(free_bytes=250 * GIB)
    first = started(ines, MOVE_ONE)
    with pytest.raises(Problem) as refused:
        started(ines, ("quay-2", move("two", 200)))
    assert refused.value.title == (
        f"berth-b has 250 GiB free: lot {first.pk} still brings 100 GiB there, and this one 200 GiB."
    )
    # What leaves makes room, and what has arrived is in the reading.
    swap = ("quay-2", move("two", 200)), ("quay-2", move("three", 60, "berth-b", "berth-a"))
    lot = started(ines, *swap)
    let_go(lot)
    first.steps.update(state=Step.State.DONE)
    assert started(ines, ("quay-2", move("two", 200))).pk


def test_while_it_is_not_known_what_a_step_did_its_lot_keeps_the_things(quays: World, ines: User) -> None:
    lot = started(ines, MOVE_ONE, ("quay-2", Scan(serials=[A], present=True)))
    lot.steps.filter(position=0).update(state=Step.State.UNKNOWN)
    Lot.objects.filter(pk=lot.pk).update(state=Lot.State.FAILED)
    let_go(lot)
    with pytest.raises(Problem) as refused:
        started(ines, ("quay-2", move("one", 100)))
    assert refused.value.title == f"It is not known yet what lot {lot.pk} did last on disk payroll one."
    assert started(ines, ("quay-2", Scan(serials=[A], present=True))).pk


def test_two_that_start_at_once_do_so_one_after_the_other(quays: World, ines: User) -> None:
    other = connection.copy()
    other.set_autocommit(False)
    with other.cursor() as cursor, connection.cursor() as own:
        cursor.execute("SELECT id FROM lots_holdbook WHERE id = 1 FOR UPDATE")
        assert cursor.fetchall()
        own.execute("SET innodb_lock_wait_timeout = 1")
        with pytest.raises(OperationalError, match="Lock wait"), transaction.atomic():
            started(ines, MOVE_ONE)
        own.execute("SET innodb_lock_wait_timeout = DEFAULT")
    other.rollback()
    other.close()
    assert started(ines, MOVE_ONE).pk
