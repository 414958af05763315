"""Where devices may be looked for: an address typed into Move Lot must not reach what only its own machine can.

Where an administrator named networks, in these; else anywhere but at this machine itself (loopback) and on its own link
(link-local, where clouds keep what they tell a machine about itself).
"""

from __future__ import annotations

import socket
from ipaddress import IPv4Address, IPv4Network, IPv6Address, IPv6Network, ip_address, ip_network

from movelot.devices.errors import DeviceAway
from movelot.devices.models import AllowedNetwork
from movelot.problems import Problem

Address = IPv4Address | IPv6Address
Network = IPv4Network | IPv6Network


def network_of(text: str) -> Network:
    """A network as typed. Problem 422 for anything else."""
    try:
        return ip_network(text.strip(), strict=True)
    except ValueError as error:
        message = f"“{text.strip()[:60]}” is not a network."
        hint = "Write it as 10.20.0.0/16 or fd00::/8, with no bits of a host."
        raise Problem(422, "network_unreadable", message, "Nothing was added.", hint) from error


def demand_allowed(host: str, port: int) -> None:
    """Problem 422 where an address that ``host`` stands for is not allowed; DeviceAway for an unknown name."""
    allowed = [ip_network(row) for row in AllowedNetwork.objects.values_list("cidr", flat=True)]
    for address in _addresses_of(host, port):
        if not _fits(address, allowed):
            message = f"Devices may not be at {address}."
            hint = "An administrator sets the allowed networks under Settings."
            raise Problem(422, "address_not_allowed", message, "Nothing was sent there.", hint)


def _addresses_of(host: str, port: int) -> list[Address]:
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except OSError as error:
        raise DeviceAway(host, f"Nobody knows the name {host}.") from error
    # A zone (%eth0) says which of the own links is meant, not where.
    return [ip_address(str(entry[4][0]).partition("%")[0]) for entry in found]


def _fits(address: Address, allowed: list[Network]) -> bool:
    if isinstance(address, IPv6Address) and address.ipv4_mapped:
        address = address.ipv4_mapped
    if allowed:
        return any(address in network for network in allowed if network.version == address.version)
    return not (address.is_loopback or address.is_link_local or address.is_multicast or address.is_unspecified)
