"""What is done with volume sets: made, mounted by hosts, taken away; and what they allow."""

from __future__ import annotations

import uuid

from movelot_standins import actions, space
from movelot_standins.actions import ActionError
from movelot_standins.model import Datastore, Host, Volume, World
from movelot_standins.set_members import members

SETS_MAX = 4
VOLUMES_MAX = 60


def create_set(world: World, array: str, name: str, pool: str, description: str) -> Volume:
    """A set of a name of its own. Asked again with the same description it returns the one it made."""
    there = actions.made_before(world, name, description)
    if there is not None:
        return there
    if pool not in {each.name for each in world.pools_of(array)}:
        raise ActionError(400, "PropertyValueNotInList", f"There is no pool {pool}.")
    if sum(volume.kind == "set" for volume in world.volumes_of(array)) >= SETS_MAX:
        raise ActionError(409, "CreateLimitReachedForResource", f"{array} has as many volume sets as it allows.")
    number = world.next_id()
    made = Volume(str(number), name, str(uuid.UUID(int=(0x4B43 << 112) + number)), pool, 0, "A", True, description)
    made.kind, made.volumes_max = "set", VOLUMES_MAX
    world.volumes.append(made)
    return made


def delete_set(world: World, volume: Volume) -> None:
    """Remove a set that holds no volume and lets no host in."""
    held = members(world, volume)
    if held:
        raise ActionError(409, "ResourceInUse", f"{volume.name} holds {len(held)} volumes.")
    actions.delete_volume(world, volume)


def mount_set(world: World, host: Host, serial: str, name: str) -> Datastore:
    """Mount a set as a datastore of a name; mounted already it stays as it is."""
    volume = world.volume_by_serial(serial)
    let_in = any(volume and c.volume == volume.id and host.nqn in c.initiators for c in world.connections)
    if volume is None or volume.kind != "set" or not let_in:
        raise ActionError(404, "ResourceMissingAtURI", f"No access point shows {host.name} a volume set {serial}.")
    if not ways(world, host, volume):
        raise ActionError(409, "ResourceInUse", f"{host.name} is not connected to an access point of {volume.name}.")
    store = next((store for store in world.datastores if store.serial == serial), None)
    if store is None:
        if any(other.name == name for other in world.datastores):
            raise ActionError(409, "ResourceAlreadyExists", f"A datastore named {name} exists already.")
        store = Datastore(
            f"vd-{uuid.UUID(serial).hex[-12:]}", name, serial, world.pool(volume.pool).capacity_bytes, 0, 0
        )
        world.datastores.append(store)
    if store.name != name:
        raise ActionError(409, "ResourceAlreadyExists", f"The set is mounted as {store.name} elsewhere.")
    if store.id not in host.mounted:
        host.mounted.append(store.id)
    return store


def ways(world: World, host: Host, volume: Volume) -> list[list[str]]:
    """The (interface, portal) pairs over which a host reaches the set's access points now."""
    array = world.array_of(volume)
    reached = actions.reaching(world, host, array)
    return [pair for pair in host.connected.get(array, []) if pair in reached]


def within_limits(world: World, now: float) -> None:
    """Refuse what a set has no volume, or its pool no room, left for."""
    for volume in world.volumes:
        if volume.kind != "set":
            continue
        if len(members(world, volume)) > volume.volumes_max:
            raise ActionError(409, "ResourceExhaustion", f"{volume.name} allows {volume.volumes_max} volumes.")
        pool = world.pool(volume.pool)
        if space.pool_free_bytes(world, pool, now) < 0:
            raise ActionError(409, "InsufficientStorage", f"{pool.name} has no room left.")
