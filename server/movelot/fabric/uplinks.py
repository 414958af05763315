"""Interfaces that have to be bound to exactly one uplink, and are not."""

from __future__ import annotations

from typing import Any

from movelot.inventory.models import Device, HostPort
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.hosts import BindUplink, Uplinks
from movelot_core.fabric.transports import TRANSPORTS

# Names of the transports whose interfaces are bound to one uplink.
BINDING = [name for name, each in TRANSPORTS.items() if each.binds_uplink]


def fixes_for(hosts: list[Device]) -> dict[str, StepSpec[Any]]:
    """The step that settles the first unbindable interface of each host, by host name.

    The uplink kept is the first active one that no other interface of the host is bound to.
    """
    found: dict[str, StepSpec[Any]] = {}
    names = {host.pk: host.name for host in hosts}
    ports: dict[int, list[HostPort]] = {}
    for port in HostPort.objects.filter(device__in=hosts, protocol__in=BINDING).order_by("name"):
        ports.setdefault(port.device_id, []).append(port)
    for key, group in ports.items():
        broken = next((p for p in group if len(p.active_uplinks) != 1 or p.standby_uplinks), None)
        if broken is None:
            continue
        taken = {p.active_uplinks[0] for p in group if p is not broken and p.active_uplinks}
        free = [uplink for uplink in [*broken.active_uplinks, *broken.standby_uplinks] if uplink not in taken]
        if free:
            dropped = [u for u in [*broken.active_uplinks, *broken.standby_uplinks] if u != free[0]]
            bind = BindUplink(
                interface=broken.name,
                wanted=Uplinks(active=[free[0]], standby=[]),
                before=Uplinks(active=broken.active_uplinks, standby=broken.standby_uplinks),
            )
            title = f"Bind {broken.name} to {free[0]} alone"
            found[names[key]] = bind.on(names[key], title, f"{', '.join(dropped)} becomes unused on it")
    return found
