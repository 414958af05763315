"""What is done with machines, on hosts as they are: switched, kept, enlarged, moved, made, deleted."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.reading import reread
from movelot.findings.judging import judge_due
from movelot.inventory.changes import people_said
from movelot.inventory.models import (
    Datastore,
    Device,
    Disk,
    GivenPolicy,
    Machine,
    MachineSnapshot,
    Policy,
    PolicyVersion,
    PolicyWish,
)
from movelot.lots import actions
from movelot.lots.kinds import REGISTRY
from movelot.lots.models import Lot, Step
from movelot.lots.runner import Driver
from server.tests.conftest import drafted, run_to_end
from server.tests.test_masking import checks_of
from server.tests.test_step_kinds import disk_on_a_set

GIB = 1024**3
# The datastores on flash.
FLASH = {"berth-a", "berth-b", "sand-02"}


def key(name: str) -> int:
    return Machine.objects.get(name=name).pk


def told(standins: StandIns, name: str) -> dict[str, Any]:
    return next(machine for machine in standins.world()["machines"] if machine["name"] == name)


def outcome(lot: Lot) -> list[Any]:
    kind = REGISTRY[lot.kind]
    return kind.outcome(lot, kind.plan_of(lot))


def flash(name: str = "Fast") -> Policy:
    policy = Policy.objects.create(name=name)
    asked = [{"kind": "media", "value": "SSD"}]
    PolicyVersion.objects.create(policy=policy, number=1, requirements=asked, by="ines.marrow")
    people_said("policy", policy.pk)
    return policy


def judge_all() -> None:
    while judge_due():
        pass


def test_a_guest_that_does_not_answer_is_switched_off_hard_and_this_is_said(estate: StandIns, ines: User) -> None:
    estate.control("machine", act="deafen", name="payroll")
    lot = run_to_end(drafted("power", ines, machines=[key("payroll"), key("tug-roster")], to="off"))
    assert lot.state == Lot.State.DONE
    assert told(estate, "payroll")["power"] == told(estate, "tug-roster")["power"] == "Off"
    (row,) = outcome(lot)
    assert (row.before, row.predicted, row.measured) == (2, 0, 0)
    assert row.note == "without its guest, which did not answer: payroll"


def test_what_is_so_already_is_left_alone(estate: StandIns, ines: User) -> None:
    lot = drafted("power", ines, machines=[key("payroll")], to="on")
    assert "payroll is on already." in checks_of(lot, "stop")
    estate.control("machine", act="off", name="payroll")
    reread(Device.objects.all())
    both = drafted("power", ines, machines=[key("payroll"), key("tug-roster")], to="on")
    assert [step.params["machine"] for step in both.steps.all()] == ["payroll"]


def test_going_back_keeps_what_was_there_and_is_undone(estate: StandIns, ines: User) -> None:
    run_to_end(drafted("snapshot", ines, machine=key("payroll"), snapshot="before-upgrade"))
    lot = drafted("snapshot", ines, machine=key("payroll"), act="go back", snapshot="before-upgrade")
    assert [step.kind for step in lot.steps.all()] == ["power_off", "take_snapshot", "go_back", "power_on"]
    assert run_to_end(lot).state == Lot.State.DONE
    assert (told(estate, "payroll")["standing"], told(estate, "payroll")["power"]) == ("before-upgrade", "On")
    chain = MachineSnapshot.objects.filter(machine__name="payroll")
    assert [(each.name, each.parent, each.standing) for each in chain] == [
        ("before-upgrade", "", True),
        ("before going back to before-upgrade", "before-upgrade", False),
    ]
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert told(estate, "payroll")["standing"] == "before-upgrade"
    assert [each["name"] for each in told(estate, "payroll")["snapshots"]] == ["before-upgrade"]


@pytest.mark.parametrize(
    ("form", "said"),
    [
        ({"snapshot": ""}, "Type a name for it"),
        ({"snapshot": "x" * 81}, "80 characters at most"),
        ({"act": "merge", "snapshot": "none such"}, "payroll has no snapshot none such."),
        ({"act": "go back", "snapshot": ""}, "payroll has no snapshot without a name."),
    ],
)
def test_a_snapshot_that_cannot_be_is_refused(estate: StandIns, ines: User, form: dict[str, str], said: str) -> None:
    lot = drafted("snapshot", ines, machine=key("payroll"), **form)
    assert said in checks_of(lot, "stop")
    assert not lot.steps.exists()


def test_a_disk_is_proposed_a_place_by_the_policy_of_its_machine(estate: StandIns, ines: User) -> None:
    policy = flash()
    GivenPolicy.objects.create(policy=policy, machine_id=key("mail-relay"), by="ines.marrow")
    judge_all()
    lot = drafted("machine_disk", ines, machine=key("mail-relay"), size="50")
    assert run_to_end(lot).state == Lot.State.DONE
    made = Disk.objects.get(name="mail-relay disk 2")
    assert made.size_bytes == 50 * GIB
    assert made.datastore is not None
    assert made.datastore.name in FLASH
    # The whole machine has the policy; the disk has none of its own.
    assert not GivenPolicy.objects.filter(disk=made).exists()


def test_a_chosen_place_that_will_not_do_says_why(estate: StandIns, ines: User) -> None:
    policy = flash()
    judge_all()
    store = Datastore.objects.get(name="berth-c")
    form = {"machine": key("payroll"), "size": "50", "policy": policy.pk, "datastore": store.pk}
    lot = drafted("machine_disk", ines, **form)
    said = checks_of(lot, "stop")
    assert "berth-c: not in policy" in said
    assert "spinning drives" in said
    assert not lot.steps.exists()


@pytest.mark.parametrize(
    ("form", "said"),
    [
        ({"size": ""}, "Type how large"),
        ({"size": "1,5 TiB"}, "comma"),
        ({"size": "90 TiB"}, "No datastore takes it."),
        ({"act": "enlarge", "size": "1"}, "it can only become larger"),
        ({"act": "enlarge", "size": "9 TiB"}, "more are needed"),
        ({"act": "delete"}, "payroll is on and uses it: switch it off first."),
    ],
)
def test_a_disk_that_cannot_be_is_refused(estate: StandIns, ines: User, form: dict[str, str], said: str) -> None:
    disk = Disk.objects.get(name="payroll disk 1").pk
    lot = drafted("machine_disk", ines, machine=key("payroll"), disk=disk, **form)
    assert said in checks_of(lot, "stop")
    assert not lot.steps.exists()


def test_a_disk_that_snapshots_keep_is_not_enlarged(estate: StandIns, ines: User) -> None:
    run_to_end(drafted("snapshot", ines, machine=key("payroll"), snapshot="before-upgrade"))
    disk = Disk.objects.get(name="payroll disk 1")
    lot = drafted("machine_disk", ines, machine=key("payroll"), disk=disk.pk, act="enlarge", size="600")
    assert "Snapshots keep payroll disk 1 as it is" in checks_of(lot, "stop")
    run_to_end(drafted("snapshot", ines, machine=key("payroll"), act="merge", snapshot="before-upgrade"))
    assert run_to_end(actions.check(lot)).state == Lot.State.DONE
    disk.refresh_from_db()
    assert disk.size_bytes == 600 * GIB


def test_a_machine_goes_only_where_all_of_it_is_seen(estate: StandIns, ines: User) -> None:
    lot = drafted("migrate", ines, machine=key("payroll"), host="gate-01")
    assert "gate-01 does not see all of it: it and quay-02 mount no datastore in common." in checks_of(lot, "stop")
    here = drafted("migrate", ines, machine=key("payroll"), host="quay-02")
    assert "quay-02 runs payroll already." in checks_of(here, "stop")


def test_deleting_wants_the_name_and_returns_the_room(estate: StandIns, ines: User) -> None:
    lot = drafted("delete_machine", ines, machine=key("payroll"), confirm="payrol")
    assert "Type payroll to say that it is meant" in checks_of(lot, "stop")
    lot = run_to_end(drafted("delete_machine", ines, machine=key("payroll"), confirm="payroll"))
    assert lot.state == Lot.State.DONE
    (row,) = outcome(lot)
    assert (row.subject, row.figure) == ("berth-a", "free in bytes")
    assert row.measured == row.predicted == row.before + (540 + 90) * GIB
    assert Machine.known.get(name="payroll").gone_at is not None


NEW: dict[str, Any] = {"cluster": "quayside", "name": "crane-plan-##", "processors": "4", "memory": "16"}


def test_new_machines_are_spread_placed_together_given_policies_and_switched_on_last(
    estate: StandIns, ines: User
) -> None:
    policy = flash()
    judge_all()
    disks = [{"size": "60"}, {"size": "150", "policy": policy.pk, "iops": "40"}]
    lot = drafted("new_machine", ines, **NEW, count="3", disks=disks)
    assert checks_of(lot, "stop") == ""
    plan = REGISTRY["new_machine"].plan_of(lot)
    assert plan.names == ["crane-plan-01", "crane-plan-02", "crane-plan-03"]
    assert sorted(plan.hosts) == ["quay-01", "quay-02", "quay-03"]
    assert set(plan.disks[1].stores) <= FLASH
    on = lot.steps.filter(kind="power_on").order_by("position")
    waits = {str(step.params["machine"]): step for step in on}
    for name, step in waits.items():
        mine = lot.steps.filter(kind="add_disk", params__machine=name).values_list("position", flat=True)
        assert step.planned_start >= max(lot.steps.get(position=n).planned_end for n in mine)
    assert run_to_end(lot).state == Lot.State.DONE
    assert [told(estate, name)["power"] for name in plan.names] == ["On"] * 3
    assert told(estate, "crane-plan-01")["processors"] == 4
    assert [row.measured for row in outcome(lot)] == [3, 3]
    given = GivenPolicy.objects.filter(policy=policy, disk__isnull=False)
    assert sorted(given.values_list("disk__name", flat=True)) == [f"{name} disk 2" for name in plan.names]
    assert not PolicyWish.objects.exists()
    judge_all()
    assert {each.compliance.state for each in Disk.objects.filter(given_policy__policy=policy)} == {"in policy"}
    # The undo switches them off and removes all.
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert not [machine for machine in estate.world()["machines"] if machine["name"].startswith("crane-plan")]


def test_a_machine_is_never_switched_on_before_all_of_it_is_there(estate: StandIns, ines: User) -> None:
    lot = drafted(
        "new_machine", ines, **{**NEW, "name": "crane-plan-01", "host": "quay-02"}, disks=[{"size": "60"}] * 2
    )
    actions.run(lot)
    # The host fails on the second disk: it is not switched on.
    estate.fault("quay-02", "fail_nth", n=3)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.FAILED
    assert lot.steps.get(kind="power_on").state == Step.State.WAITING
    assert told(estate, "crane-plan-01")["power"] == "Off"


@pytest.mark.parametrize(
    ("form", "said"),
    [
        ({"name": "payroll", "disks": [{"size": "1"}]}, "A machine named payroll exists already."),
        ({"name": "Payroll!", "disks": [{"size": "1"}]}, "characters that some host or array refuses"),
        ({"disks": [{"size": ""}]}, "Type the size of each disk."),
        ({"disks": [{"size": "80 TiB"}]}, "No datastore takes disk 1 (80.0 TiB)."),
        ({"disks": [{"size": "1"}], "processors": "0"}, "“0” is not a number of processors from 1 to 128."),
        ({"disks": [{"size": "1"}], "memory": "much"}, "“much” is not a size."),
        ({"disks": [{"size": "1"}] * 17}, "A machine has 16 disks at most."),
        ({"disks": [{"size": "1", "policy": 987654321}]}, "This policy is retired, or is not there."),
    ],
)
def test_a_form_that_will_not_do_says_why_beside_the_field(
    estate: StandIns, ines: User, form: dict[str, Any], said: str
) -> None:
    lot = drafted("new_machine", ines, **{**NEW, **form})
    assert said in checks_of(lot, "stop")
    assert not lot.steps.exists()


def test_what_lots_did_with_a_machine_is_its_history(estate: StandIns, ines: User, api: APIClient) -> None:
    lot = run_to_end(drafted("power", ines, machines=[key("payroll")], to="off"))
    shown = api.get(f"/api/machines/{key('payroll')}/").json()
    assert [(each["id"], each["title"]) for each in shown["lots"]] == [(lot.pk, "Switch off payroll")]


def test_a_cap_holds_the_disk_and_its_neighbours_gain(estate: StandIns, ines: User) -> None:
    # A busy disk of granite-mixed, a single queue: what it no longer asks shortens that for all others at any hour.
    disk = Disk.objects.get(name="gate-ocr-04 disk 1")
    lot = run_to_end(actions.check(drafted("limits", ines, disks=[disk.pk], cap="50")))
    assert lot.state == Lot.State.DONE
    rows = {row.figure: row for row in outcome(lot)}
    assert rows["IOPS"].subject == disk.name
    assert rows["IOPS"].before > 50
    assert rows["IOPS"].measured == rows["IOPS"].predicted == 50
    assert rows["IOPS"].note.startswith("kept to it by quay-")
    assert rows["latency"].subject == "granite-mixed"
    assert rows["latency"].measured < rows["latency"].before
    disk.refresh_from_db()
    assert (disk.cap_iops, disk.limited_by) == (50, "host")
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    disk.refresh_from_db()
    assert disk.cap_iops == 0


def test_a_cap_says_what_waits_and_a_floor_who_guarantees_it(estate: StandIns, ines: User) -> None:
    disk = Disk.objects.get(name="berth-plan-db disk 1").pk
    assert "IOPS in its busiest hour: what is over 50 waits." in checks_of(
        drafted("limits", ines, disks=[disk], cap="50"), "warn"
    )
    said = checks_of(drafted("limits", ines, disks=[disk], floor="50"), "stop")
    assert "Nobody guarantees IOPS to berth-plan-db disk 1: chalk does, on volume sets." in said
    both = checks_of(drafted("limits", ines, disks=[disk], cap="50", floor="60"), "stop")
    assert "The floor of 60 IOPS is above the cap of 50." in both
    assert "is not a whole number of IOPS" in checks_of(drafted("limits", ines, disks=[disk], cap="many"), "stop")
    none = checks_of(drafted("limits", ines, disks=[disk]), "stop")
    assert "They have no cap already." in none


def test_an_array_enforces_where_it_can_bursts_are_told_and_floors_have_an_end(estate: StandIns, ines: User) -> None:
    disk_on_a_set(estate, ines)
    disk = Disk.objects.get(name="tug-log disk 1")
    lot = drafted("limits", ines, disks=[disk.pk], cap="400", floor="100")
    assert "chalk; for a short time 640 IOPS" in checks_of(lot, "pass")
    assert [(step.device.name, step.kind) for step in lot.steps.all()] == [
        ("chalk", "limit_volume"),
        ("quay-01", "see_limits"),
    ]
    assert run_to_end(lot).state == Lot.State.DONE
    disk.refresh_from_db()
    assert (disk.cap_iops, disk.floor_iops, disk.limited_by) == (400, 100, "array")
    much = drafted("limits", ines, disks=[disk.pk], floor="9000000")
    assert "The floors on chalk-one would add up to 9,000,000 IOPS; within 9 ms it carries" in checks_of(much, "stop")


def test_a_new_machine_has_the_limits_of_its_policies_from_the_start(estate: StandIns, ines: User) -> None:
    policy = flash("Calm")
    policy.versions.update(requirements=[{"kind": "cap_iops", "value": 300}])
    judge_all()
    form = {**NEW, "name": "crane-plan-01", "host": "quay-02"}
    lot = drafted("new_machine", ines, **form, disks=[{"size": "60", "policy": policy.pk}])
    assert [step.kind for step in lot.steps.all()] == ["make_machine", "add_disk", "cap_disk", "power_on"]
    assert run_to_end(lot).state == Lot.State.DONE
    judge_all()
    disk = Disk.objects.get(name="crane-plan-01 disk 1")
    assert (disk.cap_iops, disk.compliance.state) == (300, "in policy")


def test_all_snapshots_of_a_machine_are_merged_one_after_the_other(estate: StandIns, ines: User) -> None:
    for name in ("first", "second", "third"):
        run_to_end(drafted("snapshot", ines, machine=key("payroll"), snapshot=name))
    lot = drafted("snapshot", ines, machine=key("payroll"), act="merge all")
    assert [step.params["name"] for step in lot.steps.order_by("position")] == ["first", "second", "third"]
    assert [step.needs for step in lot.steps.order_by("position")] == [[], [0], [1]]
    done = run_to_end(lot)
    assert told(estate, "payroll")["snapshots"] == []
    assert [(row["before"], row["predicted"], row["measured"]) for row in done.outcome["rows"]] == [(3, 0, 0)]
    again = drafted("snapshot", ines, machine=key("payroll"), act="merge all")
    assert "no snapshot any more" in " ".join(check["text"] for check in again.checks)


def test_nothing_is_merged_where_there_is_no_room_for_it_meanwhile(estate: StandIns, ines: User) -> None:
    run_to_end(drafted("snapshot", ines, machine=key("payroll"), snapshot="first"))
    snapshot = MachineSnapshot.objects.get(machine__name="payroll")
    snapshot.parts.update(held_bytes=2**60)
    lot = drafted("snapshot", ines, machine=key("payroll"), act="merge", snapshot="first")
    assert "are needed while they merge" in " ".join(c["text"] for c in lot.checks if c["level"] == "stop")
