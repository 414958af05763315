"""NFS (RFC 1813, RFC 8881): hosts mount exports, and are let in by the address of their interface."""

from __future__ import annotations

from movelot_core.fabric.causes import Cause
from movelot_core.fabric.transports.base import KnownBy, Transport


class Nfs(Transport):
    """Paths lead from a host's interface to the server interface of the controller that owns the file system."""

    name = "NFS"
    carries_blocks = False
    known_by = KnownBy.ADDRESS
    unused = Cause.NOT_MOUNTED
