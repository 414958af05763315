"""Pools that are retired and datastores made anew, on the stand-ins: emptied, taken away, seen on all sides."""

from __future__ import annotations

import pytest

from conftest import StandIns
from movelot.accounts.models import User
from movelot.attach.emptying import emptying
from movelot.devices.errors import DeviceError
from movelot.devices.session import session_with
from movelot.inventory.changes import everything_changed
from movelot.inventory.labels import labels_of_many, set_labels
from movelot.inventory.models import BalanceGroup, Datastore, Disk, Machine, Pool, Volume
from movelot.lots import actions
from movelot.lots.models import Lot, Step
from movelot.lots.steps.base import StepRun
from movelot.lots.stored import step_of
from movelot.problems import Problem
from server.tests.conftest import drafted, run_to_end
from server.tests.test_capacity import TIB, checks
from server.tests.test_faults import granted, store


def pool(name: str) -> int:
    return Pool.objects.get(name=name).pk


def test_a_pool_is_emptied_taken_from_all_hosts_and_deleted(estate: StandIns, ines: User) -> None:
    assert "Type basalt-bulk" in checks(drafted("retire", ines, pools=[pool("basalt-bulk")]), "stop")
    lot = drafted("retire", ines, pools=[pool("basalt-bulk")], confirm="basalt-bulk")
    moved = [copy["disk"] for copy in lot.plan["copies"]]
    assert moved
    done = run_to_end(lot)
    assert done.state == Lot.State.DONE
    world = estate.world()
    assert "slate-03" not in {each["name"] for each in (*world["volumes"], *world["datastores"])}
    assert [each["array"] for each in world["pools"] if each["name"] == "basalt-bulk"] == [""]
    assert not Pool.objects.filter(name="basalt-bulk").exists()
    assert not Volume.objects.filter(name="slate-03").exists()
    assert set(Disk.objects.filter(name__in=moved).values_list("placement__datastore__name", flat=True)) == {
        copy["target"] for copy in lot.plan["copies"]
    }
    assert all(row["predicted"] == row["measured"] == 0 for row in done.outcome["rows"])
    with pytest.raises(Problem) as refused:
        actions.undo(done, ines)
    assert refused.value.code == "irreversible"


def test_kept_on_the_array_it_can_be_taken_back(estate: StandIns, ines: User) -> None:
    before = Disk.objects.filter(placement__datastore__name="slate-03").count()
    done = run_to_end(drafted("retire", ines, pools=[pool("basalt-bulk")], keep=True))
    assert done.state == Lot.State.DONE
    assert not Datastore.objects.filter(name="slate-03").exists()
    assert Volume.objects.get(name="slate-03").offers.count() == 0
    assert {row["figure"]: row["measured"] for row in done.outcome["rows"]} == {"disks on it": 0, "volumes offered": 0}
    run_to_end(actions.undo(done, ines))
    assert Disk.objects.filter(placement__datastore__name="slate-03").count() == before > 0


def test_pools_that_leave_together_give_one_another_nothing(estate: StandIns, ines: User) -> None:
    lot = drafted("retire", ines, pools=[pool("shale-deep"), pool("shale-home")], keep=True)
    ends = {copy["target"] for copy in lot.plan["copies"]} | {row["target"] for row in lot.plan["files"]}
    left = {volume["datastore"] for volume in lot.plan["volumes"]} - {""}
    assert left == {"sand-01", "sand-02"}
    assert not ends & left
    assert checks(lot, "stop") or ends
    mixed = drafted("retire", ines, pools=[pool("shale-deep"), pool("chalk-one")])
    assert "Choose pools of one array" in checks(mixed, "stop")


def test_what_cannot_go_is_told_and_nothing_is_drafted_for_half_of_it(estate: StandIns, ines: User) -> None:
    lot = drafted("retire", ines, pools=[pool("granite-mixed")], confirm="granite-mixed")
    told = checks(lot, "stop")
    assert lot.steps.count() == 0
    assert "berth-f is used by image installer images" in told
    assert "berth-d is used by new machines of quay-01" in told
    assert "berth-c is used by disk customs-test disk 1, which no machine has" in told
    assert "serves its policy and is mounted by all hosts" in told
    Disk.objects.filter(placement__datastore__name="slate-03").update(pinned=True)
    everything_changed()
    pinned = drafted("retire", ines, pools=[pool("basalt-bulk")], keep=True)
    assert "pinned where they lie" in checks(pinned, "stop")
    assert pinned.steps.count() == 0


def test_the_pool_stays_if_somebody_puts_a_volume_into_it_meanwhile(estate: StandIns, ines: User) -> None:
    lot = drafted("retire", ines, pools=[pool("chalk-one")], confirm="chalk-one")
    assert [step.title for step in lot.steps.all()] == ["Delete pool chalk-one"]
    granted(estate, ines)
    form = {"cluster": "quayside", "name": "chalk-a", "size": "1 TiB", "pools": [pool("chalk-one")]}
    run_to_end(drafted("attach", ines, **form))
    with pytest.raises(Problem) as stale:
        actions.run(lot)
    assert stale.value.code == "stale"
    # Between the check and the step the array itself refuses.
    step = Step.objects.select_related("device").get(lot=lot, kind="delete_pool")
    with pytest.raises(DeviceError) as kept:
        step_of(step, {}).begin(StepRun(step.key, session_with(step.device)))
    assert "still holds volumes" in kept.value.message
    assert Pool.objects.filter(name="chalk-one").exists()


def test_a_datastore_is_made_anew_smaller_and_keeps_what_people_decided(estate: StandIns, ines: User) -> None:
    group = BalanceGroup.objects.get(name="quayside")
    set_labels("datastore", store("slate-03"), ["media=slow"])
    before = Volume.objects.get(name="slate-03")
    assert "Type slate-03" in checks(drafted("remake", ines, datastore=store("slate-03"), size="2 TiB"), "stop")
    lot = drafted("remake", ines, datastore=store("slate-03"), size="2 TiB", confirm="slate-03")
    done = run_to_end(lot)
    assert done.state == Lot.State.DONE
    after, made = Volume.objects.get(name="slate-03"), Datastore.objects.get(name="slate-03")
    assert after.serial != before.serial
    assert (after.size_bytes, made.capacity_bytes, made.mounts.count()) == (2 * TIB, 2 * TIB, 3)
    assert labels_of_many("datastore", [made.pk]) == {made.pk: ["media=slow"]}
    assert made.membership.group == group
    assert {(row["figure"], row["predicted"] == row["measured"]) for row in done.outcome["rows"]} == {
        ("capacity in bytes", True),
        ("hosts that mount it", True),
    }


def test_it_is_not_made_anew_larger_nor_on_an_export(estate: StandIns, ines: User) -> None:
    larger = drafted("remake", ines, datastore=store("slate-03"), size="20 TiB", confirm="slate-03")
    assert "to make it larger, grow it" in checks(larger, "stop")
    assert "is not a size" in checks(drafted("remake", ines, datastore=store("slate-03"), size="much"), "stop")
    export = drafted("remake", ines, datastore=store("sand-01"), size="1 TiB", confirm="sand-01")
    assert "one block volume" in checks(export, "stop")


def test_own_files_go_where_the_disks_go(estate: StandIns, ines: User) -> None:
    leaving = Datastore.objects.get(name="slate-03")
    found = emptying([leaving])
    homes = set(Machine.objects.filter(home=leaving.identity).values_list("name", flat=True))
    assert {machine.name for machine, _source, _target in found.files} == homes
    targets = {copy.target for copy in found.copies}
    assert all(target.name in targets for _machine, _source, target in found.files)
    assert all(copy.end > copy.start for copy in found.copies)
