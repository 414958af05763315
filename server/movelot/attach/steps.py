"""The steps of an attach lot: fix uplinks, create, offer, connect, find side by side, format once, mount everywhere."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from movelot.attach.admission import admit
from movelot.attach.joining import connect_steps, own_target_steps
from movelot.attach.raw import give_steps
from movelot.inventory.models import Device, Machine, Offer, Pool
from movelot.inventory.paths import PathTable
from movelot.lots.steps.base import StepSpec
from movelot_core.units import format_size

PATH_POLICY = "RoundRobin"
LUN_MAX = 4095
TIER_TEXTS = {"by use": "moved by use", "fastest": "on the fastest tier", "slowest": "on the slowest tier"}


@dataclass(frozen=True)
class Wanted:
    """A volume to be made."""

    name: str
    size_bytes: int
    pool: Pool
    thin: bool = True
    reduced: tuple[str, ...] = ()
    tiering: str = ""
    own_target: bool = False


def attach_steps(
    wanted: list[Wanted], hosts: list[Device], table: PathTable, fixes: list[StepSpec], given_to: list[Machine] | None
) -> list[StepSpec]:
    """All steps in an order in which each finds what it needs; raw volumes are ``given_to`` machines.

    All volumes are made and offered before any host scans, so that one scan a host finds them all: the scan steps of
    the others see their device and need none.
    """
    array = wanted[0].pool.device
    steps = [*fixes]
    admission = admit(array, hosts, len(steps))
    steps += admission.steps
    ready = tuple(range(len(steps)))
    created = []
    for volume, lun in zip(wanted, _luns(array, len(wanted)), strict=True):
        created.append(len(steps))
        steps += _array_steps(volume, admission.uris, ready, len(steps), lun)
    if not wanted[0].own_target:
        steps += connect_steps(array, hosts, table, ready)
    for volume, first in zip(wanted, created, strict=True):
        if volume.own_target:
            target = {"step": first, "field": "target"}
            steps += own_target_steps(array, hosts, table, target, volume.name, (first + 1,))
    found_after = tuple(range(created[0] + 1, len(steps)))
    scans: dict[str, int] = {}
    for volume, first in zip(wanted, created, strict=True):
        device, at = Found(array, volume.name, {"step": first, "field": "serial"}), (len(steps), found_after, scans)
        if given_to is None:
            steps += datastore_steps(device, hosts, table, at)
        else:
            steps += raw_steps(device, hosts, table, at, given_to)
    return steps


def free_luns(array: Device, count: int) -> list[int]:
    """The lowest LUN numbers that no volume of the array is offered under."""
    used = set(Offer.objects.filter(device=array).values_list("lun", flat=True))
    free = [n for n in range(1, LUN_MAX) if n not in used]
    return free[:count]


def _luns(array: Device, count: int) -> list[int | None]:
    """LUN numbers to offer volumes under; None over NVMe, where the array numbers its namespaces itself."""
    return [None] * count if array.has_namespaces else [*free_luns(array, count)]


def lun_for(array: Device) -> int | None:
    """The LUN number to offer one more volume under; None over NVMe."""
    return _luns(array, 1)[0]


def number_word(array: Device) -> str:
    """What the standard calls the number under which hosts see a volume."""
    return "namespace id" if array.has_namespaces else "LUN number"


def numbered(lun: int | None) -> str:
    """Under which number every host will see a volume, in words."""
    return "under the namespace id that the array gave it" if lun is None else f"under LUN number {lun} on every host"


def _array_steps(
    wanted: Wanted, initiators: list[Any], ready: tuple[int, ...], first: int, lun: int | None
) -> list[StepSpec]:
    """Create the volume as step ``first`` once the steps ``ready`` are done, and offer it."""
    array = wanted.pool.device
    noun = "volume" if lun is not None else "namespace"
    how = f"with {' and '.join(wanted.reduced)}, " if wanted.reduced else ""
    how += f"pages {TIER_TEXTS[wanted.tiering]}, " if wanted.tiering else ""
    how += "behind a target of its own, " if wanted.own_target else ""
    create = StepSpec(
        "create_volume",
        array.name,
        f"Create {'thin' if wanted.thin else 'thick'} {noun} {wanted.name}, {format_size(wanted.size_bytes)}",
        f"pool {wanted.pool.name}, {how}{'serial' if lun is not None else 'NGUID'} assigned by the array",
        {"name": wanted.name, "size_bytes": wanted.size_bytes, "pool_uri": wanted.pool.uri, "thin": wanted.thin}
        | ({"reduced": [*wanted.reduced]} if wanted.reduced else {})
        | ({"tiering": wanted.tiering} if wanted.tiering else {})
        | ({"own_target": True} if wanted.own_target else {}),
        ready,
    )
    offer = StepSpec(
        "offer_volume",
        array.name,
        f"Let {len(initiators)} {'initiators' if lun is not None else 'hosts'} see it",
        f"{wanted.name} {numbered(lun)}",
        {"volume_uri": {"step": first, "field": "uri"}, "initiator_uris": initiators, "lun": lun},
        (first,),
    )
    return [create, offer]


def find_step(
    array: Device, host: Device, serial: Any, detail: str, needs: tuple[int, ...], present: bool = True
) -> StepSpec:
    """The host finds the device, or loses it: after a scan, or over NVMe as soon as it is told."""
    titles = {
        (True, False): f"Rescan {host.name}, wait for the device",
        (False, False): f"Rescan {host.name}, until the device is gone",
        (True, True): f"Wait for the namespace on {host.name}",
        (False, True): f"Wait until the namespace is gone from {host.name}",
    }
    nvme = array.has_namespaces
    title = titles[present, nvme]
    params = {"serial": serial, "present": present}
    return StepSpec("scan", host.name, title, detail, params, needs, seconds=1.0 if nvme else host.scan_seconds)


@dataclass(frozen=True)
class Found:
    """A device to be made a datastore: its array, name and serial, which may be the result of a step.

    ``carries`` is what is wiped off it first; empty for a device that carries nothing.
    """

    array: Device
    name: str
    serial: Any
    carries: str = ""


At = tuple[int, tuple[int, ...], dict[str, int]]


def _paths_seen(hosts: list[Device], table: PathTable) -> dict[str, int]:
    return {host.name: sum(path.seen for path in table.paths if path.host == host.name) for host in hosts}


def _find_everywhere(device: Found, hosts: list[Device], table: PathTable, at: At) -> list[StepSpec]:
    """Find it on all hosts; ``at`` as for ``datastore_steps``."""
    scan, found_after, scans = at
    seen = _paths_seen(hosts, table)
    steps: list[StepSpec] = []
    for n, host in enumerate(hosts):
        before = (scans[host.name],) if host.name in scans else ()
        detail = f"{seen[host.name]} paths of {device.name} expected"
        step = find_step(device.array, host, device.serial, detail, (*found_after, *before))
        # The first scan of a host finds all volumes; the steps of the others look and are done.
        steps.append(replace(step, seconds=1.0) if before else step)
        scans[host.name] = scan + n
    return steps


def raw_steps(device: Found, hosts: list[Device], table: PathTable, at: At, machines: list[Machine]) -> list[StepSpec]:
    """Find it on all hosts, as the machines may run on any, set the path policy, and give it to the machines."""
    steps = _find_everywhere(device, hosts, table, at)
    found = tuple(range(at[0], at[0] + len(steps)))
    policies = [_policy(device, host, (step,)) for host, step in zip(hosts, found, strict=True)]
    return [*steps, *policies, *give_steps(machines, device.name, device.serial, found)]


def _policy(device: Found, host: Device, needs: tuple[int, ...]) -> StepSpec:
    params = {"serial": device.serial, "policy": PATH_POLICY}
    return StepSpec("set_path_policy", host.name, f"Set path policy on {host.name}", "round robin", params, needs)


def datastore_steps(device: Found, hosts: list[Device], table: PathTable, at: At) -> list[StepSpec]:
    """Find it on all hosts, format from the one with most paths, then mount and set the path policy on each.

    ``at`` has the position of the first step, the steps after which hosts can find all volumes, and each host's last
    scan, which is brought up to date: scans of one host follow one another.
    """
    scan = at[0]
    seen = _paths_seen(hosts, table)
    first = max(hosts, key=lambda host: seen[host.name]).name
    steps = _find_everywhere(device, hosts, table, at)
    everywhere = tuple(range(scan, scan + len(steps)))
    if device.carries:
        params = {"serial": device.serial, "carries": device.carries}
        title = f"Wipe {device.name} from {first}"
        steps.append(StepSpec("wipe_device", first, title, f"it carries a {device.carries}", params, everywhere))
        everywhere = (scan + len(steps) - 1,)
    formatted = scan + len(steps)
    steps.append(
        StepSpec(
            "format_device",
            first,
            f"Format {device.name} from {first}",
            "only if the device is empty: no partition, no signature",
            {"serial": device.serial, "name": device.name},
            everywhere,
        )
    )
    return steps + _mount_steps(device, hosts, formatted)


def _mount_steps(device: Found, hosts: list[Device], formatted: int) -> list[StepSpec]:
    """Mount it on each host once step ``formatted`` is done, and set the path policy there."""
    identity = {"step": formatted, "field": "identity"}
    mount = {"serial": device.serial, "name": device.name, "identity": identity}
    mounts = [
        StepSpec(
            "mount", host.name, f"Mount {device.name} on {host.name}", "verify the same identity", mount, (formatted,)
        )
        for host in hosts
    ]
    return mounts + [_policy(device, host, (formatted + 1 + n,)) for n, host in enumerate(hosts)]
