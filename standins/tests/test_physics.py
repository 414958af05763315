"""The world's own physics and the planted troubles."""

from __future__ import annotations

import time

import numpy as np
import pytest

from movelot_standins import store
from movelot_standins.actions import ActionError, move_disk, scan_now
from movelot_standins.clockwork import advance
from movelot_standins.model import GIB, World
from movelot_standins.physics import pool_day, response_ms
from movelot_standins.scenario import build
from movelot_standins.space import used_bytes
from movelot_standins.waiting import WAITS

NOW = 1_795_500_000.0


@pytest.fixture
def world() -> World:
    made = build(NOW)
    for host in made.hosts:
        scan_now(made, host)
    return made


@pytest.mark.parametrize(("size", "counts"), [("demo", (13, 190, 411, 16)), ("small", (10, 43, 59, 12))])
def test_the_scenario_is_the_same_each_time(size: str, counts: tuple[int, ...]) -> None:
    world = build(NOW, size)
    assert build(NOW, size).machines == world.machines
    assert (len(world.hosts), len(world.machines), len(world.disks()), len(world.datastores)) == counts
    assert len({machine.address for machine in world.machines}) == len(world.machines)


def test_basalt_deep_is_promised_beyond_its_size(world: World) -> None:
    deep = world.pool("basalt-deep")
    assert sum(volume.size_bytes for volume in world.volumes if volume.pool == deep.name) > deep.capacity_bytes


def test_berth_a_is_over_its_ceiling_and_grows(world: World) -> None:
    berth_a = world.datastores[0]
    assert 0.93 < used_bytes(world, berth_a, NOW) / berth_a.capacity_bytes < 0.97
    assert used_bytes(world, berth_a, NOW + 86400) - used_bytes(world, berth_a, NOW) == 12 * GIB


def test_granite_fast_is_slow_at_the_weekday_peak_only(world: World) -> None:
    fast = world.pool("granite-fast")
    days = np.array([pool_day(world, fast, int(NOW // 86400) - back) for back in range(28)])
    peak = np.percentile(days, 95, axis=0)
    assert peak[10] > 9
    assert peak[3] < 3


def test_quay_03_sees_half_of_its_paths(world: World) -> None:
    seen = {host.name: len(next(iter(host.known.values()))) for host in world.hosts[:3]}
    assert seen == {"quay-01": 8, "quay-02": 8, "quay-03": 4}


@pytest.mark.parametrize("name", list(WAITS))
def test_response_rises_with_load_and_has_an_end_in_every_kind_of_pool(world: World, name: str) -> None:
    pool = world.pool("granite-fast")
    pool.waits = name
    at = [float(response_ms(pool, share * pool.drives * 1000)) for share in (0.0, 0.2, 0.5, 0.7, 0.9, 0.97, 1.5)]
    assert at == sorted(at)
    assert at[0] == pool.front_ms + pool.service_ms
    assert 4 * at[0] < at[5]
    assert np.isfinite(at[6])


def test_pools_are_not_all_of_one_kind(world: World) -> None:
    kinds = {pool.name: pool.waits for pool in world.pools}
    assert kinds["granite-fast"] == "eight behind a cache"
    assert (kinds["basalt-deep"], kinds["shale-home"], kinds["granite-mixed"]) == (
        "knee",
        "behind a cache",
        "one queue",
    )


def test_a_cache_hides_the_disks_until_it_is_full_and_a_knee_comes_late() -> None:
    busy = np.array([0.1, 0.3, 0.45, 0.6])
    assert (WAITS["behind a cache"](busy) > 0).tolist() == [False, False, True, True]
    assert (WAITS["knee"](busy) > 0).tolist() == [False, False, False, True]
    # Of eight paths one is free nearly always, until nearly all are taken.
    assert WAITS["eight behind a cache"](busy)[3] < 0.3
    assert WAITS["eight behind a cache"](np.array([0.95]))[0] > 10


def copy(world: World, offloaded: bool) -> float:
    task = move_disk(world, world.hosts[0], "berth-plan-db-1", world.datastores[3].id, "k", NOW)
    task.offloaded = offloaded
    advance(world, 0.001, NOW)
    return task.rate


def test_the_array_copies_faster_than_hosts_do(world: World) -> None:
    by_array = copy(world, True)
    world.tasks.clear()
    assert by_array > 2 * copy(world, False)


def test_copies_slow_the_pool_they_read_from(world: World) -> None:
    from movelot_standins.physics import pool_now

    before = pool_now(world, world.pool("granite-mixed"), NOW)[0]
    copy(world, True)
    assert pool_now(world, world.pool("granite-mixed"), NOW)[0] > before


def test_a_full_target_refuses_a_copy(world: World) -> None:
    world.datastores[3].other_bytes = world.datastores[3].capacity_bytes - 900 * GIB - 1300 * GIB
    with pytest.raises(ActionError) as refused:
        move_disk(world, world.hosts[0], "berth-plan-db-1", world.datastores[3].id, "k", NOW)
    assert refused.value.key == "InsufficientStorage"


def test_the_state_file_holds_everything(world: World, tmp_path: object) -> None:
    from pathlib import Path

    copy(world, True)
    file = Path(str(tmp_path)) / "world.json"
    store.save(world, file)
    assert store.load(file) == world


def test_thirty_days_of_history_cost_little(world: World) -> None:
    start = time.perf_counter()
    for back in range(30):
        pool_day(world, world.pools[0], int(NOW // 86400) - back)
    assert time.perf_counter() - start < 5
