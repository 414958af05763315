"""Volumes that are there, reduced on the stand-ins: estimated, switched on, seen on both sides, grown back."""

from __future__ import annotations

import pytest

from conftest import StandIns
from movelot.accounts.models import User
from movelot.capacity.estimates import EstimateJob, foreseen, kept_estimate, reducible
from movelot.capacity.known import store_uses, uses
from movelot.devices.reading import reread
from movelot.inventory.models import Datastore, Device, Disk, Pool, Volume
from movelot.jobs.models import Job
from movelot.jobs.work import Running
from movelot.lots import actions
from movelot.lots.models import Lot
from movelot_core.capacity.ledger import pool_account, store_account
from server.tests.conftest import drafted, run_to_end
from server.tests.test_capacity import GIB, TIB, checks
from server.tests.test_faults import disk, on_a_set, store

BOTH = ["compression", "deduplication"]


def volume(name: str) -> Volume:
    return Volume.objects.get(name=name)


def home() -> Pool:
    return Pool.objects.get(name="shale-home")


def sampled(ines: User, *names: str) -> None:
    params = {"pool": volume(names[0]).pool_id, "volumes": [volume(name).pk for name in names]}
    job = Job.objects.create(kind="estimate_reduction", params=params, asked_by=ines)
    EstimateJob().do(Running(job))


def test_what_was_estimated_is_what_is_measured_and_grows_back(estate: StandIns, ines: User) -> None:
    held, pool = volume("sand-02").allocated_bytes, home().allocated_bytes
    sampled(ines, "sand-02")
    found = kept_estimate(home().pk)
    assert found is not None
    assert found.volumes[0].logical_bytes == pytest.approx(held, rel=1e-3)
    expected = foreseen(home().pk, [volume("sand-02").serial], BOTH)
    assert expected is not None
    lot = drafted("reduce", ines, volumes=[volume("sand-02").pk], ways=BOTH)
    assert "are expected to be left" in checks(lot, "pass")
    assert "To take it back" in checks(lot, "pass")
    done = run_to_end(lot)
    assert done.state == Lot.State.DONE
    after = volume("sand-02")
    assert sorted(after.reduced) == BOTH
    saved = held - after.allocated_bytes
    # The error of the saving is at most 5 %, and within three standard errors.
    assert abs(after.allocated_bytes - expected.left_bytes) <= min(0.05 * saved, 3 * expected.error_bytes + GIB)
    assert after.reduced_bytes == pytest.approx(saved, abs=2)
    assert pool - home().allocated_bytes == saved
    (row,) = done.outcome["rows"]
    assert (row["before"], row["predicted"], row["measured"]) == (held, expected.left_bytes, after.allocated_bytes)
    back = run_to_end(actions.undo(done, ines))
    assert back.state == Lot.State.DONE
    assert (volume("sand-02").allocated_bytes, volume("sand-02").reduced) == (held, [])


def test_growing_back_needs_the_room_and_says_so_before(estate: StandIns, ines: User) -> None:
    run_to_end(drafted("reduce", ines, volumes=[volume("sand-02").pk], ways=["deduplication"]))
    assert "GiB are needed, and shale-home has" in checks(
        drafted("reduce", ines, volumes=[volume("sand-02").pk], ways=[]), "pass"
    )
    Pool.objects.filter(name="shale-home").update(capacity_bytes=home().allocated_bytes + GIB)
    lot = drafted("reduce", ines, volumes=[volume("sand-02").pk], ways=[])
    assert "1.00 GiB free" in checks(lot, "stop")
    assert lot.steps.count() == 0


def test_what_cannot_be_reduced_says_why(estate: StandIns, ines: User) -> None:
    def refused(*names: str, ways: list[str]) -> str:
        lot = drafted("reduce", ines, volumes=[volume(name).pk for name in names], ways=ways)
        assert lot.steps.count() == 0
        return checks(lot, "stop")

    assert "granite-fast has no deduplication; it can do compression" in refused("berth-a", ways=["deduplication"])
    assert "basalt-deep has no compression; it can do neither" in refused("slate-01", ways=["compression"])
    assert "Choose volumes of one pool" in refused("sand-02", "berth-a", ways=["compression"])
    assert "slate-09 is thick" in refused("slate-09", ways=[])
    assert "They are reduced by nothing already" in refused("sand-02", ways=[])
    lot = drafted("reduce", ines, volumes=[volume("sand-02").pk], ways=["compression"])
    assert "Nobody has estimated what this saves" in checks(lot, "warn")


def test_only_what_lies_in_the_pool_can_be_sampled(estate: StandIns) -> None:
    assert [each.name for each in reducible(home())] == ["sand-02"]
    assert "slate-09" not in [each.name for each in reducible(Pool.objects.get(name="granite-mixed"))]
    assert kept_estimate(home().pk) is None
    assert foreseen(home().pk, [volume("sand-02").serial], BOTH) is None
    assert volume("sand-02").allocated_bytes < 3 * TIB


def held_of_set() -> int:
    """What the set holds, which is what its volumes hold; what the ledger says of its pool adds up."""
    found = uses()
    pool = Pool.objects.get(name="chalk-one")
    account = pool_account(pool.capacity_bytes, pool.allocated_bytes, [use for _row, use in found.volumes[pool.pk]])
    assert sum(account.layers.values()) + account.difference == pool.capacity_bytes
    members = Volume.objects.filter(kind=Volume.Kind.MEMBER).values_list("allocated_bytes", flat=True)
    held = volume("chalk-vd").allocated_bytes
    assert held == sum(members) == pool.allocated_bytes
    # So does what is said of the datastore, where hosts see as free what was saved.
    account = store_account(store_uses(Datastore.objects.filter(name="chalk-vd"))[store("chalk-vd")])
    assert account.difference == 0
    assert sum(account.layers.values()) == account.capacity_bytes
    return held


def test_one_disk_in_a_volume_set_is_reduced_by_itself(estate: StandIns, ines: User) -> None:
    on_a_set(estate, ines)
    before, other = held_of_set(), volume("tug-log disk 2").allocated_bytes
    sampled(ines, "tug-log disk 1")
    expected = foreseen(volume("tug-log disk 1").pool_id, [volume("tug-log disk 1").serial], ["deduplication"])
    assert expected is not None
    lot = drafted("reduce", ines, volumes=[volume("tug-log disk 1").pk], ways=["deduplication"])
    done = run_to_end(lot)
    assert done.state == Lot.State.DONE
    after = volume("tug-log disk 1")
    # A thick disk's zeros are kept once: 60 % are written.
    assert after.allocated_bytes == pytest.approx(60 * GIB, rel=1e-6)
    assert abs(after.allocated_bytes - expected.left_bytes) <= 3 * expected.error_bytes + GIB
    assert volume("tug-log disk 2").allocated_bytes == other
    assert before - held_of_set() == 100 * GIB - after.allocated_bytes
    assert run_to_end(actions.undo(done, ines)).state == Lot.State.DONE
    assert held_of_set() == before


def test_a_disk_in_a_volume_set_that_is_made_thin_returns_room_to_the_pool_at_once(
    estate: StandIns, ines: User
) -> None:
    on_a_set(estate, ines)
    before = held_of_set()
    done = run_to_end(drafted("make_thin", ines, disks=[disk("tug-log disk 1")]))
    assert done.state == Lot.State.DONE
    assert before - held_of_set() == 40 * GIB
    assert Datastore.objects.get(name="chalk-vd").free_bytes == done.outcome["rows"][0]["measured"]


def test_a_set_itself_and_its_swap_are_not_reduced(estate: StandIns, ines: User) -> None:
    on_a_set(estate, ines)
    estate.control("machine", act="on", name="tug-log")
    reread(Device.objects.all())
    for name in ("chalk-vd", "tug-log swap"):
        lot = drafted("reduce", ines, volumes=[volume(name).pk], ways=["deduplication"])
        assert "is reduced by the volumes of its disks" in checks(lot, "stop")
    names = [each.name for each in reducible(Pool.objects.get(name="chalk-one"))]
    assert names == ["tug-log disk 1", "tug-log disk 2"]


def linked(ines: User, name: str, **more: object) -> Lot:
    disks = [{"contents": f"linked:{disk('tug-log disk 1')}", **more}]
    return drafted("new_machine", ines, cluster="quayside", name=name, host="quay-02", disks=disks, then="off")


def test_linked_machines_take_no_room_for_what_they_have_in_common(estate: StandIns, ines: User) -> None:
    on_a_set(estate, ines)
    run_to_end(drafted("make_thin", ines, disks=[disk("tug-log disk 1")]))
    before = held_of_set()
    made = []
    for name in ("tug-log-02", "tug-log-03"):
        lot = linked(ines, name)
        assert "link_disk" in [step.kind for step in lot.steps.all()]
        made.append(run_to_end(lot))
        assert made[-1].state == Lot.State.DONE
    # 60 GiB are written of the disk, and there three times; they are held once, a third by each.
    assert held_of_set() == pytest.approx(before, abs=4)
    shares = [volume(name).allocated_bytes for name in ("tug-log disk 1", "tug-log-02 disk 1", "tug-log-03 disk 1")]
    assert shares == pytest.approx([20 * GIB] * 3, abs=2)
    assert Disk.objects.get(name="tug-log-02 disk 1").written_bytes == 60 * GIB
    # Without the one that the others were linked to, these have it still.
    estate.control("machine", act="delete", name="tug-log")
    reread(Device.objects.all())
    assert sum(volume(name).allocated_bytes for name in ("tug-log-02 disk 1", "tug-log-03 disk 1")) == pytest.approx(
        60 * GIB, abs=4
    )


def test_what_cannot_be_linked_says_why(estate: StandIns, ines: User) -> None:
    form = {"cluster": "quayside", "name": "late", "host": "quay-02", "then": "off"}
    lot = drafted("new_machine", ines, **form, disks=[{"contents": f"linked:{disk('payroll disk 1')}"}])
    assert "and not in a volume set: have it copied" in checks(lot, "stop")
    on_a_set(estate, ines)
    elsewhere = linked(ines, "late", datastore=store("berth-b"))
    assert "shares blocks with tug-log disk 1, and so lies on chalk-vd too" in checks(elsewhere, "stop")
    estate.control("machine", act="on", name="tug-log")
    reread(Device.objects.all())
    assert "tug-log is on" in checks(linked(ines, "late"), "stop")
    Device.objects.get(name="chalk").capabilities.filter(code="linked_clones").update(able=False)
    assert "chalk does not link disks in its volume sets" in checks(linked(ines, "late"), "stop")
