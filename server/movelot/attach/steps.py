"""The steps of an attach lot: fix uplinks, create, offer, connect, find side by side, format once, mount everywhere."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.attach.admission import admit
from movelot.attach.joining import connect_steps, own_target_steps
from movelot.attach.raw import give_steps
from movelot.inventory.models import Device, Machine, Offer, Pool
from movelot.inventory.paths import PathTable
from movelot.lots.steps.base import StepSpec
from movelot_core.units import count_of, format_size

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

    All volumes are made and offered before any host scans, so that one scan a host finds them all.
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
    devices = [
        Found(array, volume.name, {"step": first, "field": "serial"})
        for volume, first in zip(wanted, created, strict=True)
    ]
    offered = tuple(first + 1 for first in created)
    finds = find_everywhere(devices, hosts, table, offered, own_steps(steps, created[0]))
    found = tuple(range(len(steps), len(steps) + len(finds)))
    steps += finds
    for device in devices:
        if given_to is None:
            steps += datastore_steps(device, hosts, table, len(steps), found)
        else:
            steps += raw_steps(device, hosts, found, given_to)
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
    array: Device, host: Device, serials: list[Any], detail: str, needs: tuple[int, ...], present: bool = True
) -> StepSpec:
    """The host finds devices, or loses them: after one scan, or over NVMe as soon as it is told."""
    nvme = array.has_namespaces
    noun = ("the namespace" if nvme else "the device") if len(serials) == 1 else ""
    what = noun or count_of(len(serials), "namespace" if nvme else "device")
    titles = {
        (True, False): f"Rescan {host.name}, wait for {what}",
        (False, False): f"Rescan {host.name}, until {what} {'is' if noun else 'are'} gone",
        (True, True): f"Wait for {what} on {host.name}",
        (False, True): f"Wait until {what} {'is' if noun else 'are'} gone from {host.name}",
    }
    params = {"serials": serials, "present": present}
    seconds = 1.0 if nvme else host.scan_seconds
    return StepSpec("scan", host.name, titles[present, nvme], detail, params, needs, seconds=seconds)


@dataclass(frozen=True)
class Found:
    """A device to be made a datastore: its array, name and serial, which may be the result of a step.

    ``carries`` is what is wiped off it first; empty for a device that carries nothing.
    """

    array: Device
    name: str
    serial: Any
    carries: str = ""


def _paths_seen(hosts: list[Device], table: PathTable) -> dict[str, int]:
    counts = dict.fromkeys((host.name for host in hosts), 0)
    for path in table.paths:
        if path.host in counts:
            counts[path.host] += path.seen
    return counts


def own_steps(steps: list[StepSpec], first: int) -> dict[str, tuple[int, ...]]:
    """Positions of the steps from ``first`` on, by the device that they are on: a host's logins, say."""
    found: dict[str, tuple[int, ...]] = {}
    for position, step in enumerate(steps):
        if position >= first:
            found[step.device] = (*found.get(step.device, ()), position)
    return found


def find_everywhere(
    devices: list[Found],
    hosts: list[Device],
    table: PathTable,
    offered: tuple[int, ...],
    own: dict[str, tuple[int, ...]],
) -> list[StepSpec]:
    """One step a host that finds all of ``devices``, once they are ``offered`` and its ``own`` steps are done."""
    seen, names = _paths_seen(hosts, table), " and of ".join(device.name for device in devices)
    return [
        find_step(
            devices[0].array,
            host,
            [device.serial for device in devices],
            f"{count_of(seen[host.name], 'path')} of {names} expected",
            (*offered, *own.get(host.name, ())),
        )
        for host in hosts
    ]


def raw_steps(device: Found, hosts: list[Device], found: tuple[int, ...], machines: list[Machine]) -> list[StepSpec]:
    """Set the path policy on all hosts, as the machines may run on any, and give it to the machines.

    ``found`` are the steps that find it, one a host.
    """
    policies = [_policy(device, host, (step,)) for host, step in zip(hosts, found, strict=True)]
    return [*policies, *give_steps(machines, device.name, device.serial, found)]


def _policy(device: Found, host: Device, needs: tuple[int, ...]) -> StepSpec:
    params = {"serial": device.serial, "policy": PATH_POLICY}
    return StepSpec("set_path_policy", host.name, f"Set path policy on {host.name}", "round robin", params, needs)


def datastore_steps(
    device: Found, hosts: list[Device], table: PathTable, start: int, found: tuple[int, ...]
) -> list[StepSpec]:
    """Format it from the host with most paths, then mount and set the path policy on each.

    ``start`` is the position of the first step, ``found`` are the steps after which all hosts have found it.
    """
    seen = _paths_seen(hosts, table)
    first = max(hosts, key=lambda host: seen[host.name]).name
    steps: list[StepSpec] = []
    everywhere = found
    if device.carries:
        params = {"serial": device.serial, "carries": device.carries}
        title = f"Wipe {device.name} from {first}"
        steps.append(StepSpec("wipe_device", first, title, f"it carries a {device.carries}", params, everywhere))
        everywhere = (start + len(steps) - 1,)
    formatted = start + len(steps)
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
