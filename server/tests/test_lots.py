"""Lots against real stand-ins: run, verify, undo, halt, and every fault in the middle."""

from __future__ import annotations

from typing import Any

import pytest
from pytest_django.fixtures import Settings

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.session import session_with
from movelot.inventory.models import Datastore, Disk, HostDevice, Volume
from movelot.lots import actions
from movelot.lots.drafting import redraft
from movelot.lots.models import Lot, Step, StepPace
from movelot.lots.runner import Driver
from movelot.lots.steps import KINDS
from movelot.lots.steps.base import StepRun, demand
from movelot.lots.steps.volumes import Offered, OfferVolume
from movelot.lots.stored import step_of
from movelot.problems import Problem
from server.tests.conftest import drafted, run_to_end

TIB = 1024**4


def attach(user: User, name: str = "berth-e", size: str = "2 TiB", **more: Any) -> Lot:
    return drafted("attach", user, cluster="quayside", name=name, size=size, **more)


def outside(standins: StandIns) -> dict[str, Any]:
    """What the outside world consists of, for comparing before and after."""
    world = standins.world()
    return {
        "volumes": sorted((v["name"], v["size_bytes"], v["pool"]) for v in world["volumes"]),
        "connections": sorted((c["volume"], c["lun"], tuple(c["initiators"])) for c in world["connections"]),
        "datastores": sorted((d["name"], d["serial"]) for d in world["datastores"]),
        "mounts": {h["name"]: sorted(h["mounted"]) for h in world["hosts"]},
        "known": {h["name"]: sorted(h["known"]) for h in world["hosts"]},
        "uplinks": {h["name"]: [(i["active"], i["standby"]) for i in h["interfaces"]] for h in world["hosts"]},
        "places": {d["id"]: d["places"][-1][1] for m in world["machines"] for d in m["disks"]},
    }


def test_attach_makes_offers_formats_and_mounts_everywhere(estate: StandIns, ines: User) -> None:
    lot = run_to_end(attach(ines))
    assert lot.state == Lot.State.DONE
    volume = Volume.objects.get(name="berth-e")
    assert (volume.size_bytes, volume.pool.name) == (2 * TIB, "granite-mixed")
    store = Datastore.objects.get(name="berth-e")
    assert store.mounts.count() == 3
    assert set(HostDevice.objects.filter(serial__in=store.serials).values_list("path_policy", flat=True)) == {
        "RoundRobin"
    }
    measured = {row["figure"]: (row["predicted"], row["measured"]) for row in lot.outcome["rows"]}
    assert measured["paths"] == (20, 20)
    assert "berth-e" in {v["name"] for v in estate.world()["volumes"]}


def test_a_deleted_volume_is_not_brought_back(estate: StandIns, ines: User) -> None:
    undo = run_to_end(actions.undo(run_to_end(attach(ines)), ines))
    with pytest.raises(Problem) as refused:
        actions.undo(undo, ines)
    assert refused.value.code == "irreversible"


def test_the_fix_of_uplinks_gives_all_paths_back_and_can_be_undone(estate: StandIns, ines: User) -> None:
    before = outside(estate)
    lot = run_to_end(drafted("uplinks", ines, host="quay-03"))
    assert lot.state == Lot.State.DONE
    to_granite = Volume.objects.filter(device__name="granite").values("serial")
    seen = HostDevice.objects.filter(device__name="quay-03", serial__in=to_granite)
    assert {len(d.paths) for d in seen} == {8}
    run_to_end(actions.undo(lot, ines))
    assert outside(estate) == before


def test_attach_with_the_fix_as_first_step_has_every_path(estate: StandIns, ines: User) -> None:
    lot = attach(ines, fixes=["quay-03"])
    assert lot.plan["board"]["seen"] == lot.plan["board"]["expected"] == 24
    assert lot.steps.get(position=0).kind == "bind_uplink"
    run_to_end(lot)
    assert {row["measured"] for row in lot.outcome["rows"] if row["figure"] == "paths"} == {24}


def test_balance_clears_the_breach_measures_it_and_undoes(estate: StandIns, ines: User) -> None:
    before = outside(estate)
    lot = run_to_end(drafted("balance", ines, group="quayside"))
    assert lot.state == Lot.State.DONE
    fills = {row["subject"]: row for row in lot.outcome["rows"] if row["figure"] == "fill"}
    # What the lot was to change is told apart from what is looked at besides.
    moved = {move[end] for move in lot.plan["moves"] for end in ("source_name", "target_name")}
    assert {name for name, row in fills.items() if row["touched"]} == moved < fills.keys()
    assert fills["berth-a"]["measured"] <= 0.82
    assert fills["berth-a"]["measured"] == pytest.approx(fills["berth-a"]["predicted"], abs=0.001)
    latency = [row for row in lot.outcome["rows"] if row["figure"] == "latency"]
    assert {row["subject"] for row in latency} >= {"granite-fast", "granite-mixed"}
    known = [row for row in latency if row["subject"].startswith("granite")]
    assert all(row["measured"] == pytest.approx(row["predicted"], rel=0.35) for row in known)
    again = actions.undo(lot, ines)
    run_to_end(again)
    assert outside(estate) == before
    # Moves can be made anew by undoing the undo.
    assert actions.undo(again, ines).steps.count() == lot.steps.count()


def step_states(lot: Lot) -> list[str]:
    return list(lot.steps.values_list("state", flat=True))


def test_a_halted_copy_is_abandoned_and_runs_on_later(estate: StandIns, ines: User) -> None:
    before = outside(estate)
    estate.control("pace", pace=5)
    lot = drafted("balance", ines, group="quayside")
    actions.run(lot)
    driver = HaltingDriver(Lot.objects.get(pk=lot.pk))
    driver.run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.HALTED
    assert Step.State.ABANDONED in step_states(lot)
    assert outside(estate) == before
    estate.control("pace", pace=20000)
    actions.run(lot)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert (lot.state, set(step_states(lot))) == (Lot.State.DONE, {Step.State.DONE})


class HaltingDriver(Driver):
    """Halts its lot, as a person would, once the first copy has an address to be stopped at."""

    def _collect(self) -> None:
        super()._collect()
        if any(step.task_uri for step in self.steps.values()) and self.lot.state == Lot.State.RUNNING:
            actions.halt(self.lot)


@pytest.mark.parametrize("nth", [1, 2, 3])
def test_an_answer_lost_on_the_way_doubles_nothing(estate: StandIns, ines: User, nth: int) -> None:
    lot = attach(ines)
    actions.run(lot)
    estate.fault("granite" if nth < 3 else "quay-01", "drop", n=nth if nth < 3 else 2)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.DONE
    names = [v["name"] for v in estate.world()["volumes"]]
    assert names.count("berth-e") == 1


def test_a_failed_action_stops_the_lot_and_running_on_finishes_it(estate: StandIns, ines: User) -> None:
    lot = attach(ines)
    actions.run(lot)
    estate.fault("granite", "fail_nth", n=2)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.FAILED
    failed = lot.steps.get(state=Step.State.FAILED)
    assert (failed.kind, failed.problem["device"]) == ("offer_volume", "granite")
    assert failed.problem["hint"]
    assert lot.steps.filter(state=Step.State.DONE).count() == 1
    actions.run(lot)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.DONE


def test_a_half_done_lot_is_undone_as_far_as_it_went(estate: StandIns, ines: User) -> None:
    before = outside(estate)
    lot = attach(ines)
    actions.run(lot)
    estate.fault("quay-02", "fail_nth", n=1)
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.FAILED
    run_to_end(actions.undo(lot, ines))
    assert outside(estate) == before


class Unprovable(OfferVolume):
    """An offer that is made, but is not there when the array is asked anew."""

    def verify(self, run: StepRun[Offered], result: Offered) -> None:
        demand(False, "not_offered", "No initiator is let in.")


def test_a_step_that_acted_and_could_not_be_proven_is_undone_too(
    estate: StandIns, ines: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = outside(estate)
    monkeypatch.setitem(KINDS, "offer_volume", Unprovable)
    lot = run_to_end(attach(ines))
    failed = lot.steps.get(state=Step.State.FAILED)
    assert (failed.kind, failed.problem["unchanged"]) == ("offer_volume", "The step acted; an undo takes that back.")
    assert len(outside(estate)["connections"]) == len(before["connections"]) + 1
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert outside(estate) == before


def test_an_expired_token_is_renewed_without_notice(estate: StandIns, ines: User) -> None:
    lot = attach(ines)
    actions.run(lot)
    for device in ("granite", "quay-01", "quay-02", "quay-03"):
        estate.fault(device, "expire")
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.DONE


def test_a_volume_that_carries_a_file_system_is_never_formatted(estate: StandIns, ines: User) -> None:
    lot = attach(ines)
    actions.run(lot)
    SigningDriver(Lot.objects.get(pk=lot.pk), estate).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.FAILED
    assert lot.steps.get(state=Step.State.FAILED).kind == "format_device"
    assert next(v for v in estate.world()["volumes"] if v["name"] == "berth-e")["signature_kind"] == "filesystem"


class SigningDriver(Driver):
    """Somebody puts a file system onto the volume once it is offered."""

    def __init__(self, lot: Lot, standins: StandIns) -> None:
        super().__init__(lot)
        self.standins, self.signed = standins, False

    def _collect(self) -> None:
        super()._collect()
        if not self.signed and self.steps["1"].state == Step.State.DONE:
            self.standins.control("sign", volume="berth-e", kind="filesystem")
            self.signed = True


def test_a_target_that_filled_meanwhile_stops_the_move_and_the_disk_stays(estate: StandIns, ines: User) -> None:
    disk, target = Disk.objects.get(identity="berth-plan-db-1"), Datastore.objects.get(name="berth-b")
    lot = drafted("balance", ines, group="quayside", moves=[{"disk": disk.pk, "target": target.pk}])
    actions.run(lot)
    estate.control("grow", datastore="berth-b", bytes=int(2.2 * TIB))
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    step = lot.steps.get()
    assert (lot.state, step.problem["code"]) == (Lot.State.FAILED, "target_full")
    assert "stays on berth-a" in step.problem["unchanged"]
    assert estate.placement()["berth-plan-db-1"] == "ds-0001-kestrel"


def test_what_changed_between_check_and_run_is_said_and_nothing_runs(estate: StandIns, ines: User) -> None:
    lot = drafted("balance", ines, group="quayside")
    estate.control("grow", datastore="berth-a", bytes=TIB // 4)
    with pytest.raises(Problem) as stale:
        actions.run(lot)
    assert stale.value.code == "stale"
    assert "fill of berth-a was 94.9%" in stale.value.detail
    lot.refresh_from_db()
    assert lot.state == Lot.State.DRAFT


def test_a_device_that_is_away_stops_the_run_before_anything_is_sent(estate: StandIns, ines: User) -> None:
    lot = attach(ines)
    estate.fault("quay-02", "away")
    with pytest.raises(Problem) as away:
        actions.run(lot)
    assert away.value.code == "check_stops"
    assert "quay-02 does not answer" in away.value.detail
    assert "berth-e" not in {v["name"] for v in estate.world()["volumes"]}


def test_two_lots_on_the_same_devices_do_not_run_at_once(estate: StandIns, ines: User) -> None:
    first, second = drafted("balance", ines, group="quayside"), attach(ines)
    actions.run(first)
    with pytest.raises(Problem) as busy:
        actions.run(second)
    assert f"Lot {first.pk} runs on quay-" in busy.value.detail
    Driver(Lot.objects.get(pk=first.pk)).run()
    assert run_to_end(second).state == Lot.State.DONE


def test_a_driver_that_takes_over_finds_the_true_state_of_each_step(estate: StandIns, ines: User) -> None:
    """As after a worker's death: steps are marked running, one is done on the device, one under way, none known."""
    estate.control("pace", pace=1500)
    lot = drafted("balance", ines, group="quayside")
    actions.run(lot)
    dead = Driver(Lot.objects.get(pk=lot.pk))
    lot.steps.update(state=Step.State.RUNNING)
    for step in lot.steps.all():
        step_of(step, dead.steps).begin(StepRun(step.key, session_with(step.device)))
    tasks = len(estate.world()["tasks"])
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.DONE
    assert len(estate.world()["tasks"]) == tasks


def test_a_slow_device_is_waited_for_and_then_said_to_be_away(estate: StandIns, ines: User, settings: Settings) -> None:
    settings.AWAY_PATIENCE_SECONDS = 1.0
    lot = drafted("uplinks", ines, host="quay-03")
    actions.run(lot)
    estate.fault("quay-03", "timeout")
    Driver(Lot.objects.get(pk=lot.pk)).run()
    estate.fault("quay-03")
    lot.refresh_from_db()
    assert lot.state == Lot.State.FAILED
    assert "did not answer within" in lot.steps.first().problem["message"]  # type: ignore[union-attr]


def test_what_steps_took_is_what_the_next_ones_are_expected_to_take(estate: StandIns, ines: User) -> None:
    """Scans are stated as the host tells; once a few were seen, the next lot expects what they took."""
    first = run_to_end(attach(ines, name="berth-t1"))
    took = sorted(
        (step.ended_at - step.started_at).total_seconds()
        for step in first.steps.filter(kind="create_volume")
        if step.ended_at and step.started_at
    )
    assert took
    pace = StepPace.objects.get(kind="scan", device=0)
    assert len(pace.factors) == first.steps.filter(kind="scan").count()
    StepPace.objects.filter(kind="scan", device=0).update(factors=[300.0, 300.0, 300.0])
    StepPace.objects.filter(kind="scan", device__gt=0).delete()
    second = attach(ines, name="berth-t2")
    for step in second.steps.filter(kind="scan"):
        assert step.estimate_seconds == pytest.approx(300.0 * step.stated_seconds)
        assert step.planned_end == pytest.approx(step.planned_start + step.estimate_seconds)


def test_steps_that_stay_the_same_are_not_written_again(estate: StandIns, ines: User) -> None:
    lot = attach(ines, name="berth-t1")
    keys = list(lot.steps.values_list("pk", flat=True))
    assert list(redraft(lot).steps.values_list("pk", flat=True)) == keys
    lot.form["name"] = "berth-t2"
    assert not set(redraft(lot).steps.values_list("pk", flat=True)) & set(keys)
