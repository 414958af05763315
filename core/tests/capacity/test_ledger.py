"""The account of bytes adds up, and says what it cannot account for."""

from __future__ import annotations

from hypothesis import given, settings
from hypothesis import strategies as st

from movelot_core.capacity.ledger import (
    Layer,
    StoreUse,
    VolumeUse,
    pool_account,
    split,
    store_account,
    unknown_bytes,
    volume_account,
)

SIZES = st.integers(0, 2**50)
USES = st.builds(
    lambda free, used, *held: StoreUse(free + used, free, *held),
    *[SIZES] * 7,
)
VOLUMES = st.builds(VolumeUse, SIZES, SIZES, SIZES, st.booleans(), st.booleans(), st.lists(USES, max_size=3))


def test_the_worked_example() -> None:
    store = StoreUse(1000, 400, disk_bytes=500, written_bytes=300, snapshot_bytes=40, image_bytes=20)
    assert (store_account(store).of(Layer.OTHER), unknown_bytes(store)) == (60, 40)
    found = volume_account(VolumeUse(1000, 700, stores=[store]))
    assert found.layers == {
        Layer.LIVE: 300,
        Layer.PROMISED: 200,
        Layer.SNAPSHOTS: 40,
        Layer.OTHER: 60,
        Layer.DEAD: 100,
    }
    assert found.difference == 0


def test_what_is_promised_need_not_be_held_yet() -> None:
    """Disks of 500 of which 300 are written: a thin volume may hold 350; less than 300 cannot be, and is told."""
    store = StoreUse(1000, 500, disk_bytes=500, written_bytes=300)
    held = volume_account(VolumeUse(1000, 350, stores=[store]))
    assert (held.layers, held.difference) == ({Layer.LIVE: 300, Layer.PROMISED: 50}, 0)
    lost = volume_account(VolumeUse(1000, 250, stores=[store]))
    assert (lost.layers, lost.difference) == ({Layer.LIVE: 250}, -50)


def test_a_thick_volume_has_promises_and_nothing_dead() -> None:
    store = StoreUse(1000, 900, disk_bytes=100, written_bytes=100)
    found = volume_account(VolumeUse(1000, 1000, thin=False, stores=[store]))
    assert found.layers == {Layer.LIVE: 100, Layer.PROMISED: 900}


def test_a_volume_without_a_datastore_is_unused_unless_a_machine_has_it() -> None:
    assert volume_account(VolumeUse(10, 7)).layers == {Layer.UNUSED: 7}
    assert volume_account(VolumeUse(10, 7, raw=True)).layers == {Layer.LIVE: 7}


def test_saved_bytes_are_shared_by_all_layers() -> None:
    """1,000 above are kept in 500: each layer takes half."""
    store = StoreUse(2000, 1000, disk_bytes=800, written_bytes=600, snapshot_bytes=200)
    found = volume_account(VolumeUse(2000, 500, 500, stores=[store]))
    assert found.layers == {Layer.LIVE: 300, Layer.PROMISED: 100, Layer.SNAPSHOTS: 100}


def test_a_pool_tells_what_its_volumes_do_not_hold() -> None:
    found = pool_account(1000, 400, [VolumeUse(500, 300), VolumeUse(100, 60, raw=True)])
    assert found.layers == {Layer.UNUSED: 300, Layer.LIVE: 60, Layer.FREE: 600}
    assert found.difference == 40


def test_more_on_a_datastore_than_it_says_is_used_is_told() -> None:
    assert store_account(StoreUse(1000, 900, disk_bytes=150, written_bytes=150)).difference == -50


@settings(max_examples=1000)
@given(capacity=SIZES, free=SIZES, volumes=st.lists(VOLUMES, max_size=6))
def test_layers_add_up_to_the_byte(capacity: int, free: int, volumes: list[VolumeUse]) -> None:
    for volume in volumes:
        found = volume_account(volume)
        assert sum(found.layers.values()) == volume.allocated_bytes
        assert all(size >= 0 for size in found.layers.values())
        for store in volume.stores:
            account = store_account(store)
            assert sum(account.layers.values()) + account.difference == store.capacity_bytes
    allocated = capacity - min(free, capacity)
    whole = pool_account(capacity, allocated, volumes)
    assert sum(whole.layers.values()) + whole.difference == capacity


@given(total=SIZES, parts=st.dictionaries(st.sampled_from(list(Layer)), SIZES))
def test_what_is_split_keeps_its_sum_and_its_order(total: int, parts: dict[Layer, int]) -> None:
    found = split(total, parts)
    assert sum(found.values()) == total
    whole = sum(parts.values())
    for layer, size in found.items() if whole else ():
        assert abs(size * whole - total * parts[layer]) < whole


def test_what_is_saved_beneath_and_free_to_hosts_is_shared_by_the_layers() -> None:
    """Worked example: disks of 500, 300 of them written, and snapshots of 100; a third of the 600 is saved."""
    store = StoreUse(1000, 600, disk_bytes=500, written_bytes=300, snapshot_bytes=100, reduced_bytes=200)
    found = store_account(store)
    assert found.difference == 0
    assert found.of(Layer.LIVE) == 200
    assert found.of(Layer.PROMISED) == 133
    assert found.of(Layer.SNAPSHOTS) == 67
    assert sum(found.layers.values()) == 1000
    # Its volume tells the same: nothing of what was saved is dead.
    volume = VolumeUse(0, 400, reduced_bytes=200, stores=(store,))
    assert volume_account(volume).of(Layer.DEAD) == 0
    assert volume_account(volume).difference == 0
