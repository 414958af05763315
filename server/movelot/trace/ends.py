"""The ends of paths as things to trace: a host's port, an array's portal, and what is reached over them now."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from movelot.inventory.models import Cluster, Device, HostPort, Portal
from movelot.inventory.paths import ClusterPaths, cluster_paths
from movelot.trace.edges import Keys, Walk


@dataclass
class Reached:
    """Primary keys of the volumes and hosts with a path over an end, the device that the end is on, and the paths."""

    volumes: set[int] = field(default_factory=set)
    hosts: set[int] = field(default_factory=set)
    arrays: set[int] = field(default_factory=set)
    paths: int = 0


def reached_over(kind: str, key: int) -> Reached:
    """What has a path over a port or portal, as hosts report them."""
    end = (HostPort if kind == "port" else Portal).objects.select_related("device").get(pk=key)
    found = Reached()
    (found.hosts if kind == "port" else found.arrays).add(end.device_id)
    for paths in _matrices(end.device, kind):
        fabric = paths.matrix.fabric
        if kind == "port":
            places = [n for n, p in enumerate(fabric.ports) if (p.host, p.name) == (end.device.name, end.name)]
            over = paths.matrix.seen[:, places, :]
        else:
            over = paths.matrix.seen[:, :, [n for n, q in enumerate(fabric.portals) if q.name == end.name]]
        found.paths += int(over.sum())
        volumes = np.flatnonzero(over.any(axis=(1, 2)))
        found.volumes.update(paths.volumes[v] for v in volumes)
        if kind == "port" and len(volumes):
            found.arrays.add(paths.array.pk)
        elif kind == "portal":
            ports = np.flatnonzero(over.any(axis=(0, 2)))
            by_name = {host.name: host.pk for host in paths.hosts}
            found.hosts.update(by_name[fabric.ports[p].host] for p in ports)
    return found


def _matrices(device: Device, kind: str) -> Iterator[ClusterPaths]:
    """The paths that may run over an end of ``device``: of its cluster to each array, or of each cluster to it."""
    if kind == "port":
        cluster = device.cluster
        arrays = Device.objects.filter(kind=Device.Kind.ARRAY)
        yield from (cluster_paths(cluster, array) for array in arrays if cluster)
    else:
        for cluster in Cluster.objects.all():
            yield cluster_paths(cluster, device)


def chain_over(walk: Walk, reached: Reached) -> Keys:
    """What is on the chain of an end: what rests on the volumes reached over it, on the hosts that reach them."""
    rests, runs = walk.above("volume", reached.volumes), walk.below("host", reached.hosts)
    found = {kind: rests.get(kind, set()) & runs.get(kind, set()) for kind in ("machine", "disk", "datastore")}
    beneath = walk.below("volume", reached.volumes)
    return {**beneath, **found, "host": reached.hosts, "volume": reached.volumes, "array": reached.arrays}
