"""What taking a component away would do: volumes, hosts, machines, and whose they are."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np

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
    """A machine that the loss touches; effect is stops or thinner. Its labels tell whose it is."""

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
    uplinks = ports.values_list("device__name", "active_uplinks")
    yield from _rows("uplink", (f"{host} {uplink}" for host, active in uplinks for uplink in active[:1]))


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
    machines: dict[int, LostMachine] = {}
    for cluster in Cluster.objects.order_by("name"):
        for array in Device.objects.filter(kind=Device.Kind.ARRAY).order_by("name"):
            paths = cluster_paths(cluster, array)
            whole = _lost_whole(component, array)
            loss = lose(paths.matrix, component, whole)
            _collect_volumes(paths, loss, volumes)
            _collect_machines(paths, loss, component, machines)
    rows = sorted(machines.values(), key=lambda row: (row.effect != Effect.STOPS, row.name))
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


def _collect_machines(paths: ClusterPaths, loss: Loss, component: Component, found: dict[int, LostMachine]) -> None:
    """Machines of the cluster with disks on the array's volumes, and those of a host that goes."""
    names = dict(zip(map(str, paths.volumes), paths.names, strict=True))
    volume_of = {s: str(key) for key, s in Volume.objects.filter(pk__in=paths.volumes).values_list("pk", "serial")}
    hosts = [host.pk for host in paths.hosts]
    # By machine the volumes and the place of each disk; one on a datastore of several extents needs all of them.
    disks: dict[int, dict[int, tuple[set[str], str]]] = {}
    on_array = Disk.objects.filter(
        machine__placement__host__in=hosts, placement__datastore__extents__serial__in=volume_of
    )
    for key, disk, serial, store in on_array.values_list(
        "machine_id", "pk", "placement__datastore__extents__serial", "placement__datastore__name"
    ):
        disks.setdefault(key, {}).setdefault(disk, (set(), store))[0].add(volume_of[serial])
    raw = Disk.objects.filter(machine__placement__host__in=hosts, raw_serial__in=volume_of)
    for key, disk, serial in raw.values_list("machine_id", "pk", "raw_serial"):
        disks.setdefault(key, {})[disk] = ({volume_of[serial]}, f"raw {names[volume_of[serial]]}")
    chosen = Machine.objects.filter(placement__host__in=hosts)
    if component.kind != "host":
        chosen = chosen.filter(pk__in=disks)
    rows = {row[0]: row for row in chosen.values_list("pk", "name", "placement__host__name", "os", "address")}
    uses = [
        MachineUse(str(key), row[2], frozenset().union(*(volumes for volumes, _ in disks.get(key, {}).values())))
        for key, row in rows.items()
    ]
    for text, effect in machines_hit(paths.matrix, loss, uses, component).items():
        key, name, host, os, address = rows[int(text)]
        held = disks.get(key, {})
        stores = sorted({store for _, store in held.values()})
        row = LostMachine(key, name, host, os, address, effect, len(held), stores, [])
        before = found.get(key)
        if before is None or (before.effect != Effect.STOPS and effect == Effect.STOPS):
            found[key] = row
