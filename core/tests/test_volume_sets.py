"""Volumes that machines take on a volume set, and the room that is left for more."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.volume_sets import MachineShape, nearly_full, room_in, volumes_of

SHAPES = st.builds(MachineShape, st.integers(0, 12), st.integers(0, 6), st.booleans())


def test_a_machine_takes_a_volume_for_each_disk_snapshot_and_its_swap() -> None:
    assert volumes_of(MachineShape(disks=2)) == 3
    assert volumes_of(MachineShape(disks=2, running=False)) == 2
    assert volumes_of(MachineShape(disks=2, snapshots=1)) == 5


def test_the_room_is_counted_in_typical_machines() -> None:
    room = room_in(60, 52, [MachineShape(2)] * 4)
    assert (room.needed, room.machines, room.fits) == (12, 2, False)
    assert room_in(60, 48, [MachineShape(2)] * 4).fits


@given(st.integers(1, 500), st.integers(0, 500), st.lists(SHAPES, max_size=20))
def test_as_many_typical_machines_as_are_said_to_fit_do_fit(most: int, held: int, machines: list[MachineShape]) -> None:
    room = room_in(most, held, machines)
    typical = max(1.0, room.needed / len(machines)) if machines else 1.0
    assert room.machines * typical <= max(0, most - held) + 1e-9
    assert (room.machines + 1) * typical > max(0, most - held) - 1e-9


@pytest.mark.parametrize(("most", "held", "full"), [(60, 47, False), (60, 48, True), (60, 60, True), (0, 900, False)])
def test_a_set_is_nearly_full_with_four_fifths_of_its_volumes(most: int, held: int, full: bool) -> None:
    assert nearly_full(most, held) is full
