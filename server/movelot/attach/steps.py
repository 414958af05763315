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
    """A volume to be made."""

    name: str
    size_bytes: int
    pool: Pool
    thin: bool = True


def attach_steps(wanted: list[Wanted], hosts: list[Device], table: PathTable, fixes: list[StepSpec]) -> list[StepSpec]:
    """All steps in an order in which each finds what it needs.

    All volumes are made and offered before any host scans, so that one scan a host finds them all: the scan steps of
    the others see their device and need none.
    """
    steps = [*fixes]
    created = []
    for volume, lun in zip(wanted, free_luns(wanted[0].pool.device, len(wanted)), strict=True):
        created.append(len(steps))
        steps += _array_steps(volume, hosts, len(steps), tuple(range(len(fixes))), lun)
    offered = tuple(first + 1 for first in created)
    scans: dict[str, int] = {}
    for volume, first in zip(wanted, created, strict=True):
        steps += _host_steps(volume, hosts, table, first, (len(steps), offered, scans))
    return steps


def free_luns(array: Device, count: int) -> list[int]:
    """The lowest LUN numbers that no volume of the array is offered under."""
    used = set(Offer.objects.filter(device=array).values_list("lun", flat=True))
    free = [n for n in range(1, LUN_MAX) if n not in used]
    return free[:count]


def _array_steps(wanted: Wanted, hosts: list[Device], first: int, needs: tuple[int, ...], lun: int) -> list[StepSpec]:
    """Create the volume as step ``first`` once ``needs`` are done, and offer it."""
    array = wanted.pool.device
    uris = dict(Initiator.objects.filter(device=array).values_list("iqn", "uri"))
    initiators = [uris[host.initiator] for host in hosts if host.initiator in uris]
    create = StepSpec(
        "create_volume",
        array.name,
        f"Create {'thin' if wanted.thin else 'thick'} volume {wanted.name}, {format_size(wanted.size_bytes)}",
        f"pool {wanted.pool.name}, serial assigned by the array",
        {"name": wanted.name, "size_bytes": wanted.size_bytes, "pool_uri": wanted.pool.uri, "thin": wanted.thin},
        needs,
    )
    offer = StepSpec(
        "offer_volume",
        array.name,
        f"Let {len(initiators)} initiators see it",
        f"{wanted.name} under LUN number {lun} on every host",
        {"volume_uri": {"step": first, "field": "uri"}, "initiator_uris": initiators, "lun": lun},
        (first,),
    )
    return [create, offer]


def _host_steps(
    wanted: Wanted,
    hosts: list[Device],
    table: PathTable,
    created: int,
    at: tuple[int, tuple[int, ...], dict[str, int]],
) -> list[StepSpec]:
    """Scan all hosts, format from the one with most paths, then mount and set the path policy on each.

    ``at`` has the position of the first step, the steps that offer all volumes, and each host's last scan, which is
    brought up to date: scans of one host follow one another.
    """
    scan, offered, scans = at
    count = len(hosts)
    formatted = scan + count
    serial: dict[str, Any] = {"step": created, "field": "serial"}
    identity = {"step": formatted, "field": "identity"}
    seen = {host.name: sum(path.seen for path in table.paths if path.host == host.name) for host in hosts}
    first = max(hosts, key=lambda host: seen[host.name]).name
    steps: list[StepSpec] = []
    for n, host in enumerate(hosts):
        before = (scans[host.name],) if host.name in scans else ()
        steps.append(
            StepSpec(
                "scan",
                host.name,
                f"Rescan {host.name}, wait for the device",
                f"{seen[host.name]} paths of {wanted.name} expected",
                {"serial": serial, "present": True},
                (*offered, *before),
                seconds=host.scan_seconds if not before else 1.0,
            )
        )
        scans[host.name] = scan + n
    steps.append(
        StepSpec(
            "format_device",
            first,
            f"Format {wanted.name} from {first}",
            "only if the device is empty: no partition, no signature",
            {"serial": serial, "name": wanted.name},
            tuple(range(scan, formatted)),
        )
    )
    mount = {"serial": serial, "name": wanted.name, "identity": identity}
    steps += [
        StepSpec(
            "mount", host.name, f"Mount {wanted.name} on {host.name}", "verify the same identity", mount, (formatted,)
        )
        for host in hosts
    ]
    policy = {"serial": serial, "policy": PATH_POLICY}
    steps += [
        StepSpec(
            "set_path_policy", host.name, f"Set path policy on {host.name}", "round robin", policy, (formatted + 1 + n,)
        )
        for n, host in enumerate(hosts)
    ]
    return steps
