"""Disk images of the stand-ins: files as the open formats have them, and blocks that arrive and are read again."""

from __future__ import annotations

import time
from pathlib import Path

import pyqcow
import pytest
import pyvmdk

from movelot_standins import image_actions, scenario
from movelot_standins.actions import ActionError
from movelot_standins.contents import Contents
from movelot_standins.image_files import packed_disk, qcow2
from movelot_standins.model import Host, World
from movelot_standins.space import used_bytes

MIB = 1024**2
SIZE = 256 * MIB
PIECES = {0: b"boot" * 1000, 70 * MIB + 5: bytes(range(256)) * 1000}


def as_read(disk: object, length: int) -> bytes:
    disk.seek(70 * MIB)  # type: ignore[attr-defined]
    return bytes(disk.read(length))  # type: ignore[attr-defined]


WANTED = bytes(5) + PIECES[70 * MIB + 5]


@pytest.mark.parametrize("compressed", [False, True])
def test_a_qcow2_image_is_read_as_it_was_meant(tmp_path: Path, compressed: bool) -> None:
    file = tmp_path / "a.qcow2"
    file.write_bytes(qcow2(SIZE, PIECES, compressed=compressed))
    disk = pyqcow.file()
    disk.open(str(file))
    assert (disk.get_media_size(), disk.get_backing_filename()) == (SIZE, None)
    assert as_read(disk, len(WANTED)) == WANTED
    assert file.stat().st_size < MIB


def test_a_packed_disk_is_read_as_it_was_meant(tmp_path: Path) -> None:
    file = tmp_path / "a.disk"
    file.write_bytes(packed_disk(SIZE, PIECES))
    with file.open("rb") as data:
        disk = pyvmdk.handle()
        disk.open_file_object(data)
        disk.open_extent_data_files_as_file_objects([data])
        assert disk.get_media_size() == SIZE
        assert as_read(disk, len(WANTED)) == WANTED


@pytest.fixture
def world() -> World:
    return scenario.build(time.time(), "small")


@pytest.fixture
def host(world: World) -> Host:
    return world.host("quay-01")


def test_blocks_take_room_and_are_read_again(world: World, host: Host, tmp_path: Path) -> None:
    contents, now = Contents(tmp_path / "contents"), time.time()
    store = next(each for each in world.datastores if each.name == "berth-b")
    before = used_bytes(world, store, now)
    fields: dict[str, object] = {"Name": "a", "Key": "k", "CapacityBytes": SIZE, "WrittenBytes": MIB}
    image = image_actions.make(world, host, {**fields, "Datastore": store.id}, now)
    assert image_actions.make(world, host, {**fields, "Datastore": store.id}, now) is image
    block: dict[str, object] = {"Image": image.id, "Offset": MIB, "Data": "YWJj" * 1024}
    image_actions.write(world, host, block, contents, now)
    ((offset, length),) = image_actions.extents(world, host, image.id, contents)
    assert offset <= MIB < offset + length
    assert image_actions.read(world, host, image.id, (MIB, 6), contents) == b"abcabc"
    assert used_bytes(world, store, now) - before == image.written_bytes > 0
    with pytest.raises(ActionError, match="has no 3072 bytes"):
        image_actions.write(world, host, {**block, "Offset": SIZE - 1}, contents, now)
    image_actions.delete(world, host, image.id, contents)
    assert used_bytes(world, store, now) == before


def test_a_disk_in_use_is_not_read(world: World, host: Host, tmp_path: Path) -> None:
    machine = next(each for each in world.machines if each.host == host.name and each.power == "On" and each.disks)
    with pytest.raises(ActionError, match=f"{machine.name} is on"):
        image_actions.extents(world, host, machine.disks[0].id, Contents(tmp_path / "contents"))
