"""Addresses for new interfaces of a subnet: the next free ones, in ascending order.

Worked example: hosts have 10.40.12.101 and .103 of 10.40.12.0/24 and an array .11 and .12; two more hosts are given
.102 and .104, beside their likes.
"""

from __future__ import annotations

from collections.abc import Iterable
from ipaddress import ip_address, ip_interface, ip_network
from itertools import islice

from movelot_core.errors import CoreError


def next_free(network: str, used: Iterable[str], count: int, beside: Iterable[str] = ()) -> list[str]:
    """The lowest ``count`` free addresses of ``network``, each with prefix length; those in ``used`` are skipped.

    They begin at the lowest address in ``beside``, so that hosts stay together where they are; without any, or where
    too few are left above it, at the first of the network. Raises CoreError when there are too few.

    >>> next_free("10.40.12.0/24", ["10.40.12.101", "10.40.12.103"], 2, beside=["10.40.12.101"])
    ['10.40.12.102/24', '10.40.12.104/24']
    """
    subnet = ip_network(network)
    taken = {int(ip_interface(address).ip) for address in used}
    # Counted, not listed: a subnet may have millions. Its first address names it, its last one is for all.
    first, last = int(subnet[0]) + 1, int(subnet[-1]) - 1
    start = max(first, min((int(ip_interface(address).ip) for address in beside), default=first))
    chosen: list[int] = []
    for begin in (start, first):
        chosen = list(islice((n for n in range(begin, last + 1) if n not in taken), count))
        if len(chosen) == count:
            return [f"{subnet[n - int(subnet[0])]}/{subnet.prefixlen}" for n in chosen]
    raise CoreError("subnet_full", f"{network} has {len(chosen)} free addresses, {count} are needed.")


def address_problem(typed: str, network: str, used: Iterable[str]) -> str:
    """Why an address cannot be given to an interface of ``network``; empty when it can.

    >>> address_problem("10.40.13.5", "10.40.12.0/24", [])
    '10.40.13.5 is not in 10.40.12.0/24.'
    """
    try:
        address = ip_address(typed.strip().split("/")[0])
    except ValueError:
        return f"“{typed}” is no IP address."
    subnet = ip_network(network)
    if address not in subnet or address in (subnet.network_address, subnet.broadcast_address):
        return f"{address} is not in {network}."
    if address in {ip_interface(each).ip for each in used}:
        return f"{address} is in use."
    return ""
