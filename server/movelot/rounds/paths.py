"""Findings on paths and masking: what some hosts do not see or number apart, idle volumes, leftover initiators."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

import numpy as np

from movelot.inventory.luns import numbers_apart
from movelot.inventory.models import Cluster, Device, Disk, Export, Initiator, Mount, Offer, Volume
from movelot.inventory.paths import ClusterPaths, cluster_paths, initiators_of
from movelot.lots.models import Lot
from movelot_core.fabric.matrix import CAUSES, MASKED, NOT_MOUNTED
from movelot_core.fabric.paths import FC, Access, Cause, PathVerdict, lacking
from movelot_core.rounds import Finding, joined_by_cause, missing_paths, no_interface
from movelot_core.sight import Sight, idle, leftover, numbered_apart, seen_by_some


def path_findings() -> list[Finding]:
    """All of them, for every cluster and array."""
    arrays = list(Device.objects.filter(kind=Device.Kind.ARRAY).order_by("name"))
    mounted = _mounted()
    found: list[Finding] = []
    missing: list[Finding] = []
    for cluster in Cluster.objects.order_by("name"):
        for array in arrays:
            paths = cluster_paths(cluster, array)
            missing += _missing(paths, cluster.name)
            found += [*_lacking(paths, cluster.name), *_uneven(paths, mounted)]
    found += joined_by_cause(missing)
    for apart in numbers_apart():
        finding = numbered_apart(apart.volume, apart.cluster, apart.numbers)
        found += [finding] if finding else []
    return found + [finding for array in arrays for finding in (*_idle(array, mounted), *_leftover(array))]


def _mounted() -> dict[str, set[str]]:
    """Names of the hosts that mount a datastore on a device, or run a machine that has it, by the device's serial."""
    found: dict[str, set[str]] = {}
    for serial, host in Disk.objects.exclude(raw_serial="").values_list("raw_serial", "machine__placement__host__name"):
        found.setdefault(serial, set()).add(host)
    for serial, host in Mount.objects.values_list("datastore__serial", "host__name"):
        found.setdefault(serial, set()).add(host)
    return found


def _missing(paths: ClusterPaths, cluster: str) -> Iterator[Finding]:
    """One finding a host: a pair of port and portal counts once, as missing if it is for any volume it is let into."""
    matrix, fabric = paths.matrix, paths.matrix.fabric
    judged = matrix.expected & (matrix.cause != MASKED) & (matrix.cause != NOT_MOUNTED)
    lost = judged & matrix.missing
    for h, host in enumerate(fabric.hosts):
        ports = np.flatnonzero(fabric.host_of == h)
        verdicts = []
        for p, q in np.argwhere(judged[:, ports].any(axis=0)):
            p = ports[p]
            volumes = np.flatnonzero(lost[:, p, q])
            cause = CAUSES[matrix.cause[volumes[0], p, q]] if len(volumes) else None
            verdicts.append(_verdict(host, fabric.ports[p].name, fabric.portals[q].name, cause))
        finding = missing_paths(host, cluster, paths.array.name, verdicts)
        if finding:
            yield finding


def _lacking(paths: ClusterPaths, cluster: str) -> Iterator[Finding]:
    """Hosts that a volume of the array is offered to, without an interface where most of their fellows have one."""
    fabric = paths.matrix.fabric
    if not fabric.offers:
        return
    admitted = frozenset[str]().union(*(offer.initiators for offer in fabric.offers))
    let_in = {host.name for host in paths.hosts if initiators_of(host) & admitted}
    for lack in lacking(fabric.ports, fabric.portals):
        if lack.host in let_in:
            yield no_interface(lack.host, cluster, paths.array.name, lack.subnet, lack.like.protocol == FC)


def _verdict(host: str, port: str, portal: str, cause: Cause | None) -> PathVerdict:
    return PathVerdict(host, port, portal, True, cause is None, Access.OPTIMIZED, cause)


def _uneven(paths: ClusterPaths, mounted: dict[str, set[str]]) -> Iterator[Finding]:
    """Volumes that some of the cluster's hosts see."""
    matrix, fabric = paths.matrix, paths.matrix.fabric
    counts = matrix.per_host(matrix.seen)
    serials = dict(Volume.objects.filter(pk__in=paths.volumes).values_list("pk", "serial"))
    for v, key in enumerate(paths.volumes):
        if counts[v].all() or not counts[v].any():
            continue
        blind = np.flatnonzero(counts[v] == 0)
        why = {fabric.hosts[h]: cause for h in blind if (cause := _most_common(paths, v, int(h)))}
        offer = fabric.offers[v]
        sight = Sight(
            offer.volume,
            0,
            frozenset(host.name for host in paths.hosts if initiators_of(host) & offer.initiators),
            frozenset(fabric.hosts[h] for h in np.flatnonzero(counts[v])),
            frozenset(mounted.get(serials[key], ())),
        )
        finding = seen_by_some(sight, fabric.hosts, why)
        if finding:
            yield finding


def _most_common(paths: ClusterPaths, volume: int, host: int) -> Cause | None:
    """The cause that most of a blind host's missing paths have."""
    matrix = paths.matrix
    codes = matrix.cause[volume, matrix.fabric.host_of == host]
    counted = Counter(int(code) for code in codes.ravel() if code >= 0)
    return CAUSES[counted.most_common(1)[0][0]] if counted else None


def _idle(array: Device, mounted: dict[str, set[str]]) -> Iterator[Finding]:
    """Volumes that no host uses, but for those that a lot under way has made and is about to mount."""
    begun = Lot.objects.filter(state__in=[Lot.State.RUNNING, Lot.State.HALTING]).values_list("plan", flat=True)
    coming = {volume["name"] for plan in begun for volume in plan.get("volumes", [])}
    admitted: dict[int, set[str]] = {}
    for volume, initiators in Offer.objects.filter(device=array).values_list("volume_id", "initiators"):
        admitted.setdefault(volume, set()).update(initiators)
    for volume, clients in Export.objects.filter(device=array).values_list("volume_id", "clients"):
        admitted.setdefault(volume, set()).update(network for network, _ in clients)
    volumes = array.volumes.exclude(kind=Volume.Kind.MEMBER).order_by("name")
    for key, name, serial, size, kind in volumes.values_list("pk", "name", "serial", "size_bytes", "kind"):
        users = frozenset(mounted.get(serial, ()))
        if name in coming:
            continue
        finding = idle(Sight(name, size, frozenset(admitted.get(key, ())), users, users), kind)
        if finding:
            yield finding


def _leftover(array: Device) -> Iterator[Finding]:
    """Initiators of no linked host."""
    known = {name for host in Device.objects.filter(kind=Device.Kind.HOST) for name in initiators_of(host)}
    let_into: dict[str, list[str]] = {}
    for name, initiators in Offer.objects.filter(device=array).values_list("volume__name", "initiators"):
        for initiator in initiators:
            let_into.setdefault(initiator, []).append(name)
    rows = Initiator.objects.filter(device=array).order_by("identifier")
    for initiator in rows.values_list("identifier", flat=True):
        finding = leftover(initiator, array.name, known, let_into.get(initiator, []))
        if finding:
            yield finding
