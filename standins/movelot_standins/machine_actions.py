"""What hosts do with machines: made, switched, given disks, kept as snapshots, merged, deleted.

Asked for again under the same key, what was made is there already. Room and volumes that a machine takes are there or
it is refused as a whole.
"""

from __future__ import annotations

import copy
import uuid
from collections.abc import Iterator
from contextlib import contextmanager

from movelot_standins import actions, set_actions, space
from movelot_standins.actions import ActionError
from movelot_standins.model import Datastore, Disk, Host, Machine, Snapshot, Task, World
from movelot_standins.set_members import is_set

# What a snapshot holds of its disk, on average, once its machine goes on.
SNAPSHOT_SHARE = 0.04
SNAPSHOTS_MAX = 16
PROVISIONING = ("MakeThin", "MakeThick")
WORK = ("ShutDown", "MergeSnapshot", *PROVISIONING)
SHUT_DOWN_SECONDS = 40.0
MERGE_BYTES_PER_SECOND = 0.2 * 1024**3
# How fast a disk is read for what was never written, or what was not is given zeros.
PROVISION_BYTES_PER_SECOND = 1.5 * 1024**3
ACTS = ("create", "on", "off", "crash", "snapshot", "delete", "deafen")


@contextmanager
def _whole(world: World, machine: Machine, now: float) -> Iterator[None]:
    """Take a change of a machine back where a datastore has no room, or a set no volume, for it."""
    before = copy.deepcopy(vars(machine))
    stores = [store for store in world.datastores if not is_set(world, store)]
    used = {store.id: space.used_bytes(world, store, now) for store in stores}
    free = {store.id: space.free_bytes(world, store, now) for store in stores}
    yield
    try:
        set_actions.within_limits(world, now)
        for store in stores:
            needed = space.used_bytes(world, store, now) - used[store.id]
            if needed > free[store.id]:
                text = f"{store.name} has {free[store.id]} bytes free; {needed} are needed."
                raise ActionError(409, "InsufficientStorage", text)
    except ActionError:
        vars(machine).update(before)
        raise


def find(world: World, host: Host, name: str) -> Machine:
    """A machine of the host."""
    found = next((each for each in world.machines if each.name == name and each.host == host.name), None)
    if found is None:
        raise ActionError(404, "ResourceMissingAtURI", f"{host.name} runs no machine {name}.")
    return found


def make(world: World, host: Host, fields: dict[str, object]) -> Machine:
    """A machine without disks, off."""
    name, key, home = str(fields["Name"]), str(fields.get("Key", "")), str(fields["Home"])
    there = next((machine for machine in world.machines if machine.name == name), None)
    if there is not None:
        if key and there.key == key:
            return there
        raise ActionError(409, "ResourceAlreadyExists", f"A machine named {name} exists already.")
    mounted(world, host, home)
    processors, memory = int(str(fields["Processors"])), int(str(fields["MemoryBytes"]))
    if not 1 <= processors <= 128 or memory <= 0:
        raise ActionError(400, "PropertyValueOutOfRange", "A machine has 1 to 128 processors, and memory.")
    identity = str(uuid.uuid5(uuid.NAMESPACE_OID, f"machine {name} {key}"))
    made = Machine(name, host.name, "none yet", "", [], "Off", memory, uuid=identity, processors=processors)
    made.home, made.key = home, key
    world.machines.append(made)
    return made


def delete(world: World, host: Host, name: str) -> None:
    """Delete a machine that is off, with its disks and snapshots; one that is not there is deleted already."""
    found = next((each for each in world.machines if each.name == name and each.host == host.name), None)
    if found is None:
        return
    if found.power == "On":
        raise ActionError(409, "ResourceInUse", f"{name} is on.")
    if found.raw:
        raise ActionError(409, "ResourceInUse", f"{name} has raw volumes.")
    world.machines.remove(found)


def add_disk(world: World, host: Host, fields: dict[str, object], now: float) -> Disk:
    """A disk of a machine, empty."""
    machine, key = find(world, host, str(fields["Machine"])), str(fields.get("Key", ""))
    there = next((disk for disk in machine.disks if key and disk.key == key), None)
    if there is not None:
        return there
    store = mounted(world, host, str(fields["Datastore"]))
    name, size = str(fields["Name"]), int(str(fields["CapacityBytes"]))
    if size <= 0 or any(disk.name == name for disk in machine.disks):
        raise ActionError(400, "PropertyValueOutOfRange", f"{machine.name} cannot have a disk {name} of {size} bytes.")
    identity = str(uuid.uuid5(uuid.NAMESPACE_OID, f"disk {machine.uuid} {name} {key}"))
    made = Disk(identity, name, size, [(now, store.id)], "office", 30.0, 20.0, 8.0, written_share=0.0, key=key)
    made.thin = bool(fields.get("Thin", False))
    with _whole(world, machine, now):
        machine.disks.append(made)
    return made


def enlarge_disk(world: World, host: Host, name: str, disk_id: str, size: int, now: float) -> Disk:
    """Make a disk larger; as large already it stays as it is."""
    machine = find(world, host, name)
    disk = _disk(machine, disk_id)
    if size < disk.size_bytes:
        raise ActionError(400, "PropertyValueOutOfRange", f"{disk.name} cannot be made smaller.")
    if any(disk.id in snapshot.held for snapshot in machine.snapshots) and size > disk.size_bytes:
        raise ActionError(409, "ResourceInUse", f"{disk.name} is kept by snapshots: merge them first.")
    written = disk.written_bytes
    with _whole(world, machine, now):
        disk.size_bytes, disk.written_share = size, written / size
    return _disk(machine, disk_id)


def remove_disk(world: World, host: Host, name: str, disk_id: str) -> None:
    """Delete a disk, with what snapshots hold of it; one that was written to only while its machine is off."""
    machine = find(world, host, name)
    disk = next((each for each in machine.disks if each.id == disk_id), None)
    if disk is None:
        return
    if machine.power == "On" and disk.written_share > 0:
        raise ActionError(409, "ResourceInUse", f"{name} is on and uses {disk.name}.")
    machine.disks.remove(disk)
    for snapshot in machine.snapshots:
        snapshot.held.pop(disk_id, None)


def provision(world: World, host: Host, fields: dict[str, object], now: float) -> Task:
    """Begin to have a disk take only what was written of it, or its whole size, for which there has to be room."""
    machine, thin = find(world, host, str(fields["Machine"])), bool(fields["Thin"])
    disk, key = _disk(machine, str(fields["Disk"])), str(fields.get("Key", ""))
    if any(disk.id in snapshot.held for snapshot in machine.snapshots) and thin != disk.thin:
        raise ActionError(409, "ResourceInUse", f"{disk.name} is kept by snapshots: merge them first.")
    before = disk.thin
    with _whole(world, machine, now):
        disk.thin = thin
    # There is room for it. It becomes true once the work is done.
    disk.thin = before
    kind = "MakeThin" if thin else "MakeThick"
    size = disk.size_bytes / PROVISION_BYTES_PER_SECOND
    task = actions.start_task(world, host.name, kind, key, size, now)
    task.target, task.disk = machine.uuid, disk.id
    return task


def delete_swap(world: World, host: Host, name: str) -> Machine:
    """Delete what a machine that is off left of its memory."""
    machine = find(world, host, name)
    if machine.power == "On":
        raise ActionError(409, "ResourceInUse", f"{name} is on.")
    machine.swap_bytes = 0
    return machine


def set_limits(world: World, disk: Disk, cap: int, floor: int, now: float) -> None:
    """Cap a disk's IOPS, and guarantee some; 0 is none."""
    if cap < 0 or floor < 0 or (cap and floor > cap):
        raise ActionError(
            400, "PropertyValueOutOfRange", f"{disk.name} cannot have a cap of {cap} and {floor} at least."
        )
    if disk.limits_at(now) != (cap, floor):
        disk.limits = [*disk.limits, (now, cap, floor)]


def limit_disk(world: World, host: Host, name: str, disk_id: str, cap: int, now: float) -> Disk:
    """Cap a disk by its host, which guarantees nothing; where its array limits it that is the array's."""
    disk = _disk(find(world, host, name), disk_id)
    store = world.datastore(disk.datastore)
    if store is not None and is_set(world, store):
        raise ActionError(409, "ResourceInUse", f"{disk.name} is limited by its array.")
    set_limits(world, disk, cap, 0, now)
    return disk


def power_on(world: World, host: Host, name: str, now: float) -> Machine:
    """Switch a machine on, if its host mounts all that it lies on."""
    machine = find(world, host, name)
    for store in sorted(machine.places):
        mounted(world, host, store)
    with _whole(world, machine, now):
        machine.power, machine.swap_bytes, machine.off_since = "On", 0, 0.0
    return machine


def power_off(world: World, host: Host, name: str, now: float) -> Machine:
    """Switch a machine off without asking its guest."""
    machine = find(world, host, name)
    _off(machine, now)
    return machine


def _off(machine: Machine, now: float) -> None:
    if machine.power == "On":
        machine.power, machine.off_since = "Off", now


def shut_down(world: World, host: Host, name: str, key: str, now: float) -> Task:
    """Ask a machine's guest to shut down; one that is deaf lets the time pass."""
    machine = find(world, host, name)
    return actions.start_task(world, host.name, "ShutDown", key, SHUT_DOWN_SECONDS, now, target=machine.uuid)


def take_snapshot(world: World, host: Host, fields: dict[str, object], now: float) -> Machine:
    """Keep a machine, or those of its disks that are named, as they are now."""
    machine, name = find(world, host, str(fields["Machine"])), str(fields["Name"])
    key, chosen = str(fields.get("Key", "")), [str(each) for each in fields.get("Disks") or []]  # type: ignore[attr-defined]
    there = machine.snapshot(name)
    if there is not None:
        if key and there.key == key:
            return machine
        raise ActionError(409, "ResourceAlreadyExists", f"{machine.name} has a snapshot {name} already.")
    if len(machine.snapshots) >= SNAPSHOTS_MAX:
        raise ActionError(409, "CreateLimitReachedForResource", f"{machine.name} has {SNAPSHOTS_MAX} snapshots.")
    disks = [_disk(machine, each) for each in chosen] or machine.disks
    place = str(fields.get("Datastore") or "")
    if place:
        mounted(world, host, place)
    held = {disk.id: int(disk.size_bytes * SNAPSHOT_SHARE) for disk in disks}
    with _whole(world, machine, now):
        machine.snapshots = [*machine.snapshots, Snapshot(name, now, held, machine.standing, key, place)]
        machine.standing = name
    return machine


def move_files(world: World, host: Host, name: str, target: str) -> Machine:
    """Have a machine's own files on another datastore; they are small, and there at once."""
    machine = find(world, host, name)
    machine.home = mounted(world, host, target).id
    return machine


def go_back(world: World, host: Host, name: str, to: str) -> Machine:
    """Make a machine that is off what it was at a snapshot; what it was until now is lost unless another keeps it."""
    machine = find(world, host, name)
    if machine.snapshot(to) is None:
        raise ActionError(404, "ResourceMissingAtURI", f"{name} has no snapshot {to}.")
    if machine.power == "On":
        raise ActionError(409, "ResourceInUse", f"{name} is on.")
    machine.standing = to
    return machine


def merge_snapshot(world: World, host: Host, name: str, snapshot: str, key: str, now: float) -> Task:
    """Begin to merge a snapshot into what follows it, so that it holds nothing any more."""
    machine = find(world, host, name)
    found = machine.snapshot(snapshot)
    held = sum(found.held.values()) if found else 0
    task = actions.start_task(world, host.name, "MergeSnapshot", key, held / MERGE_BYTES_PER_SECOND, now)
    task.target, task.disk = machine.uuid, snapshot
    return task


def end_of(world: World, task: Task, now: float) -> None:
    """Make the effect of a machine's long work true, as it ends."""
    machine = next((each for each in world.machines if each.uuid == task.target), None)
    if machine is None:
        task.state, task.message = "Exception", "The machine is gone."
    elif task.kind == "MergeSnapshot":
        _merge(machine, task.disk)
    elif task.kind in PROVISIONING:
        _provisioned(world, machine, task, now)
    elif machine.deaf and machine.power == "On":
        task.state, task.message = "Exception", f"The guest of {machine.name} does not answer."
    else:
        _off(machine, now)


def _provisioned(world: World, machine: Machine, task: Task, now: float) -> None:
    disk = next((each for each in machine.disks if each.id == task.disk), None)
    if disk is None:
        task.state, task.message = "Exception", "The disk is gone."
        return
    try:
        with _whole(world, machine, now):
            disk.thin = task.kind == "MakeThin"
    except ActionError as error:
        task.state, task.message = "Exception", error.message


def _merge(machine: Machine, name: str) -> None:
    gone = machine.snapshot(name)
    if gone is None:
        return
    machine.snapshots = [each for each in machine.snapshots if each is not gone]
    for each in machine.snapshots:
        each.parent = gone.parent if each.parent == name else each.parent
    machine.standing = gone.parent if machine.standing == name else machine.standing


def _disk(machine: Machine, identity: str) -> Disk:
    found = next((disk for disk in machine.disks if disk.id == identity), None)
    if found is None:
        raise ActionError(404, "ResourceMissingAtURI", f"{machine.name} has no such disk.")
    return found


def mounted(world: World, host: Host, identity: str) -> Datastore:
    store = world.datastore(identity)
    if store is None or identity not in host.mounted:
        named = store.name if store else identity
        raise ActionError(409, "ResourceInUse", f"{host.name} does not mount {named}.")
    return store


def act_by_other_means(world: World, fields: dict[str, object], now: float) -> Machine:
    """What becomes of a machine by other means than Move Lot: create, on, off, snapshot, delete; a guest that hangs."""
    act, name = str(fields["act"]), str(fields["name"])
    if act == "create":
        return _create(world, name, fields, now)
    machine = next((each for each in world.machines if each.name == name), None)
    if machine is None:
        raise ActionError(404, "ResourceMissingAtURI", f"There is no machine {name}.")
    host = world.host(machine.host)
    match act:
        case "on":
            power_on(world, host, name, now)
        case "off":
            power_off(world, host, name, now)
        case "crash":
            # What it had of its memory on disk stays there.
            _off(machine, now)
            machine.swap_bytes = machine.memory_bytes
        case "snapshot":
            take_snapshot(world, host, {"Machine": name, "Name": fields["snapshot"]}, now)
        case "delete":
            world.machines.remove(machine)
        case "deafen":
            machine.deaf = True
        case _:
            raise ActionError(400, "PropertyValueNotInList", f"There is no act {act}; there are {', '.join(ACTS)}.")
    return machine


def _create(world: World, name: str, fields: dict[str, object], now: float) -> Machine:
    store = next((s for s in world.datastores if s.name == fields["datastore"]), None)
    if store is None or any(machine.name == name for machine in world.machines):
        raise ActionError(409, "ResourceInUse", f"{name} cannot be made there.")
    sizes = [int(str(size)) for size in fields["disks"]]  # type: ignore[attr-defined]
    made = Machine(name, str(fields["host"]), "Linux 6.1", "10.40.20.250", [], power="Off", home=store.id)
    world.machines.append(made)
    try:
        with _whole(world, made, now):
            made.disks = [
                Disk(f"{name}-{n}", f"{name} disk {n}", size, [(0.0, store.id)], "steady", 20, 15, 8)
                for n, size in enumerate(sizes, start=1)
            ]
    except ActionError:
        world.machines.remove(made)
        raise
    return made
