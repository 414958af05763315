"""NVMe over TCP (NVM Express base and TCP transport specifications): hosts connect to a subsystem by their NQN."""

from __future__ import annotations

from movelot_core.fabric.causes import Cause
from movelot_core.fabric.transports.base import KnownBy, Transport


class NvmeTcp(Transport):
    """Volumes are namespaces, which the subsystem numbers by itself, the same for every host."""

    name = "NVMe/TCP"
    known_by = KnownBy.NQN
    numbers_itself = True
    unused = Cause.NOT_CONNECTED
