"""iSCSI (RFC 7143): hosts log in to targets by their IQN, over interfaces that are bound to one uplink each."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from movelot_core.fabric.causes import Cause
from movelot_core.fabric.transports.base import Condition, KnownBy, Transport

if TYPE_CHECKING:
    from movelot_core.fabric.paths import HostPort, Portal


class Iscsi(Transport):
    """A bound interface needs exactly one active uplink and none standby, else no session starts."""

    name = "iSCSI"
    known_by = KnownBy.IQN
    binds_uplink = True
    logs_in = True
    stands_by_for = frozenset({"FC"})

    def conditions(self, port: HostPort, portal: Portal) -> Iterator[Condition]:
        """As for any over Ethernet, and the binding to one uplink."""
        yield from super().conditions(port, portal)
        yield len(port.active_uplinks) < 2, Cause.TWO_UPLINKS
        yield not port.standby_uplinks, Cause.STANDBY_UPLINK
