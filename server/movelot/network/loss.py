"""What taking a component away would do: volumes, hosts, machines, and whose they are."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from django.db.models import Value

from movelot.inventory.labels import labels_of_many
from movelot.inventory.models import Cluster, Device, Disk, Extent, HostPort, Machine, Pool, Portal, Volume
from movelot.inventory.paths import ClusterPaths, cluster_paths
from movelot.problems import Problem
from movelot_core.fabric.loss import Component, Effect, Loss, MachineUse, lose, machines_hit
from movelot_core.fabric.paths import network_of
from movelot_core.fabric.transports import TRANSPORTS, transport_of

COMPONENTS_MAX = 60
MACHINES_SHOWN = 500


@dataclass
class ComponentRow:
    """A component that can be taken away, named with its device where names repeat."""

    kind: str
    name: str


@dataclass
class LostVolume:
    """A volume that the loss touches: the hosts that lose it, and those left on a single leg."""

    id: int
    name: str
    array: str
    pool: str
    datastore_id: int | None
    datastore: str
    stops: list[str]
    thinner: list[str]


@dataclass
class LostMachine:
    """A machine that the loss touches; effect is stops or thinner. Its labels tell whose it is.

    ``disks`` and ``datastores`` are what of it is touched, on whatever array: all it has where its host goes.
    """

    id: int
    name: str
    host: str
    os: str
    address: str
    effect: str
    disks: int
    datastores: list[str]
    labels: list[str]


@dataclass
class LossAnswer:
    """All that a loss touches. ``machines`` holds the first 500, those that stop first; the counts are of all."""

    component: ComponentRow
    volumes: list[LostVolume]
    machines: list[LostMachine]
    machines_stop: int
    machines_thinner: int
    disks_stop: int
    hosts_stop: int


def components(text: str) -> list[ComponentRow]:
    """Components whose kind or name contains ``text``, the array's side first; at most 60."""
    wanted = text.strip().lower()
    found: list[ComponentRow] = []
    for row in _all_components():
        if wanted in f"{row.kind} {row.name}".lower():
            found.append(row)
            if len(found) == COMPONENTS_MAX:
                break
    return found


def _all_components() -> Iterator[ComponentRow]:
    portals = list(Portal.objects.select_related("device").order_by("device__name", "name"))
    ports = HostPort.objects.order_by("device__name", "name")
    yield from _rows("array", (p.device.name for p in portals))
    yield from _rows("controller", (f"{p.device.name} {p.controller}" for p in portals))
    yield from _rows("switch", sorted({*(p.switch for p in portals), *ports.values_list("switch", flat=True)} - {""}))
    for kind in dict.fromkeys(each.network_word for each in TRANSPORTS.values()):
        ends = [portal for portal in portals if transport_of(portal.protocol).network_word == kind]
        yield from _rows(kind, sorted({network_of(portal.network) for portal in ends}))
    yield from _rows("portal", (f"{p.device.name} {p.name}" for p in portals))
    yield from _rows("pool", _named(Pool.objects.values_list("device__name", "name")))
    yield from _rows("volume", _named(Volume.objects.values_list("device__name", "name")))
    yield from _rows(
        "host", Device.objects.filter(kind=Device.Kind.HOST).order_by("name").values_list("name", flat=True)
    )
    yield from _rows("host port", _named(ports.values_list("device__name", "name")))
    uplinks = ports.values_list("device__name", "active_uplinks", "standby_uplinks")
    yield from _rows("uplink", (f"{host} {uplink}" for host, *both in uplinks for each in both for uplink in each))


def _named(pairs: Iterable[tuple[str, str]]) -> Iterator[str]:
    return (f"{device} {name}" for device, name in sorted(pairs))


def _rows(kind: str, names: Iterable[str]) -> Iterator[ComponentRow]:
    return (ComponentRow(kind, name) for name in dict.fromkeys(names))


def loss_of(kind: str, name: str, shown: int | None = MACHINES_SHOWN) -> LossAnswer:
    """What the loss of a component does, over every cluster and array. Problem for one that is not there."""
    if not any(row.name == name for row in _all_components() if row.kind == kind):
        raise Problem(
            404,
            "component_unknown",
            f"There is no {kind or 'component'} named “{name}”.",
            hint="Choose one of the list.",
        )
    component = Component(kind, name)
    volumes: dict[int, LostVolume] = {}
    machines: dict[int, _Hit] = {}
    for cluster in Cluster.objects.order_by("name"):
        for array in Device.objects.filter(kind=Device.Kind.ARRAY).order_by("name"):
            paths = cluster_paths(cluster, array)
            whole = _lost_whole(component, array)
            loss = lose(paths.matrix, component, whole)
            _collect_volumes(paths, loss, volumes)
            _collect_machines(paths, loss, machines)
    if kind == "host":
        _collect_those_of_host(name, machines)
    rows = sorted(_lost_machines(machines), key=lambda row: (row.effect != Effect.STOPS, row.name))
    stopped = [row for row in rows if row.effect == Effect.STOPS]
    labels = labels_of_many("machine", [row.id for row in rows[:shown]])
    for row in rows[:shown]:
        row.labels = labels.get(row.id, [])
    return LossAnswer(
        ComponentRow(kind, name),
        sorted(volumes.values(), key=lambda row: (not row.stops, row.name)),
        rows[:shown],
        len(stopped),
        len(rows) - len(stopped),
        sum(row.disks for row in stopped),
        len({host for row in volumes.values() for host in row.stops}),
    )


def _lost_whole(component: Component, array: Device) -> frozenset[str]:
    """The array's volumes that go with the component itself, as its paths know them."""
    owner, _, name = component.name.partition(" ")
    if owner != array.name or component.kind not in ("pool", "volume"):
        return frozenset()
    chosen = {"pool": Volume.objects.filter(pool__name=name), "volume": Volume.objects.filter(name=name)}[
        component.kind
    ]
    return frozenset(map(str, chosen.filter(device=array).values_list("pk", flat=True)))


def _collect_volumes(paths: ClusterPaths, loss: Loss, found: dict[int, LostVolume]) -> None:
    fabric = paths.matrix.fabric
    stops = (loss.before > 0) & (loss.after == 0)
    touched = [v for v in range(len(paths.volumes)) if stops[v].any() or loss.thinner[v].any()]
    rows = Volume.objects.select_related("pool").in_bulk([paths.volumes[v] for v in touched])
    lying = Extent.objects.filter(serial__in=[row.serial for row in rows.values()]).select_related("datastore")
    stores = {extent.serial: extent.datastore for extent in lying if extent.datastore.gone_at is None}
    for v in touched:
        volume = rows[paths.volumes[v]]
        store = stores.get(volume.serial)
        row = found.setdefault(
            volume.pk,
            LostVolume(
                volume.pk,
                volume.name,
                paths.array.name,
                volume.pool.name,
                store.pk if store else None,
                store.name if store else "",
                [],
                [],
            ),
        )
        row.stops += [fabric.hosts[h] for h in np.flatnonzero(stops[v])]
        row.thinner += [fabric.hosts[h] for h in np.flatnonzero(loss.thinner[v])]


@dataclass
class _Hit:
    """What of a machine is touched: its disks by key, each with where it lies, over all arrays."""

    effect: Effect
    disks: dict[int, str]


def _collect_machines(paths: ClusterPaths, loss: Loss, found: dict[int, _Hit]) -> None:
    """Machines of the cluster with disks on volumes that the loss touches for their host."""
    names = dict(zip(map(str, paths.volumes), paths.names, strict=True))
    volume_of = {s: str(key) for key, s in Volume.objects.filter(pk__in=paths.volumes).values_list("pk", "serial")}
    hosts = {host.pk: host.name for host in paths.hosts}
    uses: list[MachineUse] = []
    places: list[tuple[int, int, str]] = []
    lying = Disk.objects.filter(machine__placement__host__in=hosts, placement__datastore__extents__serial__in=volume_of)
    raw = Disk.objects.filter(machine__placement__host__in=hosts, raw_serial__in=volume_of)
    of_machine = ("machine_id", "pk", "machine__placement__host_id")
    for key, disk, host, serial, store in (
        *lying.values_list(*of_machine, "placement__datastore__extents__serial", "placement__datastore__name"),
        *raw.annotate(store=Value("")).values_list(*of_machine, "raw_serial", "store"),
    ):
        uses.append(MachineUse(str(len(places)), hosts[host], frozenset([volume_of[serial]])))
        places.append((key, disk, store or f"raw {names[volume_of[serial]]}"))
    # Each use of a volume by itself: a machine stops where any of its disks does.
    for text, effect in machines_hit(paths.matrix, loss, uses).items():
        key, disk, store = places[int(text)]
        hit = found.setdefault(key, _Hit(effect, {}))
        hit.disks[disk] = store
        if effect == Effect.STOPS:
            hit.effect = effect


def _collect_those_of_host(name: str, found: dict[int, _Hit]) -> None:
    """All machines of a host that goes, with all their disks: on arrays, on file servers and on its own drives."""
    of_host = Machine.objects.filter(placement__host__name=name)
    for key in of_host.values_list("pk", flat=True):
        found.setdefault(key, _Hit(Effect.STOPS, {})).effect = Effect.STOPS
    disks = Disk.objects.filter(machine__in=of_host)
    for key, disk, store in disks.values_list("machine_id", "pk", "placement__datastore__name"):
        # Those on arrays are known already, raw volumes by their names.
        found[key].disks.setdefault(disk, store or "")


def _lost_machines(found: dict[int, _Hit]) -> Iterator[LostMachine]:
    rows = Machine.objects.filter(pk__in=found).values_list("pk", "name", "placement__host__name", "os", "address")
    for key, name, host, os, address in rows:
        hit = found[key]
        stores = sorted({store for store in hit.disks.values() if store})
        yield LostMachine(key, name, host, os, address, hit.effect, len(hit.disks), stores, [])
