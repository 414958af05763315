"""Steps whose device stays away after it was asked to act: not known, asked about, and then undone or run on."""

from __future__ import annotations

import pytest
from pytest_django.fixtures import Settings

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.errors import DeviceAway
from movelot.devices.reading import reread
from movelot.inventory.models import Device
from movelot.inventory.store import unlink
from movelot.lots import actions
from movelot.lots.models import Hold, Lot, Step
from movelot.lots.runner import Driver
from movelot.lots.tasks import ask_about_unknown_steps
from movelot.lots.unknown import lots_to_ask_for
from movelot.problems import Problem
from server.tests.conftest import drafted, run_to_end
from server.tests.test_faults import CASES, FIRST, Case, whole
from server.tests.test_masking import checks_of


@pytest.fixture(autouse=True)
def _impatient(settings: Settings) -> None:
    settings.AWAY_PATIENCE_SECONDS = 0.0


ASKED_MOST = 500


def cut_off(lot: Lot, standins: StandIns, device: str, nth: int) -> Lot:
    """Run the lot; the device does its nth action, and neither tells of it nor answers again."""
    actions.run(lot)
    standins.fault(device, "lost", n=nth)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    return lot


def back(standins: StandIns, device: str) -> None:
    """The device answers again, and is read."""
    standins.fault(device)
    reread(Device.objects.filter(name=device))


def unknown(lot: Lot) -> list[str]:
    return list(lot.steps.filter(state=Step.State.UNKNOWN).values_list("kind", flat=True))


def attach(user: User) -> Lot:
    return drafted("attach", user, cluster="quayside", name="berth-e", size="1 TiB")


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.what)
def test_what_a_device_did_before_it_went_away_is_found_out_and_undone(
    estate: StandIns, ines: User, case: Case
) -> None:
    case.prepare(estate, ines)
    before = whole(estate)
    lot = drafted(case.kind, ines, **case.form())
    device = str(lot.steps.order_by("position")[0].device) if case.device == FIRST else case.device
    lot = cut_off(lot, estate, device, case.nth)
    assert lot.state == Lot.State.FAILED
    assert unknown(lot)
    back(estate, device)
    # Work that still runs is asked about again, as the schedule does.
    for _ in range(ASKED_MOST):
        ask_about_unknown_steps()
        if not unknown(lot):
            break
    assert not unknown(lot)
    lot.refresh_from_db()
    if case.final:
        # Nothing takes it back: it is run on.
        assert lot.state == Lot.State.DONE or run_to_end(lot).state == Lot.State.DONE
        assert whole(estate) != before
        return
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert whole(estate) == before


def test_an_undo_says_what_is_not_known_and_waits_for_it(estate: StandIns, ines: User) -> None:
    before = whole(estate)
    lot = cut_off(attach(ines), estate, "granite", 1)
    assert unknown(lot) == ["create_volume"]
    undo = actions.undo(lot, ines)
    said = checks_of(undo, "stop")
    assert "Create thin volume berth-e, 1.00 TiB” on granite: granite does not answer at" in said
    assert "It is not known what it did. Check again once it answers." in said
    with pytest.raises(Problem) as stopped:
        actions.run(undo)
    assert stopped.value.code == "check_stops"
    back(estate, "granite")
    # Checking asks the device; the plan is another one now, and is shown before it runs.
    with pytest.raises(Problem) as changed:
        actions.run(undo)
    assert "step 0 was unknown, is done" in changed.value.detail
    assert run_to_end(undo).state == Lot.State.DONE
    assert whole(estate) == before


def test_what_a_device_did_not_do_is_known_too_and_the_lot_goes_on(estate: StandIns, ines: User) -> None:
    lot = attach(ines)
    actions.run(lot)
    estate.fault("granite", "away")
    Driver(Lot.objects.get(pk=lot.pk)).run()
    assert unknown(lot) == ["create_volume"]
    lot.refresh_from_db()
    with pytest.raises(Problem) as away:
        actions.run(lot)
    assert away.value.code == "devices_away"
    back(estate, "granite")
    ask_about_unknown_steps()
    step = lot.steps.get(position=0)
    assert (step.state, step.acted) == (Step.State.FAILED, False)
    assert "nothing was done by this step" in step.problem["unchanged"]
    assert run_to_end(Lot.objects.get(pk=lot.pk)).state == Lot.State.DONE


def test_going_on_asks_first_and_doubles_nothing(estate: StandIns, ines: User) -> None:
    lot = cut_off(attach(ines), estate, "granite", 1)
    back(estate, "granite")
    assert run_to_end(lot).state == Lot.State.DONE
    assert [v["name"] for v in estate.world()["volumes"]].count("berth-e") == 1


def test_while_a_device_is_unknown_no_other_lot_has_it(estate: StandIns, ines: User) -> None:
    lot = cut_off(attach(ines), estate, "granite", 1)
    assert list(Hold.objects.filter(lot=lot, device__isnull=False).values_list("device__name", flat=True)) == [
        "granite"
    ]
    form = {"cluster": "quayside", "name": "berth-h", "size": "1 TiB", "pools": ["granite-mixed"]}
    other = drafted("attach", ines, **form)
    assert f"not known yet what lot {lot.pk} did last on granite" in checks_of(other, "stop")
    back(estate, "granite")
    ask_about_unknown_steps()
    assert not Hold.objects.exists()
    assert run_to_end(actions.check(other)).state == Lot.State.DONE


def test_a_halt_waits_for_the_device_and_begins_nothing_again(estate: StandIns, ines: User) -> None:
    """The answer is lost, and a person halts: what the device has not done it is not asked for once more."""
    before = whole(estate)
    lot = attach(ines)
    actions.run(lot)
    estate.fault("granite", "away")
    HaltedWhileAway(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert (lot.state, unknown(lot)) == (Lot.State.HALTED, ["create_volume"])
    back(estate, "granite")
    ask_about_unknown_steps()
    lot.refresh_from_db()
    assert (lot.state, lot.steps.get(position=0).state) == (Lot.State.HALTED, Step.State.WAITING)
    assert whole(estate) == before


class HaltedWhileAway(Driver):
    """A person halts the lot as soon as a device is away."""

    def _unreachable(self, key: str, step: Step, error: DeviceAway) -> None:
        if self.lot.state == Lot.State.RUNNING:
            actions.halt(self.lot)
        else:
            super()._unreachable(key, step, error)


def test_abandoned_work_is_watched_until_it_has_ended(estate: StandIns, ines: User) -> None:
    before = whole(estate)
    estate.control("pace", pace=2)
    lot = drafted("balance", ines, group="quayside")
    actions.run(lot)
    device = str(lot.steps.order_by("position")[0].device)
    HaltedAndCutOff(Lot.objects.get(pk=lot.pk), estate, device).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.HALTED
    assert set(unknown(lot)) == {"move_disk"}
    back(estate, device)
    ask_about_unknown_steps()
    assert not unknown(lot)
    assert set(lot.steps.values_list("state", flat=True)) <= {Step.State.ABANDONED, Step.State.WAITING}
    assert whole(estate) == before


class HaltedAndCutOff(Driver):
    """Once a copy runs on the device, it is away; a person halts the lot."""

    def __init__(self, lot: Lot, standins: StandIns, device: str) -> None:
        super().__init__(lot)
        self.standins, self.device = standins, device

    def _collect(self) -> None:
        super()._collect()
        begun = any(step.task_uri and step.device.name == self.device for step in self.steps.values())
        if begun and self.lot.state == Lot.State.RUNNING:
            self.standins.fault(self.device, "away")
            actions.halt(self.lot)


def test_a_device_that_is_unlinked_is_given_up(estate: StandIns, ines: User) -> None:
    lot = cut_off(attach(ines), estate, "quay-02", 2)
    assert unknown(lot)
    assert lots_to_ask_for() == []
    unlink(Device.objects.get(name="quay-02"))
    assert lots_to_ask_for() == [lot.pk]
    ask_about_unknown_steps()
    failed = lot.steps.get(state=Step.State.FAILED, device__name="quay-02")
    assert "not linked any more" in failed.problem["message"]
    assert not Hold.objects.exists()
