"""What arrays and hosts do when told. Every refusal is an ActionError that the HTTP side turns into a standard body."""

from __future__ import annotations

from ipaddress import ip_interface

from movelot_standins.fibre_channel import PROTOCOL as FC
from movelot_standins.fibre_channel import identity_of, is_wwpn, zoned
from movelot_standins.model import Connection, Datastore, Host, Interface, Pool, Portal, Task, Volume, World
from movelot_standins.set_members import is_set
from movelot_standins.space import free_bytes, is_raw, pool_free_bytes

SCAN_SECONDS = 60.0
FORMAT_SECONDS = 90.0
TIERINGS = ("ByUse", "Fastest", "Slowest")


class ActionError(Exception):
    """A device refuses. ``status`` is the HTTP status, ``key`` a message of the Base registry."""

    def __init__(self, status: int, key: str, message: str) -> None:
        super().__init__(message)
        self.status, self.key, self.message = status, key, message


def create_volume(world: World, fields: dict[str, object], now: float) -> Volume:
    """A volume of a name of its own. Asked again with the same description it returns the one it made."""
    name, size, pool_name = str(fields["Name"]), int(str(fields["CapacityBytes"])), str(fields["pool"])
    description = str(fields.get("Description", ""))
    there = made_before(world, name, description)
    if there is not None:
        return there
    pool = next((pool for pool in world.pools if pool.name == pool_name), None)
    if pool is None:
        raise ActionError(400, "PropertyValueNotInList", f"There is no pool {pool_name}.")
    compressed, deduplicated = bool(fields.get("Compressed")), bool(fields.get("Deduplicated"))
    if (compressed and not pool.compresses) or (deduplicated and not pool.deduplicates):
        raise ActionError(400, "PropertyValueIncorrect", f"{pool_name} cannot reduce data in the way asked for.")
    tiering = str(fields.get("tiering") or ("ByUse" if pool.tiers else ""))
    if tiering not in (TIERINGS if pool.tiers else ("",)):
        raise ActionError(400, "PropertyValueIncorrect", f"{pool_name} cannot keep pages in the way asked for.")
    if size <= 0 or size > pool_free_bytes(world, pool, now):
        raise ActionError(400, "PropertyValueOutOfRange", f"{pool_name} cannot hold {size} more bytes.")
    number = world.next_id()
    owners = [volume.controller for volume in world.volumes_of(pool.array)]
    controller = str(fields.get("controller") or min("AB", key=lambda c: (owners.count(c), c)))
    volume = Volume(
        str(number),
        name,
        serial_of(number, world.kind_of(pool.array)),
        pool.name,
        size,
        controller,
        fields.get("ProvisioningPolicy") != "Fixed",
        description,
        compressed=compressed,
        deduplicated=deduplicated,
        own_target=bool(fields.get("own_target")),
        tiering=tiering,
    )
    world.volumes.append(volume)
    return volume


def made_before(world: World, name: str, description: str) -> Volume | None:
    """The volume that was made with this very description; refuses the name where another one has it."""
    there = next((volume for volume in world.volumes if volume.name == name), None)
    if there is not None and not (description and there.description == description):
        raise ActionError(409, "ResourceAlreadyExists", f"A volume named {name} exists already.")
    return there


def serial_of(number: int, kind: str) -> str:
    """The serial of a volume: its NAA name, a namespace's NGUID, or the id (UUID) of a file system."""
    if kind == "file":
        return f"4b420000-0000-4000-8000-{number:012x}"
    return f"{'4b42000000000000' if kind == 'nvme' else '6002600000004b42'}{number:016x}"


def delete_volume(world: World, volume: Volume) -> None:
    """Remove a volume that no initiator is let into, and with it what was formatted on it."""
    if any(connection.volume == volume.id for connection in world.connections):
        raise ActionError(409, "ResourceInUse", f"Volume {volume.name} is still offered to initiators.")
    if any(export.volume == volume.id for export in world.exports):
        raise ActionError(409, "ResourceInUse", f"File system {volume.name} is still exported.")
    if volume.own_target:
        for host in world.hosts:
            host.sessions.pop(world.target_of(volume), None)
    world.volumes.remove(volume)
    world.datastores[:] = [store for store in world.datastores if store.serial != volume.serial]


def delete_pool(world: World, pool: Pool) -> None:
    """Take a pool that holds no volume from its array, which lists it no more."""
    if any(volume.pool == pool.name for volume in world.volumes):
        raise ActionError(409, "ResourceInUse", f"Pool {pool.name} still holds volumes.")
    # It keeps its place among the others, whose past hours are told by it.
    pool.array = ""


def connect(world: World, volume_id: str, initiators: list[str], lun: int) -> Connection:
    """Offer a volume to initiators under one LUN number; the same offer twice is one.

    Others may have it under another number, but none has it under two.
    """
    array = world.array_of(next(volume for volume in world.volumes if volume.id == volume_id))
    _known(world, array, initiators)
    for connection in world.connections_of(array):
        if not set(connection.initiators) & set(initiators):
            continue
        if connection.volume == volume_id:
            if sorted(connection.initiators) == sorted(initiators) and connection.lun == lun:
                return connection
            raise ActionError(409, "ResourceAlreadyExists", "The volume is offered already, in another way.")
        if connection.lun == lun:
            raise ActionError(409, "ResourceInUse", f"LUN number {lun} is in use for one of the initiators.")
    connection = Connection(str(world.next_id()), volume_id, list(initiators), lun)
    world.connections.append(connection)
    return connection


def let_in(world: World, connection: Connection, initiators: list[str]) -> Connection:
    """Change whom a connection lets in."""
    array = world.array_of(next(volume for volume in world.volumes if volume.id == connection.volume))
    _known(world, array, initiators)
    for other in world.connections_of(array):
        if other is connection or not set(other.initiators) & set(initiators):
            continue
        if other.volume == connection.volume:
            raise ActionError(409, "ResourceAlreadyExists", "One of the initiators has the volume already.")
        if other.lun == connection.lun:
            raise ActionError(409, "ResourceInUse", f"LUN number {other.lun} is in use for one of the initiators.")
    connection.initiators = list(initiators)
    return connection


def _known(world: World, array: str, initiators: list[str]) -> None:
    unknown = set(initiators) - set(world.initiators[array])
    if unknown:
        raise ActionError(400, "PropertyValueNotInList", f"Unknown initiators: {', '.join(sorted(unknown))}.")


def add_initiator(world: World, array: str, name: str) -> None:
    """Make an initiator, or the host of an NVMe array, known by its qualified name or WWPN; twice is once."""
    prefix = "nqn." if array == world.nvme_array else "iqn."
    speaks_fc = any(portal.protocol == FC for portal in world.portals_of(array))
    if not (speaks_fc and is_wwpn(name)) and (not name.startswith(prefix) or ":" not in name):
        raise ActionError(400, "PropertyValueFormatError", f"{name} is no qualified name that begins with {prefix}")
    if name not in world.initiators[array]:
        world.initiators[array].append(name)


def drop_initiator(world: World, array: str, name: str) -> None:
    """Forget an initiator that is let into nothing."""
    if any(name in connection.initiators for connection in world.connections_of(array)):
        raise ActionError(409, "ResourceInUse", f"{name} is still let into volumes.")
    world.initiators[array].remove(name)
    world.chap.get(array, {}).pop(name, None)


def bound(interface: Interface) -> bool:
    """iSCSI binding takes an interface with exactly one active uplink and none standby."""
    return len(interface.active) == 1 and not interface.standby


def reaches(world: World, interface: Interface, portal: Portal) -> bool:
    """Whether an interface talks to a portal; iSCSI has to be bound, the others take any uplink that is active.

    An FC port talks to those that a zone of its fabric holds with it.
    """
    if FC in (interface.protocol, portal.protocol):
        return interface.protocol == portal.protocol and portal.up and zoned(world, interface.address, portal.address)
    same = ip_interface(interface.address).network == ip_interface(portal.address).network
    alike = interface.vlan == portal.vlan and interface.mtu == portal.mtu and interface.protocol == portal.protocol
    carried = bound(interface) if interface.protocol == "iSCSI" else bool(interface.active)
    return portal.up and same and alike and carried


def scan_now(world: World, host: Host) -> None:
    """What a finished scan knows: every offered volume with the (interface, portal) pairs that reach it.

    A pair counts where the array lets in the name that the host has on that interface, over iSCSI once it is logged in.

    A scan is for SCSI; the namespaces of connected subsystems are there without one.
    """
    let_in: dict[str, set[str]] = {}
    for connection in world.connections:
        let_in.setdefault(connection.volume, set()).update(connection.initiators)
    names = {each.name: identity_of(host, each) for each in host.interfaces if each.protocol != "NVMe/TCP"}
    pairs = {pool.array: reaching(world, host, pool.array) for pool in world.pools}
    bound_names = {each.name for each in host.interfaces if each.protocol == "iSCSI"}
    host.known, host.sizes = {}, {}
    for volume in world.volumes:
        admitted = let_in.get(volume.id, set())
        sessions = [session[:2] for session in host.sessions.get(world.target_of(volume), [])]
        found = [
            pair
            for pair in pairs[world.array_of(volume)]
            if names.get(pair[0]) in admitted and (pair in sessions or pair[0] not in bound_names)
        ]
        if found:
            host.known[volume.serial] = found
    there = [store for store in world.datastores if store.id in host.mounted]
    stays = [s for s in there if s.server or is_set(world, s) or sees(world, host, s.serial)]
    host.mounted = [store.id for store in stays]


def reaching(world: World, host: Host, array: str) -> list[list[str]]:
    """The (interface, portal) pairs over which a host reaches an array now."""
    return [[i.name, p.name] for i in host.interfaces for p in world.portals_of(array) if reaches(world, i, p)]


def sees(world: World, host: Host, serial: str) -> bool:
    """Whether the host lists a device of this serial: found by its last scan, or a namespace that it is let into."""
    volume = world.volume_by_serial(serial)
    if serial in host.known or volume is None or volume.kind == "set":
        return serial in host.known
    let_in = any(c.volume == volume.id and host.nqn in c.initiators for c in world.connections)
    return let_in and bool(host.connected.get(world.array_of(volume)))


def start_task(world: World, device: str, kind: str, key: str, total: float, now: float, **more: str) -> Task:
    """Begin long work, or return what was begun under the same key and still runs."""
    same = [t for t in world.tasks if key and t.key == key and t.device == device and t.kind == kind]
    if same and same[-1].state in ("Running", "Completed"):
        return same[-1]
    task = Task(str(world.next_id()), device, kind, key, "Running", total, started=now, **more)  # type: ignore[arg-type]
    world.tasks.append(task)
    del world.tasks[:-200]
    return task


def format_device(world: World, host: Host, serial: str, name: str, key: str) -> Datastore:
    """Make a datastore on an empty device; one that carries anything is refused."""
    volume = world.volume_by_serial(serial)
    if volume is None or not sees(world, host, serial):
        raise ActionError(404, "ResourceMissingAtURI", f"{host.name} does not see device {serial}.")
    made = next((store for store in world.datastores if store.serial == serial), None)
    if made and key and made.key == key:
        return made
    if is_raw(world, serial):
        raise ActionError(409, "ResourceInUse", f"Device {serial} is given to a machine as it is.")
    if volume.signature_kind:
        raise ActionError(409, "ResourceInUse", f"Device {serial} carries a {volume.signature_kind}; it is not empty.")
    if any(store.name == name for store in world.datastores):
        raise ActionError(409, "ResourceAlreadyExists", f"A datastore named {name} exists already.")
    store = Datastore(f"ds-{world.next_id():04x}-kestrel", name, serial, volume.size_bytes, 0, 0, key)
    volume.signature_kind, volume.signature_id = "datastore", store.id
    world.datastores.append(store)
    return store


def mount(world: World, host: Host, serial: str) -> Datastore:
    """Mount the datastore on a device that the host sees."""
    store = next((store for store in world.datastores if store.serial == serial), None)
    if store is None or not sees(world, host, serial):
        raise ActionError(404, "ResourceMissingAtURI", f"{host.name} sees no datastore on device {serial}.")
    if store.id not in host.mounted:
        host.mounted.append(store.id)
    return store


def grow_volume(world: World, volume: Volume, size: int, now: float) -> Volume:
    """Make a volume larger; as large already it stays as it is. Hosts know of it once they scan, over NVMe at once."""
    if volume.kind == "set":
        raise ActionError(409, "PropertyNotWritable", f"{volume.name} has no size of its own.")
    if size < volume.size_bytes:
        raise ActionError(400, "PropertyValueOutOfRange", f"{volume.name} cannot be made smaller.")
    pool = world.pool(volume.pool)
    if size - volume.size_bytes > pool_free_bytes(world, pool, now):
        raise ActionError(400, "PropertyValueOutOfRange", f"{pool.name} cannot hold so much more.")
    if world.kind_of(pool.array) == "block" and size > volume.size_bytes:
        for host in world.hosts:
            if volume.serial in host.known:
                host.sizes.setdefault(volume.serial, volume.size_bytes)
    volume.size_bytes = size
    return volume


def grow_datastore(world: World, host: Host, serial: str) -> Datastore:
    """Let a datastore have all of its device, as large as this host knows that."""
    store = next((s for s in world.datastores if s.serial == serial and s.id in host.mounted), None)
    volume = world.volume_by_serial(serial)
    if store is None or volume is None or store.server or volume.kind == "set":
        raise ActionError(409, "ResourceInUse", f"{host.name} mounts no datastore on device {serial}.")
    store.capacity_bytes = max(store.capacity_bytes, host.sizes.get(serial, volume.size_bytes))
    return store


def unmount(world: World, host: Host, store: Datastore) -> None:
    """Unmount unless a machine on this host uses the datastore."""
    users = [machine.name for machine in world.machines if machine.host == host.name and store.id in machine.places]
    if users:
        raise ActionError(409, "ResourceInUse", f"{store.name} holds files of {', '.join(users)}.")
    held = [name for kind, name in store.contents if kind in ("swap", "heartbeat") and store.id in host.mounted]
    if held:
        raise ActionError(409, "ResourceInUse", f"{store.name} holds {', '.join(held)}.")
    if host.default_datastore == store.id:
        raise ActionError(409, "ResourceInUse", f"{store.name} is the default of {host.name}.")
    if store.id in host.mounted:
        host.mounted.remove(store.id)
    host.file_versions.pop(store.id, None)
    _forget_unused(world, store)


def set_default(host: Host, identity: str) -> None:
    """Put new machines on a datastore that the host mounts from now on; on none with an empty identity."""
    if identity and identity not in host.mounted:
        raise ActionError(409, "ResourceInUse", f"{host.name} does not mount {identity}.")
    host.default_datastore = identity


def _forget_unused(world: World, store: Datastore) -> None:
    """A datastore on an export or a set is only how hosts call it: one that none mounts and holds nothing is gone."""
    mounted = any(store.id in host.mounted for host in world.hosts)
    held = store.other_bytes or store.contents or any(disk.datastore == store.id for disk in world.disks())
    if (store.server or is_set(world, store)) and not mounted and not held:
        world.datastores.remove(store)


def wipe(world: World, serial: str) -> None:
    """Take off a device what it carries: an unmounted datastore without disks, or anything that is none."""
    if is_raw(world, serial):
        raise ActionError(409, "ResourceInUse", f"Device {serial} is given to a machine as it is.")
    volume = world.volume_by_serial(serial)
    store = next((store for store in world.datastores if store.serial == serial), None)
    if store is not None:
        _forget(world, store)
    if volume:
        volume.signature_kind = volume.signature_id = ""


def delete_loose_disk(world: World, host: Host, identity: str) -> None:
    """Delete a disk that no machine has; one that is not there is deleted already."""
    if world.disk(identity) is not None:
        raise ActionError(409, "ResourceInUse", f"A machine has disk {identity}.")
    found = next((disk for disk in world.loose if disk.id == identity), None)
    if found is None:
        return
    if found.datastore not in host.mounted:
        raise ActionError(409, "ResourceInUse", f"{host.name} does not mount what {found.name} is on.")
    world.loose.remove(found)


def _forget(world: World, store: Datastore) -> None:
    """Forget a datastore that nothing is on and no host mounts."""
    if any(store.id in machine.places for machine in world.machines):
        raise ActionError(409, "ResourceInUse", f"{store.name} holds files of machines.")
    if any(store.id in host.mounted for host in world.hosts):
        raise ActionError(409, "ResourceInUse", f"{store.name} is mounted.")
    world.datastores.remove(store)


def move_disk(world: World, host: Host, disk_id: str, target_id: str, key: str, now: float) -> Task:
    """Begin to copy a disk; its space at the target is taken at once."""
    disk, target = world.disk(disk_id), world.datastore(target_id)
    if disk is None or target is None:
        raise ActionError(404, "ResourceMissingAtURI", "There is no such disk or datastore.")
    if target.id not in host.mounted:
        raise ActionError(409, "ResourceInUse", f"{host.name} has not mounted {target.name}.")
    running = next((t for t in world.tasks if t.running and t.kind == "MoveDisk" and t.disk == disk_id), None)
    if running and running.key != key:
        raise ActionError(409, "ResourceInUse", f"{disk.name} is being moved already.")
    if running is None and disk.datastore != target.id:
        free = free_bytes(world, target, now)
        if disk.taken_bytes > free:
            raise ActionError(
                409, "InsufficientStorage", f"{target.name} has {free} bytes free; {disk.taken_bytes} are needed."
            )
    task = start_task(world, host.name, "MoveDisk", key, disk.taken_bytes, now, disk=disk_id, target=target_id)
    # Block arrays copy between their own volumes; everything else goes over the host.
    arrays = {world.pool_of(disk.datastore).array, world.pool_of(target.id).array}
    task.offloaded = len(arrays) == 1 and world.file_array not in arrays
    return task
