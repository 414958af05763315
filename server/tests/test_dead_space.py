"""Dead space on the stand-ins: found by computation, given back by a host, seen on both sides."""

from __future__ import annotations

from django.utils.timezone import now

from conftest import StandIns
from movelot.accounts.models import User
from movelot.capacity.judge import _reclaims
from movelot.capacity.known import uses
from movelot.capacity.reclaim.dead_space import DeadSpace
from movelot.devices.reading import reread
from movelot.inventory.models import Device, Pool, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from movelot.lots.runner import Driver
from server.tests.conftest import drafted, run_to_end
from server.tests.test_capacity import TIB, checks
from server.tests.test_faults import store


def gains() -> dict[str, int]:
    return {gain.what.split(":")[0]: gain.size_bytes for gain in DeadSpace().gains(uses(), now())}


def held(name: str) -> int:
    return Volume.objects.get(name=name).allocated_bytes


def test_three_tebibytes_are_found_given_back_and_seen_on_both_sides(estate: StandIns, ines: User) -> None:
    assert gains() == {"slate-02": 3 * TIB}
    before, pool = held("slate-02"), Pool.objects.get(name="basalt-deep")
    (row,) = [each for each in _reclaims(uses(), now()) if each.kind == "dead_space"]
    assert row.draft is not None
    lot = drafted(row.draft.kind, ines, **row.draft.form)
    assert "keep it under 9 ms" in checks(lot, "pass") + checks(lot, "warn")
    done = run_to_end(lot)
    assert done.state == Lot.State.DONE
    assert gains() == {}
    assert held("slate-02") == before - 3 * TIB
    after = Pool.objects.get(name="basalt-deep")
    assert pool.allocated_bytes - after.allocated_bytes == 3 * TIB
    (figure,) = done.outcome["rows"]
    assert figure["predicted"] == figure["measured"] == before - 3 * TIB
    # What the datastore says is free is what it was: its blocks were free to it all the time.
    (capacity,) = [each for each in estate.world()["datastores"] if each["name"] == "slate-02"]
    assert capacity["capacity_bytes"] == 8 * TIB


def test_what_has_none_or_is_mounted_by_nobody_says_so(estate: StandIns, ines: User) -> None:
    lot = drafted("return_blocks", ines, datastores=[store("berth-b")])
    assert "holds nothing for berth-b that is not used" in checks(lot, "warn")
    assert "Nothing of what was chosen can be given back" in checks(lot, "stop")
    both = drafted("return_blocks", ines, datastores=[store("berth-b"), store("slate-02")])
    assert both.title == "Give dead space of slate-02 back"
    assert both.steps.count() == 2
    assert "Nothing of what" in checks(drafted("return_blocks", ines, datastores=[]), "stop")


class HaltingInTheMiddle(Driver):
    """Halts its lot, as a person would, once its host has told that some blocks are given back."""

    def _collect(self) -> None:
        super()._collect()
        if any(step.done_amount for step in self.steps.values()) and self.lot.state == Lot.State.RUNNING:
            actions.halt(self.lot)


def test_halted_in_its_middle_what_was_given_back_stays_so(estate: StandIns, ines: User) -> None:
    before = held("slate-02")
    estate.control("pace", pace=5)
    lot = drafted("return_blocks", ines, datastores=[store("slate-02")])
    actions.run(lot)
    HaltingInTheMiddle(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.HALTED
    reread(Device.objects.filter(name="basalt"))
    assert before - 3 * TIB < held("slate-02") < before
    estate.control("pace", pace=20000)
    actions.run(lot)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.DONE
    assert held("slate-02") == before - 3 * TIB
