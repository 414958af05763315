"""Room that disks and machines take and need not: thick disks made thin, left swap deleted, quotas of exports."""

from __future__ import annotations

import pytest
from django.utils.timezone import now

from conftest import StandIns
from movelot.accounts.models import User
from movelot.capacity.known import uses
from movelot.capacity.left_behind import left_behind
from movelot.capacity.reclaim.swap import LeftSwap
from movelot.devices.file_systems import resize
from movelot.devices.reading import reread
from movelot.devices.session import session_with
from movelot.inventory.known_groups import known_group
from movelot.inventory.models import BalanceGroup, Datastore, Device, Disk, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from movelot.problems import Problem
from movelot_core.capacity.ledger import Layer, pool_account, store_account
from server.tests.conftest import drafted, run_to_end
from server.tests.test_capacity import GIB, TIB, checks, sizes
from server.tests.test_faults import crashed, disk, payroll, quota_given, snapshot_taken, store


def layers(name: str) -> dict[Layer, int]:
    account = store_account(uses().stores[store(name)])
    assert sum(account.layers.values()) + account.difference == account.capacity_bytes
    return dict(account.layers)


def dead_beneath(name: str) -> int:
    """What the volume of a datastore holds though nothing above uses it."""
    volume = Volume.objects.get(name=name)
    pool, found = volume.pool, uses()
    use = [use for row, use in found.volumes[pool.pk] if row == volume]
    return pool_account(volume.size_bytes, volume.allocated_bytes, use).layers.get(Layer.DEAD, 0)


def test_a_thick_disk_is_made_thin_and_thick_again(estate: StandIns, ines: User) -> None:
    found = Disk.objects.select_related("placement__datastore").get(name="payroll disk 1")
    home, back = found.placement.datastore, found.size_bytes - (found.written_bytes or 0)
    before = layers(home.name)
    dead = dead_beneath(home.name)
    lot = drafted("make_thin", ines, disks=[found.pk])
    assert "hold" in checks(lot, "pass")
    done = run_to_end(lot)
    assert done.state == Lot.State.DONE
    (row,) = done.outcome["rows"]
    assert row["predicted"] == row["measured"] == home.free_bytes + back
    found.refresh_from_db()
    assert found.thin
    assert found.taken_bytes == found.written_bytes
    # What was promised to it is free; the guest's own bytes are what they were.
    after = layers(home.name)
    assert after[Layer.FREE] - before[Layer.FREE] == before[Layer.PROMISED] - after[Layer.PROMISED] == back
    assert after[Layer.LIVE] == before[Layer.LIVE]
    # The volume beneath still holds what was never written, until its host gives that back.
    assert dead_beneath(home.name) == dead + back
    # The planner moves what it takes.
    group = known_group(BalanceGroup.objects.get(datastores=home))
    assert group.group.size_bytes[group.disk_index()[found.pk]] == found.written_bytes
    assert "already" in checks(drafted("make_thin", ines, disks=[found.pk]), "stop")
    assert run_to_end(actions.undo(done, ines)).state == Lot.State.DONE
    assert layers(home.name) == before


def test_a_disk_that_snapshots_keep_stays_thick(estate: StandIns, ines: User) -> None:
    snapshot_taken(estate, ines)
    lot = drafted("make_thin", ines, disks=[disk("payroll disk 1")])
    assert "merge them" in checks(lot, "stop")
    assert lot.steps.count() == 0


def test_a_thin_disk_that_moves_takes_what_was_written_there(estate: StandIns, ines: User) -> None:
    found = Disk.objects.get(name="payroll disk 1")
    assert run_to_end(drafted("make_thin", ines, disks=[found.pk])).state == Lot.State.DONE
    lot = drafted("balance", ines, group="quayside")
    sizes_moved = {step.params["name"]: step.params["size_bytes"] for step in lot.steps.filter(kind="move_disk")}
    assert all(size == Disk.objects.get(name=name).taken_bytes for name, size in sizes_moved.items())


def test_swap_that_a_machine_left_is_found_and_deleted(estate: StandIns, ines: User) -> None:
    assert list(LeftSwap().gains(uses(), now())) == []
    crashed(estate, ines)
    (gain,) = LeftSwap().gains(uses(), now())
    home = Datastore.objects.get(name=gain.place)
    assert gain.remedy is not None
    # It is known, and so is no file that nobody knows.
    layers(home.name)
    done = run_to_end(drafted(gain.remedy.kind, ines, **gain.remedy.form))
    assert done.state == Lot.State.DONE
    (row,) = done.outcome["rows"]
    assert row["predicted"] == row["measured"] == home.free_bytes + gain.size_bytes
    assert list(LeftSwap().gains(uses(), now())) == []
    assert "None of them has left any" in checks(drafted("delete_swap", ines, machines=[payroll()]), "stop")


def test_a_machine_that_is_switched_on_meanwhile_keeps_its_swap(estate: StandIns, ines: User) -> None:
    crashed(estate, ines)
    lot = drafted("delete_swap", ines, machines=[payroll()])
    estate.control("machine", act="on", name="payroll")
    with pytest.raises(Problem, match="changed since this lot was checked"):
        run_to_end(lot)
    assert next(each for each in estate.world()["machines"] if each["name"] == "payroll")["power"] == "On"


def test_an_export_grows_with_its_quota_and_gives_no_more_than_is_wanted(estate: StandIns, ines: User) -> None:
    quota_given(estate, ines)
    lot = drafted("grow", ines, datastores=[store("sand-01")], how="by", amount="1 TiB")
    assert "quota of its export 6.00 TiB → 7.00 TiB" in checks(lot, "pass")
    assert {step.kind for step in lot.steps.all()} == {"resize_file_system", "set_quota", "see_export"}
    done = run_to_end(lot)
    assert done.state == Lot.State.DONE
    assert sizes(estate, "sand-01") == (7 * TIB, 7 * TIB)
    assert run_to_end(actions.undo(done, ines)).state == Lot.State.DONE
    assert sizes(estate, "sand-01") == (6 * TIB, 6 * TIB)


def test_a_file_system_that_was_grown_alone_is_found_and_its_quota_follows(estate: StandIns, ines: User) -> None:
    quota_given(estate, ines)
    session, volume = session_with(Device.objects.get(name="shale")), Volume.objects.get(name="sand-01")
    resize(session, session.get(volume.uri), 8 * TIB)
    reread(Device.objects.all())
    assert sizes(estate, "sand-01") == (8 * TIB, 6 * TIB)
    behind = {each.datastore.name: each.missing_bytes for each in left_behind(uses())}
    assert behind["sand-01"] == 2 * TIB
    # Half of it is wanted: no room of the pool is needed, and the quota gives so much.
    half = drafted("grow", ines, datastores=[store("sand-01")], how="by", amount="1 TiB")
    assert {step.kind for step in half.steps.all()} == {"set_quota", "see_export"}
    assert run_to_end(half).state == Lot.State.DONE
    assert sizes(estate, "sand-01") == (8 * TIB, 7 * TIB)
    assert run_to_end(drafted("grow", ines, datastores=[store("sand-01")], how="rest")).state == Lot.State.DONE
    assert sizes(estate, "sand-01") == (8 * TIB, 8 * TIB)


def test_a_quota_is_never_below_what_is_used(estate: StandIns, ines: User) -> None:
    quota_given(estate, ines)
    tight = drafted("shrink", ines, datastores=[store("sand-01")], how="fill", amount="90 %")
    assert run_to_end(tight).state == Lot.State.DONE
    volume, given = sizes(estate, "sand-01")
    assert volume == given < 6 * TIB
    assert given > 2 * GIB
