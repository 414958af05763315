"""The steps of an attach lot: fix uplinks, create, offer, connect, find side by side, format once, mount everywhere."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from movelot.attach.block.admission import admit
from movelot.attach.block.raw import give_steps
from movelot.fabric.connect import connect_steps
from movelot.fabric.connect.iscsi import IscsiConnector
from movelot.inventory.models import Device, Machine, Offer, Pool
from movelot.inventory.paths import PathTable
from movelot.lots.step_plan import AnyHandle, Handle, StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.hosts import FormatDevice, Mount, Scan, SetPathPolicy, WipeDevice
from movelot.lots.steps.volumes import CreateVolume, MadeVolume, Offered, OfferVolume
from movelot_core.device_settings import USUAL_PATH_POLICY
from movelot_core.units import count_of, format_size

LUN_MAX = 4095
TIER_TEXTS = {"by use": "moved by use", "fastest": "on the fastest tier", "slowest": "on the slowest tier"}


@dataclass(frozen=True)
class NewVolume:
    """A volume to be made."""

    name: str
    size_bytes: int
    pool: Pool
    thin: bool = True
    reduced: tuple[str, ...] = ()
    tiering: str = ""
    own_target: bool = False


def add_attach(
    plan: StepPlan,
    wanted: list[NewVolume],
    hosts: list[Device],
    table: PathTable,
    given_to: list[Machine] | None = None,
    after: Sequence[AnyHandle] = (),
) -> None:
    """All steps in an order in which each finds what it needs; raw volumes are ``given_to`` machines.

    All volumes are made, once ``after`` is done, and offered before any host scans, so that one scan a host finds them
    all.
    """
    array = wanted[0].pool.device
    admission = admit(plan, array, hosts)
    ready = plan.barrier([*after, *admission.steps])
    luns = _luns(array, len(wanted))
    made = [_make(plan, volume, lun, admission.uris, ready) for volume, lun in zip(wanted, luns, strict=True)]
    joined = {} if wanted[0].own_target else add_connections(plan, array, hosts, table, ready)
    for volume, (create, offer) in zip(wanted, made, strict=True):
        if volume.own_target:
            logins = IscsiConnector().own_target_steps(array, hosts, table, create.result.target, volume.name)
            for host, handles in _by_device(plan, logins, [offer]).items():
                joined.setdefault(host, []).extend(handles)
    offered = plan.barrier(offer for _, offer in made)
    devices = [
        FoundDevice(array, volume.name, create.result.serial) for volume, (create, _) in zip(wanted, made, strict=True)
    ]
    found = add_finds(plan, devices, hosts, table, offered, joined)
    for device in devices:
        if given_to is None:
            add_datastore(plan, device, hosts, table, found)
        else:
            _add_raw(plan, device, found, given_to)


def add_connections(
    plan: StepPlan, array: Device, hosts: list[Device], table: PathTable, after: list[AnyHandle]
) -> dict[str, list[AnyHandle]]:
    """Connect hosts to an array where they are not yet; what was added, by host."""
    return _by_device(plan, connect_steps(array, hosts, table), after)


def _by_device(plan: StepPlan, specs: list[StepSpec[Any]], after: list[AnyHandle]) -> dict[str, list[AnyHandle]]:
    """Add steps side by side; what was added, by device."""
    found: dict[str, list[AnyHandle]] = {}
    for spec, handle in zip(specs, plan.add_all(specs, after), strict=True):
        found.setdefault(spec.device, []).append(handle)
    return found


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


def _make(
    plan: StepPlan, wanted: NewVolume, lun: int | None, initiators: list[str], ready: list[AnyHandle]
) -> tuple[Handle[MadeVolume], Handle[Offered]]:
    """Create the volume once ``ready`` is done, and offer it."""
    array = wanted.pool.device
    noun = "volume" if lun is not None else "namespace"
    how = f"with {' and '.join(wanted.reduced)}, " if wanted.reduced else ""
    how += f"pages {TIER_TEXTS[wanted.tiering]}, " if wanted.tiering else ""
    how += "behind a target of its own, " if wanted.own_target else ""
    create = CreateVolume(
        name=wanted.name,
        size_bytes=wanted.size_bytes,
        pool_uri=wanted.pool.uri,
        thin=wanted.thin,
        reduced=[*wanted.reduced],
        tiering=wanted.tiering,
        own_target=wanted.own_target,
    ).on(
        array.name,
        f"Create {'thin' if wanted.thin else 'thick'} {noun} {wanted.name}, {format_size(wanted.size_bytes)}",
        f"pool {wanted.pool.name}, {how}{'serial' if lun is not None else 'NGUID'} assigned by the array",
    )
    made = plan.add(create, ready)
    offer = OfferVolume(volume_uri=made.result.uri, initiator_uris=initiators, lun=lun).on(
        array.name,
        f"Let {len(initiators)} {'initiators' if lun is not None else 'hosts'} see it",
        f"{wanted.name} {numbered(lun)}",
    )
    return made, plan.add(offer, made)


def find_step(array: Device, host: Device, serials: list[str], detail: str, present: bool = True) -> StepSpec[Any]:
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
    scan = Scan(serials=serials, present=present)
    return scan.on(host.name, titles[present, nvme], detail, seconds=1.0 if nvme else host.scan_seconds)


@dataclass(frozen=True)
class FoundDevice:
    """A device to be made a datastore: its array, name and serial, which a step may tell.

    ``carries`` is what is wiped off it first; empty for a device that carries nothing.
    """

    array: Device
    name: str
    serial: str
    carries: str = ""


def _paths_seen(hosts: list[Device], table: PathTable) -> dict[str, int]:
    counts = dict.fromkeys((host.name for host in hosts), 0)
    for path in table.paths:
        if path.host in counts:
            counts[path.host] += path.seen
    return counts


Finds = list[tuple[Device, AnyHandle]]


def add_finds(
    plan: StepPlan,
    devices: list[FoundDevice],
    hosts: list[Device],
    table: PathTable,
    offered: list[AnyHandle],
    joined: dict[str, list[AnyHandle]],
) -> Finds:
    """Add one step a host that finds all of ``devices``, once they are ``offered`` and the host has ``joined``."""
    seen, names = _paths_seen(hosts, table), " and of ".join(device.name for device in devices)
    serials = [device.serial for device in devices]
    found: Finds = []
    for host in hosts:
        find = find_step(devices[0].array, host, serials, f"{count_of(seen[host.name], 'path')} of {names} expected")
        found.append((host, plan.add(find, [*offered, *joined.get(host.name, ())])))
    return found


def _add_raw(plan: StepPlan, device: FoundDevice, found: Finds, machines: list[Machine]) -> None:
    """Set the path policy on all hosts, as the machines may run on any, and give it to the machines."""
    for host, handle in found:
        plan.add(policy_step(device.serial, host), handle)
    plan.add_all(give_steps(machines, device.name, device.serial), (handle for _, handle in found))


def policy_step(serial: str, host: Device) -> StepSpec[Any]:
    """Set the usual path policy on a device that is new to a host."""
    policy = SetPathPolicy(serial=serial, policy=USUAL_PATH_POLICY)
    return policy.on(host.name, f"Set path policy on {host.name}", "round robin")


def add_datastore(plan: StepPlan, device: FoundDevice, hosts: list[Device], table: PathTable, found: Finds) -> None:
    """Format it from the host with most paths once all have found it, then mount and set the path policy on each."""
    seen = _paths_seen(hosts, table)
    first = max(hosts, key=lambda host: seen[host.name]).name
    everywhere = plan.barrier(handle for _, handle in found)
    if device.carries:
        wipe = WipeDevice(serial=device.serial, carries=device.carries)
        spec = wipe.on(first, f"Wipe {device.name} from {first}", f"it carries a {device.carries}")
        everywhere = [plan.add(spec, everywhere)]
    detail = "only if the device is empty: no partition, no signature"
    format_it = FormatDevice(serial=device.serial, name=device.name)
    formatted = plan.add(format_it.on(first, f"Format {device.name} from {first}", detail), everywhere)
    mount = Mount(serial=device.serial, name=device.name, identity=formatted.result.identity)
    specs = [mount.on(host.name, f"Mount {device.name} on {host.name}", "verify the same identity") for host in hosts]
    for host, mounted in zip(hosts, plan.add_all(specs, formatted), strict=True):
        plan.add(policy_step(device.serial, host), mounted)
