"""The chain from a disk to its array and back, for any thing on it."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from django.db.models import Model, QuerySet, Sum
from django.shortcuts import get_object_or_404

from movelot.inventory.models import (
    Compliance,
    Datastore,
    Device,
    Disk,
    DriveGroup,
    HostPort,
    Machine,
    Path,
    Pool,
    Portal,
    Volume,
)
from movelot.inventory.sentences import made_of
from movelot.problems import Problem
from movelot.trace.edges import Edge, Walk
from movelot.trace.ends import Reached, chain_over, reached_over
from movelot.trace.ways import Way, ways_to
from movelot_core.fabric.paths import bare_address
from movelot_core.units import format_share

NEIGHBOURS_MAX = 60


@dataclass
class Figure:
    """One figure of a thing: ``unit`` is bytes, ms, share, count or text; words stand in ``text``."""

    label: str
    unit: str
    value: float | None
    text: str


@dataclass
class Link:
    """A neighbour in the chain: kind and id lead to its own trace."""

    kind: str
    id: int
    name: str
    size_bytes: int | None
    note: str


@dataclass
class Layer:
    """All neighbours of one kind; ``more`` counts those not listed."""

    kind: str
    links: list[Link]
    more: int


@dataclass
class TracedVolume:
    """The volume, file system or volume set that a datastore lies on, or the volume itself; ``kind`` as Volume.Kind."""

    id: int
    name: str
    kind: str


@dataclass
class Trace:
    """A thing, its figures, the layers of the chain from virtual machine to array, what joins them, and hosts' ways.

    ``volume`` is null but for datastores and volumes.
    """

    kind: str
    id: int
    name: str
    figures: list[Figure]
    layers: list[Layer]
    edges: list[Edge]
    ways: list[Way]
    volume: TracedVolume | None


def sized(label: str, value: int) -> Figure:
    return Figure(label, "bytes", float(value), "")


def words(label: str, text: str) -> Figure:
    return Figure(label, "text", None, text)


def trace(kind: str, key: int) -> Trace:
    """The trace of a thing. Raises 404 for an unknown one, Problem for a kind that has no trace."""
    if kind not in TRACED:
        raise Problem(404, "kind_unknown", f"There is no trace of a “{kind}”.", hint=f"Kinds are {', '.join(TRACED)}.")
    thing = get_object_or_404(TRACED[kind], pk=key)
    reached = reached_over(kind, key) if kind in ENDS else None
    walk = Walk()
    chain = {**chain_over(walk, reached), kind: {key}} if reached else walk.chain_of(kind, [key])
    layers: list[Layer] = []
    for layer, model in _layers_of(kind).items():
        rows = rows_of(model)
        rows = rows.filter(device=key) if layer in ENDS and layer != kind else rows.filter(pk__in=chain.get(layer, ()))
        listed = list(rows.order_by("name", "pk")[: NEIGHBOURS_MAX + 1])
        if listed:
            # Counting is a query of its own, needed only where there are more than fit.
            more = rows.values("pk").count() - NEIGHBOURS_MAX if len(listed) > NEIGHBOURS_MAX else 0
            layers.append(Layer(layer, [link_of(layer, row) for row in listed[:NEIGHBOURS_MAX]], more))
    keys = {layer.kind: {link.id for link in layer.links} for layer in layers}
    ways = ways_to(keys.get("volume", ()), keys.get("host", ()))
    figures = list(FIGURES[kind](thing))
    if reached:
        figures.append(Figure("paths over it", "count", float(reached.paths), ""))
    name = str(thing.name)  # type: ignore[attr-defined]
    edges = walk.edges_among(keys) + (_end_edges(kind, key, reached, keys) if reached else [])
    return Trace(kind, thing.pk, name, figures, layers, edges, ways, _volume_of(thing))


def rows_of(model: type[Model]) -> QuerySet[Model]:
    """All rows; ends with their device, which their note names, others without what is long and not named."""
    rows = model._default_manager.all()
    if model is Disk:
        return rows.defer("weekday_profile", "weekend_profile")
    if model is Device:
        return rows.only("name", "initiator", "state").prefetch_related("host_initiators")
    return rows.select_related("device") if model in ENDS.values() else rows


def _layers_of(kind: str) -> dict[str, type[Model]]:
    """What is listed in the trace of a kind; a host's ports and an array's portals with these."""
    beside = {"host": "port", "array": "portal", "port": "port", "portal": "portal"}.get(kind)
    return {**MODELS, beside: ENDS[beside]} if beside else MODELS


def _end_edges(kind: str, key: int, reached: Reached, keys: dict[str, set[int]]) -> list[Edge]:
    """A port leads to the volumes that are reached over it; these lead to a portal."""
    volumes = sorted(reached.volumes & keys.get("volume", set()))
    if kind == "port":
        return [Edge("port", key, "volume", volume) for volume in volumes]
    return [Edge("volume", volume, "portal", key) for volume in volumes]


def _volume_of(thing: Model) -> TracedVolume | None:
    found = thing if isinstance(thing, Volume) else None
    if isinstance(thing, Datastore):
        found = Volume.objects.filter(serial__in=thing.serials).order_by("pk").first()
    return TracedVolume(found.pk, found.name, found.kind) if found else None


MODELS: dict[str, type[Model]] = {
    "machine": Machine,
    "disk": Disk,
    "host": Device,
    "datastore": Datastore,
    "volume": Volume,
    "pool": Pool,
    "drive_group": DriveGroup,
    "array": Device,
}
# The ends of paths: they have a trace, and are found, but are named in others as paths only.
ENDS: dict[str, type[Model]] = {"port": HostPort, "portal": Portal}
TRACED = {**MODELS, **ENDS}


def link_of(layer: str, row: Model) -> Link:
    """A thing as a neighbour, or as something that was found."""
    size, note = None, ""
    match row:
        case Disk():
            size = row.size_bytes
        case Datastore():
            size, note = row.capacity_bytes, f"{format_share(1 - row.free_bytes / max(row.capacity_bytes, 1))} full"
        case Volume():
            size, note = _volume_note(row)
        case Pool():
            size, note = row.capacity_bytes, row.raid
        case DriveGroup():
            note = f"{row.raid} over {row.drives} drives"
        case HostPort() | Portal():
            note = f"{row.device.name}, {row.protocol}, {bare_address(row.network)}"
        case Machine():
            note = f"{row.os}, {row.address}"
        case Device():
            note = row.initiator or ", ".join(row.wwpns) or row.state
    return Link(layer, row.pk, str(row), size, note)


def _volume_note(volume: Volume) -> tuple[int | None, str]:
    """Size and note of a volume as a neighbour; a volume set has no size of its own."""
    if volume.kind == Volume.Kind.SET:
        return None, f"volume set, at most {volume.volumes_max} volumes"
    if volume.kind == Volume.Kind.MEMBER:
        return volume.size_bytes, f"{volume.purpose}, a volume of its own"
    return volume.size_bytes, f"controller {volume.controller}, {'thin' if volume.thin else 'thick'}"


def _disk(disk: Disk) -> Iterable[Figure]:
    yield sized("size", disk.size_bytes)
    yield words("identity on the host", disk.identity)
    yield words("pinned", "yes" if disk.pinned else "no")
    stands = Compliance.objects.filter(disk=disk).select_related("policy").first()
    if stands:
        yield words("policy", f"{stands.policy.name}, {stands.because}")
        why = f" since {stands.since:%d %B %H:%M} UTC: {stands.reason}" if stands.reason else ""
        yield words("compliance", f"{stands.state}{why}")
    if disk.raw_serial:
        yield words("raw volume", "shared with other machines" if disk.shared else "the machine's own")


def _machine(machine: Machine) -> Iterable[Figure]:
    yield words("operating system", machine.os)
    yield words("address", machine.address)
    yield words("power", machine.power)
    yield sized("all disks", machine.disks.aggregate(total=Sum("size_bytes"))["total"] or 0)


def _datastore(store: Datastore) -> Iterable[Figure]:
    yield sized("capacity", store.capacity_bytes)
    yield sized("free", store.free_bytes)
    yield Figure("fill", "share", 1 - store.free_bytes / max(store.capacity_bytes, 1), "")
    yield sized("beside the disks", store.other_bytes)
    yield words("identity", store.identity)
    defaults = Device.objects.filter(default_datastore=store.identity)
    if defaults:
        yield words("new machines go here from", ", ".join(sorted(host.name for host in defaults)))


def _volume(volume: Volume) -> Iterable[Figure]:
    if volume.kind == Volume.Kind.SET:
        held = Volume.objects.filter(set_serial=volume.serial).count()
        yield words("volumes", f"{held} of at most {volume.volumes_max}")
    else:
        yield sized("size", volume.size_bytes)
    yield sized("allocated in the pool", volume.allocated_bytes)
    if volume.kind == Volume.Kind.MEMBER:
        yield words("holds", f"a {volume.purpose}")
        yield words("serial", volume.serial)
        return
    yield words("serial", volume.serial)
    yield words("provisioning", "thin" if volume.thin else "thick")
    yield words("data reduction", " and ".join(volume.reduced) or "none")
    if volume.tiering:
        yield words("tier of its pages", volume.tiering)
    luns = sorted({str(offer.lun) for offer in volume.offers.all()})
    yield words("LUN number", ", ".join(luns) or "offered to nobody")
    paths = Path.objects.filter(path_set__hostdevices__serial=volume.serial).count()
    yield Figure("paths of all hosts", "count", float(paths), "")


def _pool(pool: Pool) -> Iterable[Figure]:
    yield sized("capacity", pool.capacity_bytes)
    yield sized("allocated", pool.allocated_bytes)
    yield sized("subscribed", pool.subscribed_bytes)
    yield words("made of", made_of(pool))
    yield words("can make data smaller by", " and ".join(pool.reduces) or "nothing")
    yield Figure("idle latency of the curve", "ms", pool.curve_l0_ms, "")
    yield Figure("typical error of the curve", "ms", pool.fit_error_ms, "")
    yield Figure("samples", "count", float(pool.fit_samples), "")


def _drive_group(group: DriveGroup) -> Iterable[Figure]:
    yield words("redundancy", group.raid)
    yield Figure("drives", "count", float(group.drives), "")
    yield words("media", group.pool.media)


def _end(end: HostPort | Portal) -> Iterable[Figure]:
    yield words("on", end.device.name)
    if isinstance(end, Portal):
        yield words("controller", end.controller)
    yield words("protocol", end.protocol)
    address, _, fabric = end.network.partition("@")
    yield words("WWPN" if fabric else "address", address)
    if fabric:
        yield words("fabric", fabric)
    else:
        yield words("VLAN, frames", f"{end.vlan}, {end.frame_bytes} bytes")
    if isinstance(end, HostPort):
        uplinks = [*end.active_uplinks, *(f"{uplink} standby" for uplink in end.standby_uplinks)]
        yield words("uplinks", ", ".join(uplinks) or "none")
    yield words("link", "up" if end.up else "down")
    if end.switch:
        yield words("switch", end.switch)


def _device(device: Device) -> Iterable[Figure]:
    yield words("address", device.address or "known from a file only")
    yield words("state", device.detail or device.state)
    if device.fingerprint:
        yield words("certificate", device.fingerprint)
    if device.initiator:
        yield words("initiator", device.initiator)
    if device.wwpns:
        yield words("WWPNs", ", ".join(device.wwpns))
    if device.nqn:
        yield words("host NQN" if device.kind == Device.Kind.HOST else "subsystem NQN", device.nqn)


FIGURES: dict[str, Callable[..., Iterable[Figure]]] = {
    "machine": _machine,
    "disk": _disk,
    "host": _device,
    "datastore": _datastore,
    "volume": _volume,
    "pool": _pool,
    "drive_group": _drive_group,
    "array": _device,
    "port": _end,
    "portal": _end,
}
