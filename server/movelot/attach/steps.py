"""The steps of an attach lot: fix uplinks, create, offer, scan side by side, format once, mount everywhere."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.inventory.models import Device, Initiator, Offer, Pool
from movelot.inventory.paths import PathTable
from movelot.lots.steps.base import StepSpec
from movelot_core.units import format_size

PATH_POLICY = "RoundRobin"
LUN_MAX = 4095


@dataclass(frozen=True)
class Wanted:
    """The volume to be made."""

    name: str
    size_bytes: int
    pool: Pool


def attach_steps(wanted: Wanted, hosts: list[Device], table: PathTable, fixes: list[StepSpec]) -> list[StepSpec]:
    """All steps in an order in which each finds what it needs."""
    steps = [*fixes, *_array_steps(wanted, hosts, len(fixes))]
    return steps + _host_steps(wanted, hosts, table, created=len(fixes))


def _array_steps(wanted: Wanted, hosts: list[Device], created: int) -> list[StepSpec]:
    """Create the volume once the first ``created`` steps are done, and offer it."""
    array = wanted.pool.device
    uris = dict(Initiator.objects.filter(device=array).values_list("iqn", "uri"))
    initiators = [uris[host.initiator] for host in hosts if host.initiator in uris]
    used = set(Offer.objects.filter(device=array).values_list("lun", flat=True))
    lun = next(n for n in range(1, LUN_MAX) if n not in used)
    create = StepSpec(
        "create_volume",
        array.name,
        f"Create thin volume {wanted.name}, {format_size(wanted.size_bytes)}",
        f"pool {wanted.pool.name}, serial assigned by the array",
        {"name": wanted.name, "size_bytes": wanted.size_bytes, "pool_uri": wanted.pool.uri},
        tuple(range(created)),
    )
    offer = StepSpec(
        "offer_volume",
        array.name,
        f"Let {len(initiators)} initiators see it",
        f"LUN number {lun} on every host",
        {"volume_uri": {"step": created, "field": "uri"}, "initiator_uris": initiators, "lun": lun},
        (created,),
    )
    return [create, offer]


def _host_steps(wanted: Wanted, hosts: list[Device], table: PathTable, created: int) -> list[StepSpec]:
    """Scan all hosts, format from the one with most paths, then mount and set the path policy on each."""
    offered = created + 1
    count, scan = len(hosts), offered + 1
    formatted = scan + count
    serial: dict[str, Any] = {"step": created, "field": "serial"}
    identity = {"step": formatted, "field": "identity"}
    seen = {host.name: sum(path.seen for path in table.paths if path.host == host.name) for host in hosts}
    first = max(hosts, key=lambda host: seen[host.name]).name
    scans = [
        StepSpec(
            "scan",
            host.name,
            f"Rescan {host.name}, wait for the device",
            f"{seen[host.name]} paths expected",
            {"serial": serial, "present": True},
            (offered,),
            seconds=host.scan_seconds,
        )
        for host in hosts
    ]
    once = StepSpec(
        "format_device",
        first,
        f"Format from {first}",
        "only if the device is empty: no partition, no signature",
        {"serial": serial, "name": wanted.name},
        tuple(range(scan, formatted)),
    )
    mount = {"serial": serial, "name": wanted.name, "identity": identity}
    mounts = [
        StepSpec(
            "mount", host.name, f"Mount {wanted.name} on {host.name}", "verify the same identity", mount, (formatted,)
        )
        for host in hosts
    ]
    policy = {"serial": serial, "policy": PATH_POLICY}
    policies = [
        StepSpec(
            "set_path_policy", host.name, f"Set path policy on {host.name}", "round robin", policy, (formatted + 1 + n,)
        )
        for n, host in enumerate(hosts)
    ]
    return [*scans, once, *mounts, *policies]
