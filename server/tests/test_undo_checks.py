"""What would stop an undo is said when it is drafted, from the last reading, and nothing is begun."""

from __future__ import annotations

from typing import Any

import pytest

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.reading import reread
from movelot.inventory.models import Datastore, Device, Disk, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from movelot.problems import Problem
from server.tests.conftest import drafted, run_to_end
from server.tests.test_faults import whole
from server.tests.test_masking import checks_of

GIB = 1024**3


def attached(user: User, **more: Any) -> Lot:
    form = {"cluster": "quayside", "name": "berth-e", "size": "1 TiB", "pools": ["granite-mixed"], **more}
    return run_to_end(drafted("attach", user, **form))


def stopped(lot: Lot, standins: StandIns, user: User) -> str:
    """What stops the undo of a lot; running it changes nothing."""
    before = whole(standins)
    undo = actions.undo(lot, user)
    with pytest.raises(Problem) as problem:
        actions.run(undo)
    assert problem.value.code == "check_stops"
    assert whole(standins) == before
    return checks_of(undo, "stop")


def test_a_volume_that_another_lot_took_away(estate: StandIns, ines: User) -> None:
    lot = attached(ines)
    away = drafted("detach", ines, volume=Volume.objects.get(name="berth-e").pk, confirm="berth-e")
    assert run_to_end(away).state == Lot.State.DONE
    assert "Volume berth-e is no longer on granite." in stopped(lot, estate, ines)


def test_a_datastore_that_has_a_disk_by_now(estate: StandIns, ines: User) -> None:
    lot = attached(ines)
    host = str(lot.steps.filter(kind="mount").last().device)  # type: ignore[union-attr]
    estate.control("machine", act="create", name="tug-new", host=host, datastore="berth-e", disks=[GIB])
    reread(Device.objects.all())
    assert f"tug-new disk 1 is on berth-e, which {host} keeps mounted for it." in stopped(lot, estate, ines)


def test_a_disk_that_went_elsewhere_and_a_source_that_filled(estate: StandIns, ines: User) -> None:
    disk = Disk.objects.filter(placement__datastore__name="berth-a", size_bytes__gt=GIB).order_by("size_bytes")[0]
    berths = {store.name: store.pk for store in Datastore.objects.filter(name__startswith="berth-")}

    def move(target: str) -> Lot:
        return run_to_end(
            drafted("balance", ines, group="quayside", moves=[{"disk": disk.pk, "target": berths[target]}])
        )

    first = move("berth-b")
    second = move("berth-c")
    assert f"{disk.name} is no longer on berth-b." in stopped(first, estate, ines)
    estate.control("grow", datastore="berth-b", bytes=Datastore.objects.get(name="berth-b").free_bytes - GIB)
    reread(Device.objects.all())
    assert "berth-b is " in stopped(second, estate, ines)
