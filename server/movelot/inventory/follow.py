"""Makes the rows of the tables follow what devices said: rows of many devices in a handful of statements."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import models

from movelot.inventory.bulk import insert
from movelot.inventory.models import (
    BalanceGroup,
    Cluster,
    Datastore,
    Device,
    Disk,
    DriveGroup,
    Export,
    HostDevice,
    HostPort,
    Initiator,
    Machine,
    Mount,
    Offer,
    OnDevice,
    Pool,
    Portal,
    Volume,
    Zone,
)
from movelot.inventory.readings import ArrayReading, HostReading, Row
from movelot_core.fabric.paths import FC, bare_address

DATASTORE_FIELDS = ("name", "serial", "capacity_bytes", "free_bytes", "other_bytes", "contents")
HOW_MOUNTED = ("server", "path", "version", "ways")


def follow_array(device: Device, reading: ArrayReading) -> None:
    """Make the array's rows be those of ``reading``, and set its own fields; the caller saves it."""
    device.set_limits, device.target = reading.set_limits, reading.target
    _follow(Pool, {device.pk: reading.pools})
    pools = _keys(Pool, [device])
    for model, rows in (
        (DriveGroup, [_linked(row, "pool", pools, device) for row in reading.drive_groups]),
        (Portal, reading.portals),
        (Initiator, reading.initiators),
        (Zone, reading.zones),
        (Volume, [_linked(row, "pool", pools, device) for row in reading.volumes]),
    ):
        _follow(model, {device.pk: rows})
    volumes = _keys(Volume, [device])
    _follow(Offer, {device.pk: [_linked(row, "volume", volumes, device) for row in reading.offers]})
    _follow(Export, {device.pk: [_linked(row, "volume", volumes, device) for row in reading.exports]})


def follow_hosts(told: Sequence[tuple[Device, HostReading]]) -> None:
    """Make the hosts' rows be those of their readings, and set the hosts' own fields; the caller saves them."""
    groups = _groups({reading.cluster for _, reading in told})
    for device, reading in told:
        _follow_host(device, reading)
        device.cluster = groups[reading.cluster].cluster
    _follow(HostPort, {device.pk: reading.ports for device, reading in told})
    _follow(HostDevice, {device.pk: reading.devices for device, reading in told})
    stores = {row["identity"]: (groups[reading.cluster].pk, row) for _, reading in told for row in reading.datastores}
    keys = _follow_datastores(stores)
    _follow_mounts(
        {device.pk: {keys[row["identity"]]: row["mount"] for row in reading.datastores} for device, reading in told}
    )
    of_machine = {
        device.pk: [{k: v for k, v in row.items() if k != "disks"} for row in reading.machines]
        for device, reading in told
    }
    _follow(Machine, of_machine)
    machines = _keys(Machine, [device for device, _ in told])
    _follow_disks(
        machines,
        [
            (machines[device.pk, row["uri"]], disk)
            for device, reading in told
            for row in reading.machines
            for disk in row["disks"]
        ],
    )


def _groups(clusters: set[str]) -> dict[str, BalanceGroup]:
    """The balance group of each cluster, made where the cluster is new."""
    found = {}
    for name in sorted(clusters):
        cluster, _ = Cluster.objects.get_or_create(name=name)
        found[name], _ = BalanceGroup.objects.select_related("cluster").get_or_create(
            cluster=cluster, defaults={"name": name}
        )
    return found


def _follow_host(device: Device, reading: HostReading) -> None:
    device.initiator, device.scan_seconds = reading.initiator, reading.scan_seconds
    device.subsystems, device.queue_depth = reading.subsystems, reading.queue_depth
    device.sessions, device.chap = reading.sessions, reading.chap
    device.default_datastore = reading.default_datastore
    device.wwpns = [bare_address(port["network"]) for port in reading.ports if port["protocol"] == FC]


def _follow(model: type[OnDevice], told: Mapping[int, Sequence[Row]]) -> None:
    """Make ``model``'s rows of each device be those ``told`` of it, by its primary key; rows are known by URI."""
    manager: models.Manager[Any] = model._default_manager
    known = {(row.device_id, row.uri): row for row in manager.filter(device__in=told)}
    fields: list[str] = []
    fresh, kept = [], []
    for device, rows in told.items():
        for row in rows:
            found = known.pop((device, row["uri"]), None)
            if found is None:
                fresh.append({"device_id": device, **row})
                continue
            fields = fields or sorted(row.keys() - {"uri"})
            if any(getattr(found, name) != row[name] for name in fields):
                for name in fields:
                    setattr(found, name, row[name])
                kept.append(found)
    if known:
        manager.filter(pk__in=[row.pk for row in known.values()]).delete()
    insert(model, fresh)
    if kept:
        manager.bulk_update(kept, fields, batch_size=500)


def _keys(model: type[OnDevice], devices: Sequence[Device]) -> dict[tuple[int, str], int]:
    """The primary key of each of the devices' rows by the device's key and URI."""
    manager: models.Manager[Any] = model._default_manager
    rows = manager.filter(device__in=devices).values_list("device_id", "uri", "pk")
    return {(device, uri): key for device, uri, key in rows}


def _linked(row: Row, name: str, keys: Mapping[tuple[int, str], int], device: Device) -> Row:
    """``row`` with its ``<name>_uri`` made a foreign key."""
    key = keys[device.pk, row[f"{name}_uri"]]
    return {**{k: v for k, v in row.items() if k != f"{name}_uri"}, f"{name}_id": key}


def _follow_datastores(told: Mapping[str, tuple[int, Row]]) -> dict[str, int]:
    """Make datastores be what is ``told`` of each, with its group, by identity. Returns their primary keys."""
    # Most of what a host mounts another one has told of already: only what differs is written.
    there = Datastore.objects.filter(identity__in=told)
    keys, known = {}, {}
    for identity, key, *values in there.values_list("identity", "pk", *DATASTORE_FIELDS, "group_id"):
        keys[identity], known[identity] = key, values
    news = [
        {"identity": identity, "group_id": group, **{name: row[name] for name in DATASTORE_FIELDS}}
        for identity, (group, row) in told.items()
        if known.get(identity) != [*(row[name] for name in DATASTORE_FIELDS), group]
    ]
    insert(Datastore, news, (*DATASTORE_FIELDS, "group"))
    return dict(there.values_list("identity", "pk")) if news else keys


def _follow_mounts(told: Mapping[int, Mapping[int, Row]]) -> None:
    """Make the mounts of each host be those ``told`` of it; hosts and datastores by primary key."""
    mounts = Mount.objects.filter(host__in=told)
    known = {(host, key): tuple(how) for host, key, *how in mounts.values_list("host", "datastore", *HOW_MOUNTED)}
    wanted = {(host, key): how for host, of_host in told.items() for key, how in of_host.items()}
    gone = known.keys() - wanted.keys()
    for host in {host for host, _ in gone}:
        Mount.objects.filter(host=host, datastore__in=[key for each, key in gone if each == host]).delete()
    rows = [
        {"host_id": host, "datastore_id": key, **how}
        for (host, key), how in wanted.items()
        if known.get((host, key)) != tuple(how[name] for name in HOW_MOUNTED)
    ]
    insert(Mount, rows, HOW_MOUNTED)
    if gone:
        # A datastore that no host mounts any more is known to nobody.
        Datastore.objects.filter(pk__in={key for _, key in gone}, mounts=None).delete()


def _follow_disks(machines: Mapping[tuple[int, str], int], told: Sequence[tuple[int, Row]]) -> None:
    """Make the disks of ``machines`` be those ``told``, each with its machine's primary key."""
    # A disk may lie on a datastore that only other hosts tell of.
    stores = dict(
        Datastore.objects.filter(identity__in={row["datastore"] for _, row in told}).values_list("identity", "pk")
    )
    rows = [
        {
            **{name: row[name] for name in ("identity", "name", "size_bytes", "raw_serial", "shared")},
            "machine_id": machine,
            "datastore_id": stores.get(row["datastore"]),
        }
        for machine, row in told
    ]
    insert(Disk, rows, ("name", "machine", "size_bytes", "datastore", "raw_serial", "shared"))
    known = Disk.objects.filter(machine__in=list(machines.values())).values_list("identity", "pk")
    said = {row["identity"] for _, row in told}
    Disk.objects.filter(pk__in=[key for identity, key in known if identity not in said]).delete()
