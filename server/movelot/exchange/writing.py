"""The inventory as a Data Package: a few queries a table, all rows in a settled order."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime
from typing import Any

import numpy as np
from django.db.models import F, Value
from django.db.models.functions import Concat

from movelot.exchange.tables import TABLES, descriptor
from movelot.inventory import models
from movelot.inventory.capabilities import label_of
from movelot.inventory.labels import LABELLED
from movelot.spreadsheet import harmless
from movelot_core.fabric.paths import ISCSI, NVME
from movelot_core.latency import HOURS

Cells = Iterable[Any]
CURVE = ("curve_l0_ms", "curve_x_max", "curve_beta", "curve_gamma")
FIT = ("fit_error_ms", "fit_samples", "fit_seen_max", "fit_cautious")
SHAPE = ("curve_shape", "curve_servers", "curve_knee", "curve_wait_ms", "curve_knots", "curve_known_max")
SPREAD = ("fit_low", "fit_high")
ALLOWED = ("allowed_load",)
# What no array says of its pools.
TOLD_APART = (*CURVE, *FIT, *SHAPE, *SPREAD, *ALLOWED)
DISKS_AT_ONCE = 2000


def package(created: datetime | None = None) -> bytes:
    """The whole inventory as a zipped Data Package. Empty tables are left out, but for those that are needed."""
    written = {table.name: _csv(table.heads, ROWS[table.name]()) for table in TABLES}
    kept = [table for table in TABLES if table.needed or written[table.name].count("\n") > 1]
    moment = created or datetime.now(UTC)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        document = descriptor("estate", moment.isoformat(timespec="seconds"), kept)
        archive.writestr("datapackage.json", json.dumps(document, indent=2))
        for table in kept:
            archive.writestr(f"{table.name}.csv", written[table.name])
    return out.getvalue()


def _csv(heads: Cells, rows: Iterable[Cells]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(heads)
    for row in rows:
        writer.writerow(["" if value is None else _cell(value) for value in row])
    return out.getvalue()


def _cell(value: Any) -> Any:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        # Read back it is the same number: a plan for an estate that went out and in is no other one.
        return repr(value).removesuffix(".0")
    return harmless(value)


def _pairs(values: dict[str, Any]) -> str:
    return " ".join(f"{name}={value}" for name, value in sorted(values.items()))


def _devices(kind: str) -> Any:
    return models.Device.objects.filter(kind=kind).order_by("name")


def _hosts() -> Iterator[Cells]:
    hosts = _devices(models.Device.Kind.HOST).select_related("cluster")
    for host in hosts.prefetch_related("known_targets__sessions"):
        copies, settings = host.copy_bytes_per_second or None, _pairs(host.file_client)
        iscsi, nvme = (_connected(host, protocol) for protocol in (ISCSI, NVME))
        yield (
            host.name,
            host.cluster,
            host.initiator,
            host.nqn,
            nvme,
            iscsi,
            _pairs(host.chap),
            copies,
            host.scan_seconds,
            host.default_datastore,
            host.queue_depth or None,
            settings,
        )


def _connected(host: models.Device, protocol: str) -> str:
    known = sorted((each for each in host.known_targets.all() if each.protocol == protocol), key=lambda each: each.name)
    return " ".join(f"{each.name}={one.port}>{one.portal}" for each in known for one in each.sessions.all())


def _arrays() -> Iterator[Cells]:
    for array in _devices(models.Device.Kind.ARRAY):
        yield (
            array.name,
            array.nqn,
            array.target,
            _pairs(array.set_limits),
            array.copy_bytes_per_second or None,
            _pairs(array.file_client),
        )


def _capabilities() -> Iterator[Cells]:
    rows = models.Capability.objects.filter(device__gone_at=None).order_by("device__name", "pk")
    for device, code, able, detail in rows.values_list("device__name", "code", "able", "detail"):
        yield device, label_of(code), able, detail


def _pools() -> Iterator[Cells]:
    sizes = ("capacity_bytes", "allocated_bytes", "subscribed_bytes", "raid", "media")
    made_of = ("drives", "spares", "page_bytes")
    for pool in models.Pool.objects.select_related("device").order_by("device__name", "name"):
        parts = [getattr(pool, name) for name in sizes], [getattr(pool, name) or None for name in made_of]
        learned = [getattr(pool, name) for name in TOLD_APART]
        yield pool.device.name, pool.name, *parts[0], *parts[1], " ".join(pool.reduces), *_tiers(pool), *learned


def _tiers(pool: models.Pool) -> tuple[str, str]:
    return " ".join(f"{media}={size}" for media, size in pool.tiers), pool.relocation


def _volumes() -> Iterator[Cells]:
    rows = models.Volume.objects.order_by("device__name", "name")
    first = ("device__name", "name", "pool__name", "serial", "size_bytes", "allocated_bytes", "controller", "thin")
    last = ("kind", "volumes_max", "set_serial", "purpose", "disk_identity", "tiering", "target")
    named = rows.annotate(shared=F("device__target"))
    for *cells, reduced, kind, most, of, purpose, disk, tier, target, shared in named.values_list(
        *first, "reduced", *last, "shared"
    ):
        yield *cells, " ".join(reduced), kind, most, of, purpose, disk, tier, "" if target == shared else target


def _listed(rows: Any, *fields: str) -> Iterator[Cells]:
    return iter(rows.values_list(*fields))


def _wired(row: Any) -> tuple[Any, ...]:
    return row.protocol, row.network, row.vlan, row.up, row.frame_bytes, row.switch


def _portals() -> Iterator[Cells]:
    for row in models.Portal.objects.select_related("device").order_by("device__name", "name"):
        yield row.device.name, row.name, row.controller, *_wired(row), row.host_name


def _zones() -> Iterator[Cells]:
    for row in models.Zone.objects.select_related("device").order_by("device__name", "fabric", "name"):
        yield row.device.name, row.fabric, row.name, " ".join(f"{alias}={wwpn}" for alias, wwpn in row.members)


def _offers() -> Iterator[Cells]:
    rows = models.Offer.objects.select_related("device", "volume", "initiator_set").order_by("device__name", "name")
    for row in rows.prefetch_related("initiator_set__admitted"):
        yield row.device.name, row.volume.name, row.name, row.lun, " ".join(row.initiators)


def _exports() -> Iterator[Cells]:
    for row in models.Export.objects.select_related("device", "volume").order_by("device__name", "name"):
        clients = " ".join(f"{network}={access}" for network, access in row.clients)
        named = row.device.name, row.volume.name, row.name, row.path
        yield *named, " ".join(row.versions), clients, row.root, row.quota_bytes


def _host_ports() -> Iterator[Cells]:
    for row in models.HostPort.objects.select_related("device").order_by("device__name", "name"):
        uplinks = " ".join(row.active_uplinks), " ".join(row.standby_uplinks)
        yield row.device.name, row.name, *_wired(row), *uplinks


def _host_devices() -> Iterator[Cells]:
    sets = {key: " ".join(f"{p}>{q}={access}" for p, q, access in listed) for key, listed in _path_sets().items()}
    for row in models.HostDevice.objects.select_related("device").order_by("device__name", "serial").iterator():
        paths = sets.get(row.path_set_id, "")
        told = row.path_policy, row.queue_depth or None, row.turn_ios or None
        seen = row.name, row.size_bytes, row.lun, row.signature_kind, *told, paths
        yield row.device.name, row.serial, *seen


def _path_sets() -> dict[int | None, list[tuple[str, str, str]]]:
    """The [port, portal, access state] of each path set's paths, by its primary key."""
    found: dict[int | None, list[tuple[str, str, str]]] = {}
    for key, *path in models.Path.objects.values_list("path_set_id", "port", "portal", "access"):
        found.setdefault(key, []).append((path[0], path[1], path[2]))
    return found


def _datastores() -> Iterator[Cells]:
    for row in models.Datastore.objects.prefetch_related("extents").order_by("name", "identity"):
        contents = ";".join(f"{kind}={name}" for kind, name in row.contents)
        sizes = row.capacity_bytes, row.free_bytes, row.other_bytes
        yield row.identity, row.name, " ".join(row.serials), *sizes, contents


def _mounts() -> Iterator[Cells]:
    sets = {key: " ".join(f"{p}>{q}" for p, q, _ in listed) for key, listed in _path_sets().items()}
    rows = models.Mount.objects.select_related("datastore", "host")
    for row in rows.order_by("datastore__name", "datastore__identity", "host__name").iterator():
        ways = sets.get(row.path_set_id, "")
        yield row.datastore.identity, row.host.name, row.server, row.path, row.version, ways


def _loads() -> Iterator[Cells]:
    fields = "identity", "weekday_profile", "weekend_profile"
    for identity, *profiles in models.Disk.objects.order_by("identity").values_list(*fields).iterator(DISKS_AT_ONCE):
        for day, profile in zip(("weekday", "weekend"), profiles, strict=True):
            if profile:
                rows = np.frombuffer(profile, dtype=np.float32).reshape(3, HOURS)
                for measure, values in zip(("read_iops", "write_iops", "kib"), rows, strict=True):
                    yield identity, day, measure, *map(float, values)


def _coincidences() -> Iterator[Cells]:
    rows = models.Pool.objects.exclude(coincidence=b"").order_by("device__name", "name")
    for array, pool, joined in rows.values_list("device__name", "name", "coincidence"):
        for day, values in zip(
            ("weekday", "weekend"), np.frombuffer(joined, dtype=np.float32).reshape(2, HOURS), strict=True
        ):
            yield array, pool, day, *map(float, values)


def _disks() -> Iterator[Cells]:
    rows = models.Disk.objects.order_by("identity")
    placed = (
        "machine__name",
        "machine__placement__host__name",
        "placement__datastore__identity",
        "size_bytes",
        "pinned",
        "raw_serial",
        "shared",
        "written_bytes",
        "thin",
    )
    return _listed(rows, "identity", "name", *placed)


def _labels() -> Iterator[Cells]:
    known_by = {"pool": Concat(F("device__name"), Value("/"), F("name"))}
    for kind, model in sorted(LABELLED.items()):
        rows: Any = model.objects.all()
        named = rows.filter(labels__isnull=False).annotate(subject=known_by.get(kind, F("identity")))
        for row in named.order_by("subject", "labels__key").values_list("subject", "labels__key", "labels__value"):
            yield kind, *row


ROWS: dict[str, Any] = {
    "clusters": lambda: _listed(
        models.Cluster.objects.order_by("name"), "name", "group__own_fill_ceiling", "group__own_latency_ceiling_ms"
    ),
    "hosts": _hosts,
    "arrays": _arrays,
    "capabilities": _capabilities,
    "pools": _pools,
    "drive_groups": lambda: _listed(
        models.DriveGroup.objects.order_by("device__name", "name"),
        *("device__name", "name", "pool__name", "raid", "drives"),
    ),
    "grants": lambda: _listed(
        models.Grant.objects.order_by("pool__device__name", "pool__name"),
        *("pool__device__name", "pool__name", "quota_bytes", "granted_by"),
    ),
    "portals": _portals,
    "initiators": lambda: _listed(
        models.Initiator.objects.order_by("device__name", "name"), "device__name", "name", "identifier", "chap"
    ),
    "zones": _zones,
    "volumes": _volumes,
    "offers": _offers,
    "exports": _exports,
    "host_ports": _host_ports,
    "host_devices": _host_devices,
    "datastores": _datastores,
    "mounts": _mounts,
    "machines": lambda: _listed(
        models.Machine.objects.order_by("placement__host__name", "name"),
        *("name", "placement__host__name", "os", "address", "power", "identity"),
    ),
    "disks": _disks,
    "loads": _loads,
    "coincidences": _coincidences,
    "labels": _labels,
    "fills": lambda: _listed(
        models.DatastoreDay.objects.order_by("datastore__identity", "day"),
        *("datastore__identity", "day", "used_bytes"),
    ),
}
