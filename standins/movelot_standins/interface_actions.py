"""New storage interfaces of a host, and their going."""

from __future__ import annotations

from ipaddress import ip_interface

from movelot_standins.actions import ActionError
from movelot_standins.fibre_channel import fabric_of
from movelot_standins.model import Host, Interface, World
from movelot_standins.redfish import Resource


def add_interface(world: World, host: Host, body: Resource) -> Interface:
    """An interface with an address that nobody has; the same asked for again is the same."""
    fixed, oem = body["IPv4StaticAddresses"][0], body["Oem"]["Kestrel"]
    address = ip_interface(f"{fixed['Address']}/{fixed['SubnetMask']}")
    uplinks = [str(name) for name in oem["ActiveUplinks"]]
    vlan, mtu = int(body["VLAN"]["VLANId"]), int(body["MTUSize"])
    made = Interface(str(body["Name"]), str(address), vlan, _mac(world, host), uplinks, [], mtu)
    made.protocol = str(oem["Protocol"])
    there = next((interface for interface in host.interfaces if interface.name == made.name), None)
    if there is not None:
        if (there.address, there.vlan, there.protocol) == (made.address, made.vlan, made.protocol):
            return there
        raise ActionError(409, "ResourceAlreadyExists", f"{host.name} has an interface {made.name} already.")
    unknown = sorted(set(uplinks) - set(host.cabling))
    if unknown:
        raise ActionError(400, "PropertyValueNotInList", f"{host.name} has no uplink {', '.join(unknown)}.")
    used = [interface.address for each in world.hosts for interface in each.interfaces]
    used += [portal.address for portal in world.portals]
    if address.ip in {ip_interface(each).ip for each in used if not fabric_of(each)}:
        raise ActionError(409, "ResourceInUse", f"{address.ip} answers already.")
    host.interfaces.append(made)
    return made


def _mac(world: World, host: Host) -> str:
    return f"02:4b:42:01:{world.hosts.index(host):02x}:{len(host.interfaces):02x}"


def drop_interface(world: World, host: Host, name: str) -> None:
    """Take an interface away with its paths, unless what is mounted would lose its last one."""
    serials = {store.serial for store in world.datastores if store.id in host.mounted and not store.server}
    for serial in serials & set(host.known):
        if all(pair[0] == name for pair in host.known[serial]):
            raise ActionError(409, "ResourceInUse", f"Device {serial} is reached over {name} alone.")
    for pairs in (*host.known.values(), *host.connected.values(), *host.sessions.values()):
        pairs[:] = [pair for pair in pairs if pair[0] != name]
    host.interfaces[:] = [interface for interface in host.interfaces if interface.name != name]
