"""Rows as arrays: what the planner is told is what was read and measured."""

from __future__ import annotations

import numpy as np
import pytest

from conftest import StandIns
from movelot.balance.planning import moves_of, place_of
from movelot.findings.judging import judge_due
from movelot.inventory.changes import everything_changed
from movelot.inventory.known_groups import SLOTS, WEEKDAY, WEEKEND, group_version, growth_of, hour_name, known_group
from movelot.inventory.models import BalanceGroup, Datastore, Disk, Mount, Pool, PoolHour
from movelot_core.balance.clear import clear
from movelot_core.balance.group import Group, Ints, broken_musts, judge
from movelot_core.balance.plan import Plan
from movelot_core.solver import Budget
from server.tests.conftest import plan_of


def quayside() -> BalanceGroup:
    return BalanceGroup.objects.get(name="quayside")


def test_the_estate_is_the_demo_as_read(estate: StandIns) -> None:
    found = known_group(quayside())
    stores = Datastore.objects.filter(membership__group=quayside())
    assert found.group.datastores == tuple(stores.order_by("name").values_list("name", flat=True))
    pools = Pool.objects.filter(volumes__serial__in=stores.values("extents__serial")).distinct()
    assert found.group.pools == tuple(pools.order_by("name").values_list("name", flat=True))
    disks = Disk.objects.filter(placement__datastore__in=stores)
    assert found.group.disks == tuple(disks.order_by("name").values_list("name", flat=True))
    assert found.group.features.shape == (4, disks.count(), SLOTS)
    used = {store.name: store.capacity_bytes - store.free_bytes for store in stores}
    assert dict(zip(found.group.datastores, found.state.used_bytes, strict=True)) == used


def test_predicted_peaks_stay_near_what_was_measured(estate: StandIns) -> None:
    """The 95th percentile of a pool's measured latency at its peak hour, against the curve on the summed profiles."""
    found = known_group(quayside())
    for number, key in enumerate(found.pool_keys):
        rows = PoolHour.objects.filter(pool=key, latency_ms__isnull=False).values_list("hour", "latency_ms")
        at_ten = [latency for hour, latency in rows if hour.hour == 10 and hour.weekday() < 5]
        predicted = found.state.latency_ms[number, WEEKDAY][10]
        assert predicted == pytest.approx(np.percentile(at_ten, 95), rel=0.2)


def test_weekends_are_quieter_than_weekdays_at_the_gates(estate: StandIns) -> None:
    found = known_group(quayside())
    fast = found.group.pools.index("granite-fast")
    assert found.state.load[fast, WEEKEND].max() < found.state.load[fast, WEEKDAY].max()
    assert hour_name(10) == (10, "weekday")
    assert hour_name(34) == (10, "weekend")


def test_coincidence_never_says_more_than_the_sum(estate: StandIns) -> None:
    for pool in Pool.objects.filter(volumes__isnull=False).distinct():
        shares = np.frombuffer(pool.coincidence, dtype=np.float32)
        assert shares.shape == (SLOTS,)
        assert ((shares > 0) & (shares <= 1)).all()


def test_a_datastore_that_one_host_lacks_serves_no_machine(estate: StandIns) -> None:
    Mount.objects.filter(datastore__name="berth-d", host__name="quay-02").delete()
    everything_changed()
    found = known_group(quayside())
    number = found.group.datastores.index("berth-d")
    assert not found.group.reach[:, number].any()
    moves = plan_of("quayside").moves
    assert moves
    assert all(target != found.store_keys[number] for _, target in moves)
    place, lost = place_of(found, moves_of(plan_of("quayside")))
    assert (broken_musts(found.group, place), lost) == ([], [])


def test_a_pinned_disk_stays(estate: StandIns) -> None:
    first = plan_of("quayside")
    disks = {disk for disk, _ in first.moves}
    Disk.objects.filter(pk__in=disks).update(pinned=True)
    everything_changed()
    second = plan_of("quayside")
    found = known_group(quayside())
    assert judge(found.group, place_of(found, moves_of(second))[0]).clear
    assert disks.isdisjoint(disk for disk, _ in second.moves)
    assert second.moved_bytes >= first.moved_bytes


def test_a_plan_is_stored_by_whoever_judges_and_read_by_all_others(
    estate: StandIns, monkeypatch: pytest.MonkeyPatch
) -> None:
    judge_due()
    made: list[int] = []

    def counted(estate: Group, out: Ints, budget: Budget) -> Plan:
        if "berth-a" in estate.datastores:
            made.append(1)
        return clear(estate, out, budget)

    monkeypatch.setattr("movelot.balance.aims.clear", counted)
    first, version = plan_of("quayside"), group_version()
    everything_changed()
    assert group_version() != version
    # Nothing that a plan rests on has changed.
    assert (plan_of("quayside"), made) == (first, [])
    Disk.objects.filter(identity="berth-plan-db-1").update(pinned=True)
    everything_changed()
    judge_due()
    assert len(made) == 1
    assert plan_of("quayside") != first
    assert len(made) == 1


def test_thirty_days_of_use_are_kept_for_the_trend(estate: StandIns) -> None:
    key = Datastore.objects.get(name="berth-a").pk
    days, used = growth_of([key])[key]
    assert len(days) >= 28
    # It goes up and down within a week, and by 12 GiB a day in all.
    assert (used[-1] - used[0]) / (days[-1] - days[0]) == pytest.approx(12 * 2**30, rel=0.2)
