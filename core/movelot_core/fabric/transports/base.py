"""The contract of a transport: what carries storage between a port of a host and a portal of an array.

A transport is one file of this folder. It says by which name arrays let a host in, what two ends have to share, which
conditions keep a path from being there, how its ends are wired, and the words people have for them. Nothing else asks
which transport it deals with.
"""

from __future__ import annotations

from collections.abc import Iterator
from enum import StrEnum
from typing import TYPE_CHECKING, ClassVar

from movelot_core.fabric.causes import Cause

if TYPE_CHECKING:
    from movelot_core.fabric.paths import HostPort, Portal

Condition = tuple[bool, Cause]


class KnownBy(StrEnum):
    """Which name of a host an array lets in."""

    IQN = "iqn"
    NQN = "nqn"
    WWPN = "wwpn"
    ADDRESS = "address"


class Transport:
    """One transport. Stateless; what is said here is what holds for storage over Ethernet."""

    # As devices call it.
    name: ClassVar[str]
    # Whether it carries volumes as block devices; file systems otherwise.
    carries_blocks: ClassVar[bool] = True
    known_by: ClassVar[KnownBy]
    # What both ends have to be in, and what a host's end is: an interface can be made, a port is a card with a cable.
    network_word: ClassVar[str] = "subnet"
    port_word: ClassVar[str] = "interface"
    makes_ports: ClassVar[bool] = True
    # Whether a port is bound to a single uplink, so that another one does not take over.
    binds_uplink: ClassVar[bool] = False
    # Whether a host logs in to targets, one session a portal, and may have to prove who it is (CHAP).
    logs_in: ClassVar[bool] = False
    # Whether the array numbers a volume by itself; otherwise it is offered under a LUN number.
    numbers_itself: ClassVar[bool] = False
    # Transports over which a host that has a volume leaves its paths over this one standing by.
    stands_by_for: ClassVar[frozenset[str]] = frozenset()
    # Why a path is missing that nothing stands in the way of.
    unused: ClassVar[Cause] = Cause.NOT_RESCANNED
    # Why a port that is in none of the portals' networks has no path.
    astray: ClassVar[Cause] = Cause.SUBNET

    def __repr__(self) -> str:
        return f"<{self.name}>"

    @property
    def number_word(self) -> str:
        """What the standard calls the number under which hosts see a volume."""
        return "namespace id" if self.numbers_itself else "LUN number"

    def conditions(self, port: HostPort, portal: Portal) -> Iterator[Condition]:
        """What has to hold for a path, in the order in which people look, each with the cause where it does not.

        Frames of different size log in and then stall, so they count as no path.
        """
        yield portal.up, Cause.PORTAL_DOWN
        yield port.up, Cause.PORT_DOWN
        yield port.vlan == portal.vlan, Cause.VLAN
        yield port.frame_bytes == portal.frame_bytes, Cause.FRAME
        yield len(port.active_uplinks) > 0, Cause.NO_UPLINK

    def uplink(self, port: HostPort) -> str:
        """The uplink that all of a port's traffic takes, named with its host; empty where another would take over."""
        if len(port.active_uplinks) + len(port.standby_uplinks) > 1 and not self.binds_uplink:
            return ""
        return f"{port.host} {port.active_uplinks[0] if port.active_uplinks else '-'}"

    def switch(self, port: HostPort) -> str:
        """The switch that all of a port's traffic takes; empty where unknown, or another uplink would take over."""
        return port.switch if self.uplink(port) else ""
