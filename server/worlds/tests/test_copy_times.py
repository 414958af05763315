"""Copies: how long they take, learned by the pools between which they go, and how many at once pools bear."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import timedelta
from itertools import pairwise

import numpy as np
import pytest
from django.utils.timezone import now

from movelot.accounts.models import User
from movelot.inventory.known_groups import known_group
from movelot.inventory.models import BalanceGroup, Datastore, Device, Disk, Pool
from movelot.lots import actions
from movelot.lots.drafting import redraft
from movelot.lots.models import Lot, Step
from movelot.lots.pace import learn_from
from movelot.placement.copies import hours_text, rates_of
from server.tests.conftest import drafted
from server.worlds.tests.world import World

HOSTS = ("quay-1", "quay-2")


@pytest.fixture
def two_pools(world: World) -> World:
    """Six disks in one pool, with a datastore beside theirs and one of another pool."""
    world.array("flint", fast=60, slow=60)
    for host in HOSTS:
        world.host(host)
    for name, pool in (("berth-a", "fast"), ("berth-b", "fast"), ("berth-c", "slow")):
        world.datastore(name, [world.volume("flint", pool, name, 4, HOSTS)], 4, 0.3, HOSTS)
    world.machine("ledger", "quay-1", **{f"d{n}": ("berth-a", 40) for n in range(6)})
    world.read()
    return world


def moving(user: User, *targets: str) -> Lot:
    """A lot that moves the first disks, one to each of these."""
    stores = {store.name: store.pk for store in Datastore.objects.all()}
    disks = Disk.objects.order_by("pk").values_list("pk", flat=True)
    moves = [{"disk": disk, "target": stores[target]} for disk, target in zip(disks, targets, strict=False)]
    return drafted("balance", user, group="quayside", moves=moves)


def taken(lot: Lot, longer: dict[str, float]) -> None:
    """As if the copies to each datastore had taken so many times what they stated."""
    begun = now() - timedelta(hours=1)
    for step in lot.steps.filter(kind="move_disk"):
        seconds = step.stated_seconds * longer[step.params["target_name"]]
        changed = {"state": Step.State.DONE, "started_at": begun, "ended_at": begun + timedelta(seconds=seconds)}
        Step.objects.filter(pk=step.pk).update(**changed)
    learn_from(lot)


def test_copies_are_expected_to_take_as_long_as_those_between_the_same_pools(two_pools: World, ines: User) -> None:
    taken(moving(ines, *["berth-b"] * 3, *["berth-c"] * 3), {"berth-b": 0.5, "berth-c": 4.0})
    lot = redraft(moving(ines, "berth-b", "berth-c"))
    longer = {
        step.params["target_name"]: step.estimate_seconds / step.stated_seconds
        for step in lot.steps.filter(kind="move_disk")
    }
    assert longer == {"berth-b": pytest.approx(0.5, rel=1e-2), "berth-c": pytest.approx(4.0, rel=1e-2)}
    # The page of the plan says what the lot does.
    rows = {move["target_name"]: move["end"] - move["start"] for move in lot.plan["moves"]}
    steps = {step.params["target_name"]: step.estimate_seconds for step in lot.steps.filter(kind="move_disk")}
    assert rows == {name: pytest.approx(seconds, rel=1e-2) for name, seconds in steps.items()}


def test_what_is_not_known_between_two_pools_is_as_copies_are_altogether(two_pools: World, ines: User) -> None:
    taken(moving(ines, "berth-b", "berth-b", "berth-b"), {"berth-b": 2.0})
    found = known_group(BalanceGroup.objects.get(name="quayside"))
    rates = rates_of(found)
    fast, slow = (found.pool_keys.index(Pool.objects.get(name=name).pk) for name in ("fast", "slow"))
    assert rates.between == {(fast, fast): pytest.approx(2.0, rel=1e-2)}
    assert rates.longer == pytest.approx(2.0, rel=1e-2)
    lot = moving(ines, "berth-c")
    [step] = lot.steps.filter(kind="move_disk")
    assert step.estimate_seconds == pytest.approx(2.0 * step.stated_seconds, rel=1e-2)
    assert slow != fast


def test_two_copies_say_too_little(two_pools: World, ines: User) -> None:
    taken(moving(ines, "berth-b", "berth-b"), {"berth-b": 3.0})
    rates = rates_of(known_group(BalanceGroup.objects.get(name="quayside")))
    assert (rates.longer, rates.between) == (1.0, {})


def checks_of(lot: Lot) -> list[tuple[str, str]]:
    name = "copies beside the pools' own load"
    return [(check["level"], check["text"]) for check in lot.checks if check["name"] == name]


def test_no_more_copies_run_at_once_than_the_pools_bear(two_pools: World, ines: User) -> None:
    targets = ["berth-b"] * 2 + ["berth-c"] * 4
    found = known_group(BalanceGroup.objects.get(name="quayside"))
    fast = found.group.pools.index("fast")
    free = float((found.group.load_limit[fast] - found.group.found.load[fast]).min())
    calm = moving(ines, *targets)
    Device.objects.update(work_costs={"copied": int(free / 1000)})
    lot = redraft(calm)
    assert lot.limits == {"pool fast": 4, "pool slow": 4}
    assert [level for level, _text in checks_of(lot)] == ["pass"]
    Device.objects.update(work_costs={"copied": int(free * 2)})
    lot = redraft(calm)
    assert lot.limits == {"pool fast": 1, "pool slow": 1}
    assert ("warn", "One copy alone brings fast over its latency ceiling at all hours.") in checks_of(lot)
    steps = list(lot.steps.filter(kind="move_disk").order_by("planned_start"))
    assert all("pool fast" in step.slots for step in steps)
    for first, second in pairwise(steps):
        assert first.planned_end <= second.planned_start + 1e-6


def test_what_takes_a_lot_back_keeps_to_its_limits(two_pools: World, ines: User) -> None:
    Device.objects.update(work_costs={"copied": 10_000_000})
    lot = moving(ines, "berth-b", "berth-c")
    lot.steps.update(state=Step.State.DONE, touched=True)
    Lot.objects.filter(pk=lot.pk).update(state=Lot.State.DONE)
    back = actions.undo(Lot.objects.get(pk=lot.pk), ines)
    assert back.limits == lot.limits == {"pool fast": 1, "pool slow": 1}


@pytest.mark.parametrize(
    ("hours", "text"),
    [
        ([9, 10, 14, 33], "on weekdays 09:00 to 11:00 and 14:00 to 15:00, at weekends 09:00 to 10:00"),
        ([23], "on weekdays 23:00 to 24:00"),
        (range(24, 48), "at weekends at all hours"),
        (range(48), "at all hours"),
    ],
)
def test_hours_are_said_as_runs(hours: Iterable[int], text: str) -> None:
    assert hours_text(np.isin(np.arange(48), list(hours))) == text
