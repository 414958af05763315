"""All transports by name, found in the files of this folder: one that is written is registered."""

from __future__ import annotations

from movelot_core.fabric.transports.base import Transport
from movelot_core.families import members_in

TRANSPORTS: dict[str, Transport] = {each.name: each() for each in members_in(__name__, __path__, Transport)}


class _Unknown(Transport):
    """A transport that a device names and we know nothing of: judged as storage over Ethernet is."""

    name = "unknown"


_UNKNOWN = _Unknown()


def transport_of(protocol: str) -> Transport:
    """The transport that a device calls ``protocol``."""
    return TRANSPORTS.get(protocol, _UNKNOWN)


def block_transports() -> tuple[str, ...]:
    """Names of those that carry volumes as block devices."""
    return tuple(name for name, each in TRANSPORTS.items() if each.carries_blocks)
