"""What hosts do with disk images: kept on a datastore, written block by block, read back, copied into disks."""

from __future__ import annotations

import base64
import uuid

from movelot_standins import actions, space
from movelot_standins.actions import ActionError
from movelot_standins.block_contents import shared_with_copy
from movelot_standins.contents import Contents
from movelot_standins.machine_actions import find, mounted
from movelot_standins.model import Datastore, Disk, Host, KeptImage, Task, World
from movelot_standins.set_members import is_set

BLOCK_MAX = 4 * 1024**2
COPY_BYTES_PER_SECOND = 0.2 * 1024**3


def images_of(world: World, host: Host) -> list[KeptImage]:
    """Those on datastores that the host mounts."""
    return [image for image in world.images if image.datastore in host.mounted]


def make(world: World, host: Host, fields: dict[str, object], now: float) -> KeptImage:
    """An image that is all zeros, on a datastore of block or file storage."""
    name, key, size = str(fields["Name"]), str(fields["Key"]), int(str(fields["CapacityBytes"]))
    there = next((image for image in world.images if image.key == key), None)
    if there is not None:
        return there
    store = mounted(world, host, str(fields["Datastore"]))
    if is_set(world, store):
        raise ActionError(400, "PropertyValueIncorrect", f"{store.name} keeps volumes of disks, and no files.")
    if size <= 0 or any(image.name == name and image.datastore == store.id for image in world.images):
        raise ActionError(409, "ResourceAlreadyExists", f"{store.name} cannot keep an image {name} of {size} bytes.")
    _room(world, store, int(str(fields["WrittenBytes"])), now)
    made = KeptImage(str(uuid.uuid5(uuid.NAMESPACE_OID, f"image {key}")), name, size, store.id, key)
    world.images.append(made)
    return made


def delete(world: World, host: Host, identity: str, contents: Contents) -> None:
    """Delete an image; one that is not there is deleted already."""
    found = next((image for image in images_of(world, host) if image.id == identity), None)
    if found is not None:
        world.images.remove(found)
        contents.drop(identity)


def write(world: World, host: Host, fields: dict[str, object], contents: Contents, now: float) -> None:
    """Put a block of data into an image."""
    image, data = _image(world, host, str(fields["Image"])), base64.b64decode(str(fields["Data"]), validate=True)
    offset = int(str(fields["Offset"]))
    if not 0 < len(data) <= BLOCK_MAX or offset < 0 or offset + len(data) > image.size_bytes:
        raise ActionError(400, "PropertyValueOutOfRange", f"{image.name} has no {len(data)} bytes at {offset}.")
    store = world.datastore(image.datastore)
    if store is not None:
        _room(world, store, len(data), now)
    contents.write(image.id, offset, data)
    image.written_bytes = contents.written_bytes(image.id)


def read(world: World, host: Host, identity: str, block: tuple[int, int], contents: Contents) -> bytes:
    """A block, by its offset and length, of an image, or of a disk that no machine which is on has."""
    identity, size = _known(world, host, identity)
    offset, length = block
    if not 0 < length <= BLOCK_MAX or offset < 0 or offset + length > size:
        raise ActionError(400, "PropertyValueOutOfRange", f"There are no {length} bytes at {offset}.")
    return contents.read(identity, offset, length)


def extents(world: World, host: Host, identity: str, contents: Contents) -> list[tuple[int, int]]:
    """Where an image or a disk has data."""
    return contents.extents(_known(world, host, identity)[0])


def fill(world: World, host: Host, fields: dict[str, object], contents: Contents, now: float) -> Task:
    """Begin to copy an image, or a disk of a machine that is off, into a disk of a machine that is off."""
    machine, key, source = find(world, host, str(fields["Machine"])), str(fields["Key"]), str(fields["Source"])
    disk = next((each for each in machine.disks if each.id == str(fields["Disk"])), None)
    if disk is None or machine.power == "On":
        raise ActionError(409, "ResourceInUse", f"{machine.name} is on, or has no such disk.")
    _identity, size = _known(world, host, source)
    if size > disk.size_bytes:
        raise ActionError(400, "PropertyValueOutOfRange", f"{disk.name} is smaller than what is copied into it.")
    done = next((task for task in world.tasks if task.key == key and task.kind == "FillDisk"), None)
    if done is not None:
        return done
    copied = _written(world, source) or 0
    task = actions.start_task(
        world, host.name, "FillDisk", key, copied / COPY_BYTES_PER_SECOND, now, target=machine.uuid
    )
    task.disk, task.source = disk.id, source
    # It is there block by block as the time passes; nobody can look until it is over.
    contents.copy(source, disk.id)
    return task


def link(world: World, host: Host, fields: dict[str, object], contents: Contents) -> Disk:
    """Have an empty thin disk share the blocks of another in its volume set, until either is written to."""
    machine, source = find(world, host, str(fields["Machine"])), world.disk(str(fields["Source"]))
    disk = next((each for each in machine.disks if each.id == str(fields["Disk"])), None)
    if disk is None or source is None:
        raise ActionError(404, "ResourceMissingAtURI", "There is no such disk.")
    _known(world, host, source.id)
    if disk.filled_from == source.id:
        return disk
    store = world.datastore(disk.datastore)
    if store is None or not is_set(world, store) or source.datastore != store.id:
        raise ActionError(409, "ResourceInUse", f"{source.name} and {disk.name} are not in one volume set.")
    if machine.power == "On" or not disk.thin or disk.written_share or source.size_bytes > disk.size_bytes:
        raise ActionError(409, "ResourceInUse", f"{disk.name} is not an empty thin disk as large as {source.name}.")
    source.family = disk.family = source.family or source.id
    disk.content, disk.filled_from = shared_with_copy(source), source.id
    disk.written_share = source.written_bytes / disk.size_bytes
    contents.copy(source.id, disk.id)
    return disk


def end_of(world: World, task: Task) -> None:
    """Make a copy true, as its time is over."""
    disk, written = world.disk(task.disk), _written(world, task.source)
    if disk is None or written is None:
        task.state, task.message = "Exception", "The disk or its source is gone."
        return
    disk.written_share = min(1.0, written / disk.size_bytes)
    disk.filled_from = task.source
    source = world.disk(task.source)
    disk.content = shared_with_copy(source) if source else [(f"image {task.source}", written)]


def _written(world: World, identity: str) -> int | None:
    """The bytes written of a disk or an image; None for one that is not there."""
    disk = world.disk(identity)
    if disk is not None:
        return disk.written_bytes
    return next((image.written_bytes for image in world.images if image.id == identity), None)


def _known(world: World, host: Host, identity: str) -> tuple[str, int]:
    """An image that the host sees, or a disk whose machine is off, with its size."""
    disk = world.disk(identity)
    if disk is None:
        image = _image(world, host, identity)
        return image.id, image.size_bytes
    machine = next(each for each in world.machines if disk in each.disks)
    if machine.power == "On":
        raise ActionError(409, "ResourceInUse", f"{machine.name} is on and uses {disk.name}.")
    mounted(world, host, disk.datastore)
    return disk.id, disk.size_bytes


def _image(world: World, host: Host, identity: str) -> KeptImage:
    found = next((image for image in images_of(world, host) if image.id == identity), None)
    if found is None:
        raise ActionError(404, "ResourceMissingAtURI", f"{host.name} sees no such image.")
    return found


def _room(world: World, store: Datastore, needed: int, now: float) -> None:
    free = space.free_bytes(world, store, now)
    if needed > free:
        raise ActionError(409, "InsufficientStorage", f"{store.name} has {free} bytes free; {needed} are needed.")
