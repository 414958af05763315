"""What file arrays and their NFS clients do when told: export, mount, unmount, timeouts and limits."""

from __future__ import annotations

import uuid
from ipaddress import ip_address, ip_interface, ip_network

from movelot_standins.actions import ActionError, reaches
from movelot_standins.model import Datastore, Export, Host, Interface, Portal, Volume, World
from movelot_standins.space import pool_free_bytes, used_bytes

VERSIONS = ("NFSv3", "NFSv4_1")
ACCESS = ("ReadWrite", "ReadOnly")


def export_identity(server: str, path: str) -> str:
    """How a host knows an export: by server and path as they are spelled."""
    return f"nfs-{uuid.uuid5(uuid.NAMESPACE_URL, f'nfs://{server}{path}').hex[:12]}"


def export_volume(world: World, volume: Volume, name: str, path: str, fields: dict[str, object]) -> Export:
    """Offer a file system to clients; the same export twice is one."""
    versions = [str(version) for version in fields["versions"]]  # type: ignore[attr-defined]
    clients = _checked([list(map(str, rule)) for rule in fields["clients"]])  # type: ignore[attr-defined]
    root = bool(fields["root"])
    if not path.startswith("/") or set(versions) - set(VERSIONS) or not versions:
        raise ActionError(400, "PropertyValueFormatError", "An export needs an absolute path and NFS versions.")
    for export in world.exports:
        owner = next(v for v in world.volumes if v.id == export.volume)
        if export.path == path and world.pool(owner.pool).array == world.pool(volume.pool).array:
            if (export.volume, export.versions, export.clients, export.root) == (volume.id, versions, clients, root):
                return export
            raise ActionError(409, "ResourceAlreadyExists", f"{path} is exported already, in another way.")
    export = Export(str(world.next_id()), volume.id, name, path, versions, clients, root)
    world.exports.append(export)
    return export


def _checked(clients: list[list[str]]) -> list[list[str]]:
    for network, access in clients:
        ip_network(network)
        if access not in ACCESS:
            raise ActionError(400, "PropertyValueNotInList", f"There is no access {access}.")
    return clients


def resize(world: World, volume: Volume, size: int, now: float) -> None:
    """Make a file system larger or smaller, never smaller than what is in it; all that mount it see it at once."""
    used = sum(used_bytes(world, store, now) for store in world.datastores if store.serial == volume.serial)
    if size < used:
        raise ActionError(409, "InsufficientStorage", f"{volume.name} has {used} bytes in it.")
    if not volume.thin and size - volume.size_bytes > pool_free_bytes(world, world.pool(volume.pool), now):
        raise ActionError(400, "PropertyValueOutOfRange", f"{volume.pool} cannot hold so much more.")
    volume.size_bytes = size
    _seen(world, volume)


def set_quota(world: World, export: Export, quota: int, now: float) -> None:
    """Let clients have so much of a file system and no more, 0 for all of it; never less than what they have in it."""
    volume = next(each for each in world.volumes if each.id == export.volume)
    stores = [store for store in world.datastores if store.serial == volume.serial and store.path == export.path]
    used = sum(used_bytes(world, store, now) for store in stores)
    if quota and quota < used:
        raise ActionError(409, "InsufficientStorage", f"{export.path} has {used} bytes in it.")
    export.quota_bytes = quota
    _seen(world, volume)


def _seen(world: World, volume: Volume) -> None:
    """Have all that mount exports of a file system see what these give of it."""
    given = {each.path: each.given_bytes(volume.size_bytes) for each in world.exports if each.volume == volume.id}
    for store in world.datastores:
        if store.serial == volume.serial:
            store.capacity_bytes = given.get(store.path, volume.size_bytes)


def set_clients(export: Export, clients: list[list[str]]) -> None:
    """Change whom an export lets in, and how."""
    export.clients = _checked(clients)


def withdraw(world: World, export: Export) -> None:
    """Take an export back, unless a host still mounts it."""
    mounted = {store.id for store in world.datastores if store.server and store.path == export.path}
    users = [host.name for host in world.hosts if mounted & set(host.mounted)]
    if users:
        raise ActionError(409, "ResourceInUse", f"{export.path} is mounted by {', '.join(users)}.")
    world.exports.remove(export)
    world.datastores[:] = [store for store in world.datastores if store.id not in mounted]


def access_of(export: Export, interface: Interface) -> str:
    """What the client list grants to an interface's address; the narrowest network that holds it counts."""
    address = ip_address(ip_interface(interface.address).ip)
    rules = [(ip_network(network), access) for network, access in export.clients]
    held = [rule for rule in rules if address in rule[0]]
    return max(held, key=lambda rule: rule[0].prefixlen)[1] if held else ""


def way_to(world: World, host: Host, store: Datastore) -> tuple[str, str] | None:
    """The (interface, server interface) pair over which a host reaches a file datastore now."""
    server = server_at(world, store.server)
    if server is None:
        return None
    port = next((i for i in host.interfaces if reaches(world, i, server)), None)
    return (port.name, server.name) if port else None


def server_at(world: World, server: str) -> Portal | None:
    """The server interface of this address or host name, whatever the case."""
    for portal in world.portals_of(world.file_array):
        if server.lower() in (portal.address.split("/")[0], portal.hostname):
            return portal
    return None


def mount_export(world: World, host: Host, fields: dict[str, str]) -> Datastore:
    """Mount an export under a name; mounted already in the same way it stays as it is."""
    server, path, version, name = (fields[part] for part in ("Server", "Path", "Version", "Name"))
    portal = server_at(world, server)
    export = next((export for export in world.exports if export.path == path), None)
    volume = next((v for v in world.volumes if export and v.id == export.volume), None)
    if portal is None or export is None or volume is None or volume.controller != portal.controller:
        raise ActionError(404, "ResourceMissingAtURI", f"{server} exports no {path}.")
    port = next((i for i in host.interfaces if reaches(world, i, portal)), None)
    if port is None:
        raise ActionError(409, "ResourceInUse", f"{host.name} does not reach {server}.")
    if access_of(export, port) != "ReadWrite" or not export.root:
        raise ActionError(403, "InsufficientPrivilege", f"{server} does not let {host.name} write to {path} as root.")
    if version not in export.versions:
        raise ActionError(400, "PropertyValueNotInList", f"{server} does not speak {version} for {path}.")
    store = _known_as(world, volume, server, path, name)
    if store.id in host.mounted and host.file_versions.get(store.id) != version:
        raise ActionError(409, "ResourceInUse", f"{host.name} mounts it with another version.")
    if store.id not in host.mounted:
        host.mounted.append(store.id)
    host.file_versions[store.id] = version
    return store


def _known_as(world: World, volume: Volume, server: str, path: str, name: str) -> Datastore:
    """The datastore of this spelling, made when no host has it yet."""
    identity = export_identity(server, path)
    store = world.datastore(identity)
    if store is None:
        if any(other.name == name for other in world.datastores):
            raise ActionError(409, "ResourceAlreadyExists", f"A datastore named {name} exists already.")
        given = next(each for each in world.exports if each.path == path).given_bytes(volume.size_bytes)
        store = Datastore(identity, name, volume.serial, given, 0, 0, server=server, path=path)
        world.datastores.append(store)
    if store.name != name:
        raise ActionError(409, "ResourceAlreadyExists", f"The export is mounted as {store.name} elsewhere.")
    return store


def set_file_client(host: Host, settings: dict[str, object]) -> None:
    """Set timeouts and limits of the host's NFS client; each is a positive whole number."""
    unknown = set(settings) - set(host.file_client)
    if unknown:
        raise ActionError(400, "PropertyUnknown", f"There is no setting {', '.join(sorted(unknown))}.")
    values = {name: int(str(value)) for name, value in settings.items()}
    if min(values.values(), default=1) < 1:
        raise ActionError(400, "PropertyValueOutOfRange", "A timeout or limit has to be positive.")
    host.file_client |= values
