"""A database that was restored from a backup: lots that were under way in it wait, and say what the devices say."""

from __future__ import annotations

from typing import Any

import pytest

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.reading import reread
from movelot.inventory.models import Device
from movelot.lots import actions
from movelot.lots.holding import hold
from movelot.lots.models import Lot, Pulse, Step
from movelot.lots.restored import count_on
from movelot.lots.runner import Driver
from movelot.lots.tasks import ask_about_unknown_steps, resume_lots
from server.tests.conftest import drafted, run_to_end
from server.tests.test_faults import whole

pytestmark = pytest.mark.django_db


class BackedUp(Driver):
    """A backup is made in the middle of the lot: its rows as they are then."""

    def __init__(self, lot: Lot, after: int) -> None:
        super().__init__(lot)
        self.after, self.backup = after, list[dict[str, Any]]()

    def _collect(self) -> None:
        super()._collect()
        if len(self._keys(Step.State.DONE)) >= self.after and not self.backup:
            self.backup = list(self.lot.steps.values())


def run_with_backup(lot: Lot) -> list[dict[str, Any]]:
    actions.run(lot)
    driver = BackedUp(Lot.objects.get(pk=lot.pk), after=4)
    driver.run()
    return driver.backup


def restore(lot: Lot, backup: list[dict[str, Any]]) -> Lot:
    """The lot as it was in the backup, found by the next round of the schedule."""
    for row in backup:
        Step.objects.filter(pk=row["id"]).update(**row)
    Lot.objects.filter(pk=lot.pk).update(state=Lot.State.RUNNING, ended_at=None)
    hold(lot)
    count_on()
    Pulse.objects.update(count=0)
    resume_lots()
    lot.refresh_from_db()
    return lot


def asked(lot: Lot) -> list[tuple[str, str]]:
    """What was believed of each step and what its device says, once all were read and asked."""
    reread(Device.objects.all())
    ask_about_unknown_steps()
    lot.refresh_from_db()
    return list(lot.steps.order_by("position").values_list("believed", "state"))


def attach(user: User) -> Lot:
    return drafted("attach", user, cluster="quayside", name="berth-e", size="1 TiB", pools=["granite-mixed"])


def test_a_database_older_than_its_installation_is_known_by_the_rounds_of_the_schedule(db: None) -> None:
    count_on()
    assert not count_on()
    Pulse.objects.update(count=1)
    assert count_on()
    assert not count_on()


def test_what_was_done_after_the_backup_is_found_out_and_undone(estate: StandIns, ines: User) -> None:
    before = whole(estate)
    lot = attach(ines)
    backup = run_with_backup(lot)
    restore(lot, backup)
    assert lot.state == Lot.State.HALTED
    assert set(lot.steps.values_list("state", flat=True)) == {Step.State.UNKNOWN}
    believed = {row["state"] for row in backup}
    assert {Step.State.DONE, Step.State.WAITING} <= believed
    said = asked(lot)
    assert [state for state, _ in said] == [row["state"] for row in backup]
    # A scan leaves nothing by which it is known again but what it found.
    assert {now for _, now in said} == {Step.State.DONE}
    assert lot.state == Lot.State.DONE
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert whole(estate) == before


def test_a_lot_that_had_just_begun_in_the_backup_is_asked_about_too(estate: StandIns, ines: User) -> None:
    """None of its steps had ended then: the schedule knows from when on a reading counts all the same."""
    lot = attach(ines)
    actions.run(lot)
    backup = list(lot.steps.values())
    Driver(Lot.objects.get(pk=lot.pk)).run()
    restore(lot, backup)
    assert {now for _, now in asked(lot)} == {Step.State.DONE}


def test_what_was_undone_after_the_backup_is_done_again_only_by_a_person(estate: StandIns, ines: User) -> None:
    before = whole(estate)
    lot = attach(ines)
    backup = run_with_backup(lot)
    after = whole(estate)
    undo = run_to_end(actions.undo(lot, ines))
    assert whole(estate) == before
    # The undo is of a later day than the backup.
    Lot.objects.filter(pk=undo.pk).delete()
    restore(lot, backup)
    assert {now for _, now in asked(lot)} == {Step.State.WAITING}
    resume_lots()
    lot.refresh_from_db()
    assert lot.state == Lot.State.HALTED
    assert whole(estate) == before
    assert run_to_end(lot).state == Lot.State.DONE
    assert whole(estate) == after
    assert not lot.steps.exclude(believed="").exists()
