"""Fibre Channel (FC-GS name server and zoning): ports with WWPNs in fabrics, a zone that holds both ends."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from movelot_core.fabric.causes import Cause
from movelot_core.fabric.transports.base import Condition, KnownBy, Transport

if TYPE_CHECKING:
    from movelot_core.fabric.paths import HostPort, Portal


class FibreChannel(Transport):
    """A port is a card with a cable: it has neither VLAN nor uplinks."""

    name = "FC"
    known_by = KnownBy.WWPN
    network_word = "fabric"
    port_word = "port"
    makes_ports = False
    astray = Cause.FABRIC

    def conditions(self, port: HostPort, portal: Portal) -> Iterator[Condition]:
        """Both have a link, and a zone of their fabric holds both."""
        yield portal.up, Cause.PORTAL_DOWN
        yield port.up, Cause.PORT_DOWN
        yield bool(port.zones & portal.zones), Cause.ZONE

    def uplink(self, port: HostPort) -> str:
        """It has none beside itself."""
        return ""

    def switch(self, port: HostPort) -> str:
        """The FC switch that it is cabled to."""
        return port.switch
