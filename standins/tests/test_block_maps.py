"""Blocks that volumes hold: dead ones after deletes and moves, reduced ones, and samples of them."""

from __future__ import annotations

import numpy as np
import pytest

from movelot_standins import space, space_actions
from movelot_standins.actions import ActionError, move_disk, scan_now
from movelot_standins.block_contents import BLOCK_BYTES, Item, sample
from movelot_standins.clockwork import advance, cancel
from movelot_standins.file_actions import resize
from movelot_standins.model import GIB, TIB, Datastore, Disk, Host, Task, Volume, World
from movelot_standins.scenario import build

NOW = 1_795_500_000.0


@pytest.fixture
def world() -> World:
    made = build(NOW)
    for host in made.hosts:
        scan_now(made, host)
    return made


def volume(world: World, name: str) -> Volume:
    return next(each for each in world.volumes if each.name == name)


def datastore(world: World, name: str) -> Datastore:
    return next(each for each in world.datastores if each.name == name)


def first_disk(world: World, machine: str) -> Disk:
    return next(each.disks[0] for each in world.machines if each.name == machine)


def quay(world: World) -> Host:
    return world.hosts[0]


def held(world: World, name: str) -> int:
    return space.allocated_bytes(world, volume(world, name), NOW)


def dead(world: World, name: str) -> int:
    return space.dead_bytes(world, volume(world, name), NOW)


def moved(world: World, machine: str, target: str, seconds: float = 1e9) -> Task:
    task = move_disk(world, quay(world), first_disk(world, machine).id, datastore(world, target).id, machine, NOW)
    advance(world, seconds, NOW)
    return task


def ended(world: World, task: Task) -> None:
    advance(world, 1e9, NOW)
    assert task.state == "Completed"


def test_the_planted_dead_blocks_are_there(world: World) -> None:
    assert {each.name for each in world.volumes if space.dead_bytes(world, each, NOW)} == {"slate-02"}
    assert dead(world, "slate-02") == 3 * TIB


def test_a_disk_that_moves_away_leaves_its_blocks_and_what_comes_uses_them_again(world: World) -> None:
    before = {name: held(world, name) for name in ("berth-c", "berth-d")}
    size = first_disk(world, "mail-relay").size_bytes
    moved(world, "mail-relay", "berth-d")
    assert dead(world, "berth-c") == size
    assert held(world, "berth-c") == before["berth-c"]
    assert held(world, "berth-d") == before["berth-d"] + size
    world.tasks.clear()
    moved(world, "mail-relay", "berth-c")
    assert (dead(world, "berth-c"), dead(world, "berth-d")) == (0, size)


def test_a_file_array_keeps_nothing_of_what_was_deleted(world: World) -> None:
    moved(world, "archive-02", "sand-02")
    assert dead(world, "sand-01") == 0


def test_a_copy_that_is_cancelled_leaves_what_had_arrived(world: World) -> None:
    task = moved(world, "mail-relay", "berth-d", seconds=1.0)
    arrived = int(task.done)
    assert 0 < arrived < task.total
    space.remember(world, NOW)
    cancel(task, NOW)
    assert dead(world, "berth-d") == arrived


def test_blocks_are_given_back_bit_by_bit_and_not_faster_than_asked(world: World) -> None:
    world.pace = 1.0
    pool = space.pool_free_bytes(world, world.pool("basalt-deep"), NOW)
    task = space_actions.return_blocks(world, quay(world), volume(world, "slate-02").serial, "k", 100.0 * GIB, NOW)
    advance(world, 10.0, NOW)
    # The array takes back no more than it can.
    assert task.done == 40 * GIB
    assert space.pool_free_bytes(world, world.pool("basalt-deep"), NOW) == pool + 40 * GIB
    cancel(task, NOW)
    assert dead(world, "slate-02") == 3 * TIB - 40 * GIB
    slow = space_actions.return_blocks(world, quay(world), volume(world, "slate-02").serial, "l", 1.0 * GIB, NOW)
    advance(world, 10.0, NOW)
    assert slow.done == 10 * GIB
    ended(world, slow)
    assert dead(world, "slate-02") == 0
    assert space_actions.return_blocks(world, quay(world), volume(world, "slate-02").serial, "l", 1.0, NOW) is slow


def test_two_kinds_of_work_on_one_volume_do_not_run_at_once(world: World) -> None:
    serial = volume(world, "slate-02").serial
    space_actions.return_blocks(world, quay(world), serial, "k", 1.0, NOW)
    with pytest.raises(ActionError, match="Other work"):
        space_actions.return_blocks(world, quay(world), serial, "l", 1.0, NOW)


def reduced(world: World, name: str, **wanted: bool) -> Task:
    body = {"Key": f"{name} {wanted}", **wanted}
    return space_actions.reduce(world, "shale", volume(world, name).serial, body, NOW)


def test_desktops_of_one_image_are_kept_once_and_grow_back(world: World) -> None:
    before = held(world, "sand-03")
    task = reduced(world, "sand-03", Deduplicated=True)
    assert held(world, "sand-03") == before
    ended(world, task)
    after = held(world, "sand-03")
    # 68 desktops hold most of 24 GiB of the image each, and more than a third of their disks was never written.
    assert after < 0.4 * before
    both = reduced(world, "sand-03", Compressed=True)
    ended(world, both)
    assert held(world, "sand-03") < 0.8 * after
    ended(world, reduced(world, "sand-03", Compressed=False, Deduplicated=False))
    assert held(world, "sand-03") == before


def test_what_two_volumes_share_counts_for_both_in_parts_and_adds_up(world: World) -> None:
    for name in ("sand-02", "sand-03"):
        ended(world, reduced(world, name, Deduplicated=True))
    items = [item for name in ("sand-02", "sand-03") for item in space.items_of(world, volume(world, name), NOW)]
    longest: dict[str, int] = {}
    for item in items:
        longest[item.stream] = max(longest.get(item.stream, 0), item.size)
    longest.pop("")
    assert held(world, "sand-02") + held(world, "sand-03") == pytest.approx(sum(longest.values()), abs=4)


def test_half_way_it_saves_half_and_turns_back_from_there(world: World) -> None:
    before = held(world, "sand-03")
    world.pace = 1.0
    task = reduced(world, "sand-03", Deduplicated=True)
    advance(world, task.total / 2 / (0.6 * GIB), NOW)
    half = held(world, "sand-03")
    cancel(task, NOW)
    back = reduced(world, "sand-03", Deduplicated=False)
    assert held(world, "sand-03") == pytest.approx(half, abs=GIB)
    ended(world, back)
    assert held(world, "sand-03") == before


def test_what_cannot_be_reduced_or_grown_back_is_refused(world: World) -> None:
    with pytest.raises(ActionError, match="cannot reduce data"):
        space_actions.reduce(world, "granite", volume(world, "berth-c").serial, {"Compressed": True}, NOW)
    thick = volume(world, "slate-09")
    thick.pool = "granite-fast"
    with pytest.raises(ActionError, match="not thin"):
        space_actions.reduce(world, "granite", thick.serial, {"Compressed": True}, NOW)
    ended(world, reduced(world, "sand-03", Deduplicated=True))
    small = held(world, "sand-03")
    world.pool("shale-home").capacity_bytes = space.allocated_bytes(world, volume(world, "sand-02"), NOW) + small
    with pytest.raises(ActionError, match="no room"):
        reduced(world, "sand-03", Deduplicated=False)
    assert (held(world, "sand-03"), volume(world, "sand-03").reduced_share) == (small, 1.0)


def test_the_same_blocks_are_sampled_wherever_they_are_and_however_it_is_asked_for() -> None:
    short, long = [Item("image desktop", 4 * GIB)], [Item("disk a", GIB), Item("image desktop", 16 * GIB)]
    a, b = sample(short, 0, TIB, 512), sample(long, 0, TIB, 512)
    assert set(a.fingerprints) <= set(b.fingerprints)
    # One in 512 of 262,144 blocks.
    assert 400 < len(a.fingerprints) < 640
    parts = [sample(long, begin * GIB, GIB, 512) for begin in range(17)]
    assert np.array_equal(np.sort(np.concatenate([part.fingerprints for part in parts])), np.sort(b.fingerprints))
    assert sum(part.blocks for part in parts) == 17 * GIB // BLOCK_BYTES
    finer = sample(short, 0, TIB, 128)
    assert set(a.fingerprints) <= set(finer.fingerprints)


def test_a_file_system_grows_and_shrinks_down_to_what_is_in_it(world: World) -> None:
    used = space.used_bytes(world, datastore(world, "sand-01"), NOW)
    resize(world, volume(world, "sand-01"), 8 * TIB, NOW)
    assert datastore(world, "sand-01").capacity_bytes == 8 * TIB
    resize(world, volume(world, "sand-01"), used, NOW)
    assert space.free_bytes(world, datastore(world, "sand-01"), NOW) == 0
    with pytest.raises(ActionError, match="bytes in it"):
        resize(world, volume(world, "sand-01"), used - 1, NOW)
