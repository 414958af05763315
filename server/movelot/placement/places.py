"""What is known of each datastore as a place for disks, put together from what arrays, hosts and people said."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from django.db.models import QuerySet

from movelot.findings.models import Judged
from movelot.inventory.capabilities import DISK_LIMITS
from movelot.inventory.known_groups import GroupFigures, figures_name
from movelot.inventory.labels import labels_by_thing
from movelot.inventory.models import BalanceGroup, Capability, Cluster, Datastore, Device, Mount, Pool, Volume
from movelot.inventory.paths import cluster_paths
from movelot.inventory.placement import LOCAL, by_first_extent, pools_by_store
from movelot.inventory.versions import version
from movelot_core.fabric.matrix import single_points_all
from movelot_core.placement.facts import PlaceFacts


@dataclass(frozen=True)
class Place:
    """A datastore with its facts, and the pool and the group that it is in, where it is in any."""

    facts: PlaceFacts
    pool: Pool | None
    group: int | None


def places() -> list[Place]:
    """All datastores, by the name of their pool and their own; those without a pool last."""
    beneath = pools_by_store()
    pools = {pool.pk: pool for pool in Pool.objects.select_related("device")}
    volumes = _volumes()
    labels, of_pools = labels_by_thing("datastore"), labels_by_thing("pool")
    clusters, ways, peaks = clusters_mounting(), _ways(), pool_peaks()
    capped, guaranteed = _capped(), set(_able(Device.Kind.ARRAY, "guaranteed_iops"))
    found = []
    for store in Datastore.objects.select_related("membership").order_by("name", "pk"):
        pool, volume = pools.get(beneath.get(store.pk, 0)), volumes.get(store.pk)
        facts = PlaceFacts(
            store.pk,
            store.name,
            volume.kind if volume else LOCAL,
            # What is said of the datastore itself counts before what is said of its pool.
            labels={**of_pools.get(pool.pk if pool else 0, {}), **labels.get(store.pk, {})},
            clusters=clusters.get(store.pk, frozenset()),
        )
        facts = _of_pool(facts, pool, peaks) if pool else facts
        facts = _of_volume(facts, volume, pool, ways) if volume else facts
        facts = replace(facts, makes=facts.makes | _limits(store.pk, volume, capped, guaranteed))
        group = store.membership.group_id if hasattr(store, "membership") else None
        found.append(Place(facts, pool, group))
    return sorted(
        found, key=lambda place: (place.pool is None, place.pool.name if place.pool else "", place.facts.name)
    )


def _of_pool(facts: PlaceFacts, pool: Pool, peaks: dict[int, float]) -> PlaceFacts:
    return replace(
        facts, media=pool.media or None, raid=pool.raid or None, drives=pool.drives or None, peak_ms=peaks.get(pool.pk)
    )


def _of_volume(facts: PlaceFacts, volume: Volume, pool: Pool | None, ways: dict[int, Way]) -> PlaceFacts:
    way = ways.get(volume.pk)
    each_apart = volume.kind == Volume.Kind.SET
    return replace(
        facts,
        paths=way.paths if way else None,
        weak=way.weak if way else None,
        reduced=frozenset(volume.reduced),
        thin=None if each_apart else volume.thin,
        makes=frozenset(pool.reduces) if each_apart and pool else frozenset(),
    )


def _able(kind: str, code: str) -> QuerySet[Capability, int]:
    """The devices of a kind that say they can do something, by primary key."""
    return Capability.objects.filter(device__kind=kind, code=code, able=True).values_list("device_id", flat=True)


def _capped() -> set[int]:
    """Datastores all of whose hosts can cap a disk, by primary key."""
    able = set(_able(Device.Kind.HOST, DISK_LIMITS))
    mounted: dict[int, set[int]] = {}
    for store, host in Mount.objects.filter(host__gone_at=None).values_list("datastore_id", "host_id"):
        mounted.setdefault(store, set()).add(host)
    return {store for store, hosts in mounted.items() if hosts <= able}


def _limits(store: int, volume: Volume | None, capped: set[int], guaranteed: set[int]) -> frozenset[str]:
    """Which limits can be set on a disk there: by the array on its own volume, else by the hosts, which cap only."""
    if volume is not None and volume.kind == Volume.Kind.SET and volume.device_id in guaranteed:
        return frozenset({"cap", "floor"})
    return frozenset({"cap"}) if store in capped else frozenset()


def _volumes() -> dict[int, Volume]:
    """The first volume, file system or volume set beneath each datastore."""
    return by_first_extent({volume.serial: volume for volume in Volume.objects.exclude(kind=Volume.Kind.MEMBER)})


def clusters_mounting() -> dict[int, frozenset[str]]:
    """By primary key of a datastore, the names of the clusters all of whose hosts mount it."""
    size: dict[str, int] = {}
    for name in Device.objects.filter(kind=Device.Kind.HOST, cluster__isnull=False).values_list(
        "cluster__name", flat=True
    ):
        size[name] = size.get(name, 0) + 1
    hosts: dict[tuple[int, str], set[int]] = {}
    mounted = Mount.objects.filter(host__gone_at=None, host__cluster__isnull=False)
    for store, host, cluster in mounted.values_list("datastore_id", "host_id", "host__cluster__name"):
        hosts.setdefault((store, cluster), set()).add(host)
    whole = [(store, cluster) for (store, cluster), found in hosts.items() if len(found) == size.get(cluster)]
    stores = {store for store, _cluster in whole}
    return {store: frozenset(cluster for other, cluster in whole if other == store) for store in stores}


@dataclass(frozen=True)
class Way:
    """The fewest paths that a host which sees a volume has to it, and what alone carries all of a host's."""

    paths: int
    weak: tuple[str, ...]


def _ways() -> dict[int, Way]:
    """How hosts reach each volume that any of them sees, over all clusters."""
    return _ways_at(version("fabric"))


@lru_cache(maxsize=1)
def _ways_at(_version: str) -> dict[int, Way]:
    found: dict[int, Way] = {}
    arrays = list(Device.objects.filter(kind=Device.Kind.ARRAY).order_by("name"))
    for cluster in Cluster.objects.order_by("name"):
        for array in arrays:
            paths = cluster_paths(cluster, array)
            counts = paths.matrix.per_host(paths.matrix.seen)
            weak: dict[str, set[str]] = {}
            for point in single_points_all(paths.matrix):
                weak.setdefault(point.volume, set()).add(f"{point.kind} {point.component}")
            for n, key in enumerate(paths.volumes):
                seen = counts[n][counts[n] > 0]
                if seen.size:
                    found[key] = _joined(found.get(key), Way(int(np.min(seen)), tuple(sorted(weak.get(str(key), ())))))
    return found


def _joined(one: Way | None, other: Way) -> Way:
    return other if one is None else Way(min(one.paths, other.paths), tuple(sorted({*one.weak, *other.weak})))


def pool_peaks() -> dict[int, float]:
    """The latency of each pool at its slowest hour, the worst of what the groups on it were judged by."""
    names = [figures_name(key) for key in BalanceGroup.objects.values_list("pk", flat=True)]
    found: dict[int, float] = {}
    for document in Judged.objects.filter(name__in=names).values_list("document", flat=True):
        for pool, ms in GroupFigures.read(document).peak_ms.items():
            found[pool] = max(ms, found.get(pool, 0.0))
    return found
