"""Interfaces that have to be bound to exactly one uplink, and are not."""

from __future__ import annotations

from typing import Any

from movelot.inventory.models import Device, HostPort
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.hosts import BindUplink, Uplinks
from movelot_core.fabric.settling import BoundInterface, uplink_to_keep
from movelot_core.fabric.transports import TRANSPORTS

# Names of the transports whose interfaces are bound to one uplink.
BINDING = [name for name, each in TRANSPORTS.items() if each.binds_uplink]


def fixes_for(hosts: list[Device]) -> dict[str, StepSpec[Any]]:
    """The step that settles the first interface of each host that is not bound to one uplink, by host name."""
    found: dict[str, StepSpec[Any]] = {}
    names = {host.pk: host.name for host in hosts}
    ports: dict[int, list[HostPort]] = {}
    for port in HostPort.objects.filter(device__in=hosts, protocol__in=BINDING).order_by("name"):
        ports.setdefault(port.device_id, []).append(port)
    for key, group in ports.items():
        interfaces = [BoundInterface(p.name, tuple(p.active_uplinks), tuple(p.standby_uplinks)) for p in group]
        binding = uplink_to_keep(interfaces)
        if binding is None:
            continue
        broken = binding.interface
        bind = BindUplink(
            interface=broken.name,
            wanted=Uplinks(active=[binding.kept], standby=[]),
            before=Uplinks(active=[*broken.active], standby=[*broken.standby]),
        )
        title = f"Bind {broken.name} to {binding.kept} alone"
        found[names[key]] = bind.on(names[key], title, f"{', '.join(binding.dropped)} becomes unused on it")
    return found
