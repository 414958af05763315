"""Storage interfaces of hosts as they are set: address, VLAN, frames, uplinks, and what keeps them from an array."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from movelot.fabric.settling import lot_for
from movelot.inventory.paths import ClusterPaths
from movelot.inventory.sentences import cause_text
from movelot.lots.kinds import Remedy
from movelot_core.fabric.causes import Cause
from movelot_core.fabric.matrix import CAUSES, NONE
from movelot_core.fabric.paths import HostPort, lacking
from movelot_core.fabric.transports import transport_of


@dataclass
class StorageInterface:
    """A host's interface, or one that it lacks (then without an address), for the protocol of an array.

    ``unused`` are uplinks that other interfaces of the host have and this one has not. ``reason`` is what keeps it
    from the array's portals, empty for nothing; ``fix`` is null where no lot can settle that.
    """

    host: str
    name: str
    protocol: str
    address: str
    vlan: int | None
    frame_bytes: int | None
    active: list[str]
    standby: list[str]
    unused: list[str]
    reason: str
    fix: Remedy | None


def interface_rows(paths: ClusterPaths, hosts_most: int) -> tuple[list[StorageInterface], int]:
    """Rows of at most so many hosts, those with a trouble first; and how many hosts are left out.

    Ports that are cards have no settings to be shown.
    """
    fabric, array = paths.matrix.fabric, paths.array.name
    spoken = {portal.protocol for portal in fabric.portals if transport_of(portal.protocol).makes_ports}
    uplinks: dict[str, set[str]] = {}
    for port in fabric.ports:
        uplinks.setdefault(port.host, set()).update(port.active_uplinks, port.standby_uplinks)
    meant, code = fabric.wiring
    rows: dict[str, list[StorageInterface]] = {}
    cluster = paths.hosts[0].cluster if paths.hosts else None
    name = cluster.name if cluster else ""
    for p, port in enumerate(fabric.ports):
        if port.protocol in spoken:
            causes = [CAUSES[n] for n in np.unique(code[p][meant[p] & (code[p] != NONE)])]
            rows.setdefault(port.host, []).append(_row(port, uplinks[port.host], causes, array, name))
    for lack in lacking(fabric.ports, fabric.portals):
        if transport_of(lack.like.protocol).makes_ports and cluster:
            fix = Remedy("interfaces", {"cluster": cluster.name, "array": array}, "Make the interface")
            reason = f"it has none in {lack.subnet}, where most hosts have one"
            row = StorageInterface(
                lack.host, lack.like.name, lack.like.protocol, "", None, None, [], [], [], reason, fix
            )
            rows.setdefault(lack.host, []).append(row)
    in_order = sorted(rows, key=lambda host: (not any(row.reason for row in rows[host]), host))
    shown = [
        row for host in in_order[:hosts_most] for row in sorted(rows[host], key=lambda row: (not row.reason, row.name))
    ]
    return shown, max(0, len(in_order) - hosts_most)


def _row(port: HostPort, uplinks: set[str], causes: list[Cause], array: str, cluster: str) -> StorageInterface:
    return StorageInterface(
        port.host,
        port.name,
        port.protocol,
        port.address,
        port.vlan,
        port.frame_bytes,
        list(port.active_uplinks),
        list(port.standby_uplinks),
        sorted(uplinks - {*port.active_uplinks, *port.standby_uplinks}),
        "; ".join(cause_text(cause, port.name) for cause in causes),
        lot_for(causes, cluster, port.host, array),
    )
