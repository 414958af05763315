"""What hosts said: their own fields, ports and devices, and the datastores that they mount."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime
from operator import itemgetter
from typing import Any

from movelot.inventory.bulk import insert
from movelot.inventory.follow.kept_files import follow_kept_files
from movelot.inventory.follow.machines import follow_machines
from movelot.inventory.follow.rows import follow_listed
from movelot.inventory.follow.shared import Keys, forget_unused, path_listing, path_sets
from movelot.inventory.follow.targets import follow_names, follow_targets
from movelot.inventory.models import (
    BalanceGroup,
    Cluster,
    Datastore,
    Device,
    Extent,
    GroupMember,
    HostDevice,
    HostPort,
    Mount,
)
from movelot.inventory.readings import HostReading, Row

Told = Sequence[tuple[Device, HostReading]]
DATASTORE_FIELDS = ("name", "capacity_bytes", "free_bytes", "other_bytes", "contents", "gone_at")
HOW_MOUNTED = ("server", "path", "version", "path_set_id")


def follow_hosts(told: Told, moment: datetime) -> None:
    """Make the hosts' rows be those of their readings, and set the hosts' own fields; the caller saves them."""
    clusters = _clusters({reading.cluster for _, reading in told})
    for device, reading in told:
        _follow_host(device, reading)
        device.cluster = clusters[reading.cluster]
    follow_listed(HostPort, {device.pk: reading.ports for device, reading in told})
    follow_names(told)
    follow_targets(told)
    sets = path_sets({device.pk: _paths_told(reading) for device, reading in told})
    follow_listed(HostDevice, {host.pk: [_over(row, "paths", host, sets) for row in r.devices] for host, r in told})
    keys = _follow_datastores(told, moment)
    mounts = {
        host.pk: {keys[row["identity"]]: _over(row["mount"], "ways", host, sets) for row in reading.datastores}
        for host, reading in told
    }
    _follow_mounts(mounts, moment)
    forget_unused([device.pk for device, _ in told])
    follow_kept_files(told, keys)
    follow_machines(told, moment)


def _paths_told(reading: HostReading) -> list[list[list[str]]]:
    """All lists of paths that a host told: of its devices and of its mounts."""
    return [*(row["paths"] for row in reading.devices), *(row["mount"]["ways"] for row in reading.datastores)]


def _over(row: Row, name: str, host: Device, sets: Keys) -> Row:
    """``row`` with its list of paths, under ``name``, made a foreign key."""
    rest = {key: value for key, value in row.items() if key != name}
    return {**rest, "path_set_id": sets[host.pk, path_listing(row[name])]}


def _clusters(names: Collection[str]) -> dict[str, Cluster]:
    """The cluster of each name, made with a balance group of its own where it is new.

    No other worker writes what the hosts of these share until the transaction ends. Two of them may meet a new cluster
    at once: the later one finds the row of the first.
    """
    there = Cluster.objects.filter(name__in=names)
    fresh = sorted(set(names) - set(there.values_list("name", flat=True)))
    insert(Cluster, [{"name": name} for name in fresh], keep=True)
    found = {cluster.name: cluster for cluster in there.select_for_update().order_by("pk")}
    insert(BalanceGroup, [{"name": name, "cluster_id": found[name].pk} for name in fresh], keep=True)
    return found


def _follow_host(device: Device, reading: HostReading) -> None:
    device.initiator, device.scan_seconds = reading.initiator, reading.scan_seconds
    device.queue_depth, device.default_datastore = reading.queue_depth, reading.default_datastore


def _follow_datastores(told: Told, moment: datetime) -> dict[str, int]:
    """Make datastores be what is told of each, by identity. Returns their primary keys."""
    rows: dict[str, Row] = {}
    first_by_cluster: dict[str, str] = {}
    for _, reading in sorted(told, key=lambda each: each[1].cluster, reverse=True):
        for row in reading.datastores:
            rows[row["identity"]] = {**row, "gone_at": None}
            first_by_cluster[row["identity"]] = reading.cluster
    # Most of what a host mounts another one has told of already: only what differs is written.
    there = Datastore.known.filter(identity__in=rows)
    keys, known = {}, {}
    for identity, key, *values in there.values_list("identity", "pk", *DATASTORE_FIELDS):
        keys[identity], known[identity] = key, values
    news = [
        {"identity": identity, **{name: row[name] for name in DATASTORE_FIELDS}}
        for identity, row in sorted(rows.items())
        if known.get(identity) != [row[name] for name in DATASTORE_FIELDS]
    ]
    insert(Datastore, news, DATASTORE_FIELDS)
    if news:
        keys = dict(there.values_list("identity", "pk"))
    _follow_extents({keys[identity]: row["extents"] for identity, row in rows.items()}, moment)
    _join_groups({keys[identity]: cluster for identity, cluster in first_by_cluster.items() if identity not in known})
    return keys


def _follow_extents(told: Mapping[int, Sequence[Row]], moment: datetime) -> None:
    """Make the extents of each datastore, by its primary key, be those ``told`` of it."""
    known: dict[int, dict[int, list[Any]]] = {key: {} for key in told}
    for key, number, *values in Extent.objects.filter(datastore__in=told).values_list(
        "datastore_id", "number", "serial", "size_bytes"
    ):
        known[key][number] = values
    moved, resized = [], []
    for key, extents in sorted(told.items()):
        for number, extent in enumerate(extents):
            before = known[key].get(number)
            row = {"datastore_id": key, "number": number, **extent, "since": moment}
            if before is None or before[0] != extent["serial"]:
                moved.append(row)
            elif before[1] != extent["size_bytes"]:
                resized.append(row)
    insert(Extent, moved, ("serial", "size_bytes", "since"))
    insert(Extent, resized, ("size_bytes",))
    for key, extents in told.items():
        if len(known[key]) > len(extents):
            Extent.objects.filter(datastore=key, number__gte=len(extents)).delete()


def _join_groups(clusters: Mapping[int, str]) -> None:
    """Let datastores that were never seen before join the group of their cluster, by their primary keys.

    Of several clusters that mount one it is the first by name; where it belongs from then on is for people to say.
    """
    groups = dict(BalanceGroup.objects.filter(cluster__isnull=False).values_list("cluster__name", "pk"))
    rows = [{"datastore_id": key, "group_id": groups[name]} for key, name in clusters.items() if name in groups]
    insert(GroupMember, rows, keep=True)


def _follow_mounts(told: Mapping[int, Mapping[int, Row]], moment: datetime) -> None:
    """Make the mounts of each host be those ``told`` of it; hosts and datastores by primary key."""
    mounts = Mount.objects.filter(host__in=told)
    known = {(host, key): tuple(how) for host, key, *how in mounts.values_list("host", "datastore", *HOW_MOUNTED)}
    wanted = {(host, key): how for host, of_host in told.items() for key, how in of_host.items()}
    gone = known.keys() - wanted.keys()
    for host in {host for host, _ in gone}:
        Mount.objects.filter(host=host, datastore__in=[key for each, key in gone if each == host]).delete()
    rows = [
        {"host_id": host, "datastore_id": key, **how}
        for (host, key), how in sorted(wanted.items(), key=itemgetter(0))
        if known.get((host, key)) != tuple(how[name] for name in HOW_MOUNTED)
    ]
    insert(Mount, rows, HOW_MOUNTED)
    if gone:
        mark_unmounted({key for _, key in gone}, moment)


def mark_unmounted(keys: Collection[int], moment: datetime) -> None:
    """A datastore that no host mounts any more is gone, and so is the place of the disks on it."""
    Datastore.objects.filter(pk__in=keys, mounts=None).update(gone_at=moment)
