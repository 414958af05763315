"""A balance group's rows as the arrays that core works on, kept per process until the inventory changes."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from typing import Any

import numpy as np

from movelot.inventory.curves import curve_of
from movelot.inventory.models import BalanceGroup, Datastore, DatastoreDay, Device, Disk, Mount, Pool
from movelot.inventory.placement import pools_by_serial
from movelot.inventory.versions import version
from movelot_core.balance.estate import Estate, State, judge
from movelot_core.latency import HOURS, ServiceCurve, features, load

SLOTS = 2 * HOURS
# Growth is told from so many days.
TREND_DAYS = 60
# Of what stands on no pool: no latency that is known, and no load that would be too much.
UNKNOWN_CURVE = ServiceCurve(0.0, 1e12)
WEEKDAY, WEEKEND = slice(0, HOURS), slice(HOURS, SLOTS)


@dataclass(frozen=True)
class GroupEstate:
    """An estate with the primary keys behind its indices. Hours 0..23 are weekdays, 24..47 weekends.

    A datastore without a pool, on a host's own drives, stands on one of its own after the ``pools_known`` first ones:
    nothing is known of its latency, so that it counts as never slow. Such a pool's key is the datastore's, negative.
    """

    group: BalanceGroup
    estate: Estate
    state: State
    disk_keys: list[int]
    store_keys: list[int]
    pool_keys: list[int]
    machines: list[str]
    cautious: list[bool]
    seen_max: list[float]
    pools_known: int

    def disk_index(self) -> dict[int, int]:
        return {key: n for n, key in enumerate(self.disk_keys)}


def hour_name(slot: int) -> tuple[int, str]:
    """Hour of day and kind of day of an hour slot."""
    return slot % HOURS, "weekday" if slot < HOURS else "weekend"


def estate_of(group: BalanceGroup) -> GroupEstate:
    """The estate of ``group`` as last read."""
    return _estate(group.pk, estate_version())


def estate_version() -> str:
    """Another text whenever an estate may be another one."""
    return version("fabric", "space", "load")


@lru_cache(maxsize=8)
def _estate(group_key: int, _version: str) -> GroupEstate:
    group = BalanceGroup.objects.get(pk=group_key)
    stores = list(Datastore.objects.filter(membership__group=group).order_by("name", "pk"))
    pool_of_serial = pools_by_serial()
    under = {pool_of_serial[store.serial] for store in stores if store.serial in pool_of_serial}
    pools = list(Pool.known.filter(pk__in=under).select_related("device").order_by("name", "pk"))
    pool_of_serial = {serial: key for serial, key in pool_of_serial.items() if key in under}
    alone = [store for store in stores if store.serial not in pool_of_serial]
    store_number = {store.pk: n for n, store in enumerate(stores)}
    pool_number = {pool.pk: n for n, pool in enumerate(pools)}
    rows = _disk_rows(store_number)
    curves = (*(curve_of(pool) for pool in pools), *(UNKNOWN_CURVE for _ in alone))
    own_pool = {store.serial: len(pools) + n for n, store in enumerate(alone)}
    place = np.array([store_number[row[3]] for row in rows], dtype=np.int64)
    pool_of = np.array(
        [
            own_pool[store.serial] if store.serial in own_pool else pool_number[pool_of_serial[store.serial]]
            for store in stores
        ],
        dtype=np.int64,
    )
    parts = _features_of([(bytes(row[5]), bytes(row[6])) for row in rows])
    estate = Estate(
        disks=tuple(row[1] for row in rows),
        size_bytes=np.array([row[2] for row in rows], dtype=np.int64),
        place=place,
        features=parts * _coincidence(pools, len(alone))[pool_of[place]],
        reach=_reach(stores, [row[7] for row in rows]),
        pinned=np.array([row[4] for row in rows], dtype=bool),
        datastores=tuple(store.name for store in stores),
        capacity_bytes=np.array([store.capacity_bytes for store in stores], dtype=np.int64),
        other_bytes=np.array([store.other_bytes for store in stores], dtype=np.int64),
        pool_of=pool_of,
        pools=(*(pool.name for pool in pools), *(f"{store.name}'s drives" for store in alone)),
        curves=curves,
        array_of=(*(_copied_by(pool) for pool in pools), *(f"hosts {store.identity}" for store in alone)),
        other_load=np.concatenate(
            [
                _load_of_others(pools, curves, store_number, {s: pool_number[p] for s, p in pool_of_serial.items()}),
                np.zeros((len(alone), SLOTS)),
            ]
        ),
        fill_ceiling=group.fill_ceiling,
        latency_ceiling_ms=group.latency_ceiling_ms,
    )
    return GroupEstate(
        group=group,
        estate=estate,
        state=judge(estate, estate.place),
        disk_keys=[row[0] for row in rows],
        store_keys=[store.pk for store in stores],
        pool_keys=[*(pool.pk for pool in pools), *(-store.pk for store in alone)],
        machines=[row[8] for row in rows],
        cautious=[*(pool.fit_cautious for pool in pools), *(False for _ in alone)],
        seen_max=[*(pool.fit_seen_max for pool in pools), *(np.inf for _ in alone)],
        pools_known=len(pools),
    )


def _disk_rows(stores: Collection[int]) -> list[tuple[Any, ...]]:
    """What the estate needs of each disk on ``stores`` (primary keys), by name."""
    profiles = "weekday_profile", "weekend_profile"
    homes = "machine__placement__host__cluster_id", "machine__name"
    disks = Disk.objects.filter(placement__datastore__in=stores).order_by("name", "pk")
    return list(disks.values_list("pk", "name", "size_bytes", "placement__datastore_id", "pinned", *profiles, *homes))


def _copied_by(pool: Pool) -> str:
    """The array, where it copies between its pools by itself; else the pool, as its copies go over hosts."""
    return pool.device.name if pool.device.copy_bytes_per_second else f"{pool.device.name} {pool.name}"


def _load_of_others(
    pools: list[Pool], curves: tuple[ServiceCurve, ...], ours: Collection[int], pool_of: dict[str, int]
) -> np.ndarray:
    """[pools, 48] load from disks on datastores that are not ``ours``; ``pool_of`` has each volume's pool."""
    rows = list(
        Disk.objects.filter(placement__datastore__serial__in=pool_of)
        .exclude(placement__datastore__in=ours)
        .values_list("placement__datastore__serial", "weekday_profile", "weekend_profile")
    )
    pool = np.array([pool_of[serial] for serial, _, _ in rows], dtype=int)
    parts = _features_of([(bytes(weekday), bytes(weekend)) for _, weekday, weekend in rows])
    parts *= _coincidence(pools)[pool]
    return np.array([load(parts[:, pool == n].sum(axis=1), curves[n]) for n in range(len(pools))]).reshape(
        len(pools), SLOTS
    )


def _features_of(profiles: list[tuple[bytes, bytes]]) -> np.ndarray:
    """[4, disks, 48] from stored profiles, all at once."""
    empty = bytes(3 * HOURS * 4)
    joined = b"".join((weekday or empty) + (weekend or empty) for weekday, weekend in profiles)
    raw = np.frombuffer(joined, dtype=np.float32).reshape(len(profiles), 2, 3, HOURS).astype(float)
    read, write, kib = (raw[:, :, n].reshape(len(profiles), SLOTS) for n in range(3))
    return features(read, write, kib)


def _coincidence(pools: list[Pool], alone: int = 0) -> np.ndarray:
    """[pools and ``alone`` more, 48] share of the sum of its disks' peaks that a pool saw at once; 1 where unknown."""
    none = np.ones(SLOTS, dtype=np.float32).tobytes()
    joined = b"".join([*(pool.coincidence or none for pool in pools), none * alone])
    return np.frombuffer(joined, dtype=np.float32).reshape(len(pools) + alone, SLOTS).astype(float)


def _reach(stores: list[Datastore], homes: list[int | None]) -> np.ndarray:
    """[disks, stores]: a datastore serves a machine when every host of the machine's cluster mounts it."""
    hosts: dict[int | None, set[int]] = {}
    for host, cluster in Device.objects.filter(kind=Device.Kind.HOST).values_list("pk", "cluster_id"):
        hosts.setdefault(cluster, set()).add(host)
    mounted: dict[int, set[int]] = {}
    for store, host in Mount.objects.filter(datastore__in=stores).values_list("datastore_id", "host_id"):
        mounted.setdefault(store, set()).add(host)
    kinds = sorted(set(homes), key=str)
    table = np.array([[hosts.get(c, set()) <= mounted.get(s.pk, set()) for s in stores] for c in kinds], dtype=bool)
    number = {cluster: n for n, cluster in enumerate(kinds)}
    return (
        table.reshape(len(kinds), len(stores))[[number[c] for c in homes]]
        if homes
        else np.zeros((0, len(stores)), dtype=bool)
    )


def growth_name(group: int) -> str:
    """Under which name the growth of a group's datastores is kept: bytes a day by primary key, null without trend."""
    return f"growth-{group}"


def growth_of(stores: list[int]) -> dict[int, tuple[list[float], list[float]]]:
    """Day numbers and bytes held of each datastore over the last weeks."""
    found: dict[int, tuple[list[float], list[float]]] = {key: ([], []) for key in stores}
    since = datetime.now(UTC).date() - timedelta(days=TREND_DAYS)
    for key, day, used in (
        DatastoreDay.objects.filter(datastore__in=stores, day__gte=since)
        .order_by("day")
        .values_list("datastore_id", "day", "used_bytes")
    ):
        found[key][0].append(float(day.toordinal()))
        found[key][1].append(float(used))
    return found
