"""A balance group's rows as the arrays that core works on, kept per process until the inventory changes."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from movelot.inventory.curves import curve_of
from movelot.inventory.models import (
    TAKEN_BYTES,
    BalanceGroup,
    Compliance,
    Datastore,
    DatastoreDay,
    Device,
    Disk,
    Mount,
    PlacementRule,
    PolicyPlace,
    Pool,
)
from movelot.inventory.placement import LOCAL, kinds_by_store, pools_by_store
from movelot.inventory.rule_kinds.base import GroupRules, KeptOff, OfDisks, OfGroup, RuleDisk
from movelot.inventory.rules import rules_of
from movelot.inventory.versions import version
from movelot_core.balance.group import Group, State, judge
from movelot_core.latency import HOURS, ServiceCurve, features, load
from movelot_core.placement.requirements.base import Answer

SLOTS = 2 * HOURS
# Growth is told from so many days.
TREND_DAYS = 60
# Of what stands on no pool: no latency that is known, and no load that would be too much.
UNKNOWN_CURVE = ServiceCurve(0.0, 1e12)
WEEKDAY, WEEKEND = slice(0, HOURS), slice(HOURS, SLOTS)


@dataclass(frozen=True)
class KnownGroup:
    """A group as the planner knows it, with its row and the primary keys behind its indices.

    Hours 0..23 are weekdays, 24..47 weekends.

    A datastore without a pool, on a host's own drives, stands on one of its own after the ``pools_known`` first ones:
    nothing is known of its latency, so that it counts as never slow. Such a pool's key is the datastore's, negative.
    ``arrays`` [s] numbers the array of each datastore; ``pins`` are the rules by which disks stay, beside those that
    are ``pinned_alone``, ``kept_off`` those by which they do not lie on a datastore, ``by_people`` those by which only
    people move them; ``lawful`` [d, s] is where each may lie as far as no rule says; ``kinds`` [s] the kind of storage
    of each datastore, ``held`` [s] whether it is held empty.
    """

    row: BalanceGroup
    group: Group
    state: State
    disk_keys: list[int]
    store_keys: list[int]
    pool_keys: list[int]
    machines: list[str]
    cautious: list[bool]
    seen_max: list[float]
    pools_known: int
    machine_keys: list[int]
    arrays: tuple[int, ...]
    pinned_alone: list[bool]
    kinds: tuple[str, ...]
    held: tuple[bool, ...]
    lawful: np.ndarray
    pins: tuple[OfDisks, ...] = ()
    kept_off: tuple[KeptOff, ...] = ()
    by_people: tuple[OfDisks, ...] = ()

    def disk_index(self) -> dict[int, int]:
        return {key: n for n, key in enumerate(self.disk_keys)}

    @cached_property
    def trading(self) -> Group:
        """The group as its own plans trade in it."""
        return like_with_like(self.group, self.kinds)

    @cached_property
    def on_held(self) -> np.ndarray:
        """The disks, by number, that lie on datastores which are held empty."""
        return np.flatnonzero(np.array(self.held, dtype=bool)[self.group.place])

    @cached_property
    def leaving(self) -> np.ndarray:
        """The disks, by number, that are to leave: those on datastores held empty, or where a rule keeps them off."""
        off = [disk for each in self.kept_off for disk in each.disks if self.group.place[disk] == each.store]
        return np.union1d(self.on_held, np.array(off, dtype=np.int64))

    @cached_property
    def by_itself(self) -> KnownGroup:
        """The group as it moves disks by itself: those that only people move stay."""
        if not self.by_people:
            return self
        pinned = self.group.pinned.copy()
        pinned[[disk for each in self.by_people for disk in each.disks]] = True
        return replace(self, group=replace(self.group, pinned=pinned))

    @cached_property
    def digest(self) -> str:
        """Another one whenever its own plans may be other ones."""
        return f"{self.trading.digest} {' '.join(map(str, np.flatnonzero(self.held)))} {self.leaving.tolist()}"

    def crossing(self, disks: np.ndarray) -> Group:
        """``trading``, but that these disks, by number, may go to storage of another kind as well."""
        if not len(disks) or self.trading is self.group:
            return self.trading
        reach = self.trading.reach.copy()
        reach[disks] = self.group.reach[disks]
        return replace(self.group, reach=reach)


@dataclass(frozen=True)
class GroupFigures:
    """What others than the planner ask of a group: told by whoever judges it, as its arrays take a second to make.

    ``peak_iops`` is of all its disks together, ``peak_ms`` the latency of each pool at its slowest hour by its key.
    """

    largest_disk_bytes: int
    held_bytes: int
    peak_iops: float
    peak_ms: dict[int, float]

    @classmethod
    def of(cls, found: KnownGroup) -> GroupFigures:
        group = found.group
        return cls(
            largest_disk_bytes=int(group.size_bytes.max(initial=0)),
            held_bytes=int(group.size_bytes.sum()),
            peak_iops=float(np.max(group.features[:2].sum(axis=(0, 1)), initial=0.0)),
            peak_ms=dict(zip(found.pool_keys, map(float, found.state.peak_ms), strict=True)),
        )

    @classmethod
    def read(cls, document: str) -> GroupFigures:
        """As they were stored: JSON has text for keys."""
        values = json.loads(document)
        return cls(**{**values, "peak_ms": {int(key): ms for key, ms in values["peak_ms"].items()}})


def figures_name(group: int) -> str:
    """Under which name the figures of a group are kept."""
    return f"figures-{group}"


def hour_name(slot: int) -> tuple[int, str]:
    """Hour of day and kind of day of an hour slot."""
    return slot % HOURS, "weekday" if slot < HOURS else "weekend"


def known_group(group: BalanceGroup) -> KnownGroup:
    """``group`` as last read."""
    return _known_group(group.pk, group_version())


def group_version() -> str:
    """Another text whenever a group may be another one."""
    return version("fabric", "space", "load", "policy", "said")


@lru_cache(maxsize=8)
def _known_group(group_key: int, _version: str) -> KnownGroup:
    row = BalanceGroup.objects.get(pk=group_key)
    stores = list(Datastore.objects.filter(membership__group=row).select_related("held").order_by("name", "pk"))
    beneath, kinds = pools_by_store(), kinds_by_store()
    under = {beneath[store.pk] for store in stores if store.pk in beneath}
    pools = list(Pool.known.filter(pk__in=under).select_related("device").order_by("name", "pk"))
    alone = [store for store in stores if store.pk not in beneath]
    store_number = {store.pk: n for n, store in enumerate(stores)}
    pool_number = {pool.pk: n for n, pool in enumerate(pools)}
    disks = _disk_rows(store_number)
    curves = (*(curve_of(pool) for pool in pools), *(UNKNOWN_CURVE for _ in alone))
    place = np.array([store_number[disk[3]] for disk in disks], dtype=np.int64)
    on = {store: pool_number[pool] for store, pool in beneath.items() if pool in under}
    pool_of = _pool_numbers(stores, on, len(pools))
    parts = features_of([(bytes(disk[5]), bytes(disk[6])) for disk in disks])
    held = tuple(hasattr(store, "held") for store in stores)
    group = Group(
        disks=tuple(disk[1] for disk in disks),
        size_bytes=np.array([disk[2] for disk in disks], dtype=np.int64),
        place=place,
        features=parts * coincidence_of(pools, len(alone))[pool_of[place]],
        reach=_lawful(stores, disks, place, held),
        pinned=np.array([disk[4] for disk in disks], dtype=bool),
        datastores=tuple(store.name for store in stores),
        capacity_bytes=np.array([store.capacity_bytes for store in stores], dtype=np.int64),
        other_bytes=np.array([store.other_bytes for store in stores], dtype=np.int64),
        pool_of=pool_of,
        pools=(*(pool.name for pool in pools), *(f"{store.name}'s drives" for store in alone)),
        curves=curves,
        array_of=(*(_copied_by(pool) for pool in pools), *(f"hosts {store.identity}" for store in alone)),
        other_load=np.vstack([_load_of_others(pools, curves, on, store_number), np.zeros((len(alone), SLOTS))]),
        fill_ceiling=row.fill_ceiling,
        latency_ceiling_ms=row.latency_ceiling_ms,
    )
    found = KnownGroup(
        row=row,
        group=group,
        state=judge(group, group.place),
        disk_keys=[disk[0] for disk in disks],
        store_keys=[store.pk for store in stores],
        pool_keys=[*(pool.pk for pool in pools), *(-store.pk for store in alone)],
        machines=[disk[8] for disk in disks],
        cautious=[*(pool.fit_cautious and pool.allowed_load is None for pool in pools), *(False for _ in alone)],
        seen_max=[*(pool.fit_seen_max for pool in pools), *(np.inf for _ in alone)],
        pools_known=len(pools),
        machine_keys=[disk[9] for disk in disks],
        arrays=_arrays(pool_of, pools),
        pinned_alone=[disk[4] for disk in disks],
        kinds=tuple(kinds.get(store.pk, LOCAL) for store in stores),
        held=held,
        lawful=group.reach,
    )
    rules = rules_within(found)
    return replace(
        found,
        group=ruled(found, rules),
        pins=tuple(rules.pins),
        kept_off=tuple(rules.kept_off),
        by_people=tuple(rules.by_people),
    )


def _pool_numbers(stores: list[Datastore], of: Mapping[int, int], pools: int) -> np.ndarray:
    """[s] The number of each datastore's pool; those that stand on none have one of their own after ``pools``."""
    own = iter(range(pools, pools + len(stores)))
    return np.array([of[store.pk] if store.pk in of else next(own) for store in stores], dtype=np.int64)


def like_with_like(group: Group, kinds: Sequence[str]) -> Group:
    """``group`` with every disk kept on storage of the kind that it lies on; people may move one to another kind."""
    kind = np.array(kinds)
    if len(set(kinds)) < 2:
        return group
    return replace(group, reach=group.reach & (kind[group.place][:, None] == kind))


def ruled(found: KnownGroup, rules: GroupRules) -> Group:
    """The group under these rules and no others; a disk that is pinned itself stays so."""
    pinned = np.array(found.pinned_alone, dtype=bool)
    for pin in rules.pins:
        pinned[list(pin.disks)] = True
    reach = found.lawful.copy()
    for off in rules.kept_off:
        # Where one lies it may stay until there is a place for it.
        reach[[disk for disk in off.disks if found.group.place[disk] != off.store], off.store] = False
    splits, bonds = tuple(rules.splits), tuple(rules.bonds)
    return replace(found.group, pinned=pinned, reach=reach, splits=splits, bonds=bonds)


def rules_within(
    found: KnownGroup, rules: Sequence[PlacementRule] | None = None, coming: Sequence[RuleDisk] = ()
) -> GroupRules:
    """What ``rules``, or all there are, come to in a group; disks that are ``coming`` are numbered after its own."""
    disks = [*(RuleDisk(*keys) for keys in zip(found.disk_keys, found.machine_keys, strict=True)), *coming]
    sites: dict[str, tuple[int, ...]] = {
        PlacementRule.ApartBy.DATASTORE: tuple(range(len(found.store_keys))),
        PlacementRule.ApartBy.POOL: tuple(map(int, found.group.pool_of)),
        PlacementRule.ApartBy.ARRAY: found.arrays,
    }
    return rules_of(OfGroup(disks, found.store_keys, sites), rules)


def _disk_rows(stores: Collection[int]) -> list[tuple[Any, ...]]:
    """What the planner needs of each disk on ``stores`` (primary keys), by name."""
    profiles = "weekday_profile", "weekend_profile"
    homes = "machine__placement__host__cluster_id", "machine__name", "machine_id"
    disks = Disk.objects.filter(placement__datastore__in=stores).annotate(taken=TAKEN_BYTES).order_by("name", "pk")
    return list(disks.values_list("pk", "name", "taken", "placement__datastore_id", "pinned", *profiles, *homes))


def _arrays(pool_of: np.ndarray, pools: list[Pool]) -> tuple[int, ...]:
    """[s] The number of each datastore's array, or of its own drives."""
    told = [pools[n].device_id if n < len(pools) else -int(n) for n in pool_of]
    return tuple(map(int, np.unique(told, return_inverse=True)[1])) if told else ()


def _copied_by(pool: Pool) -> str:
    """The array, where it copies between its pools by itself; else the pool, as its copies go over hosts."""
    return pool.device.name if pool.device.copy_bytes_per_second else f"{pool.device.name} {pool.name}"


def _load_of_others(
    pools: list[Pool], curves: tuple[ServiceCurve, ...], pool_of: Mapping[int, int], ours: Collection[int]
) -> np.ndarray:
    """[pools, 48] load from disks on datastores that are not ``ours``; ``pool_of`` has the pool of each datastore."""
    others = [store for store in pool_of if store not in ours]
    disks = Disk.objects.filter(placement__datastore__in=others)
    rows = list(disks.values_list("placement__datastore_id", "weekday_profile", "weekend_profile"))
    pool = np.array([pool_of[store] for store, _, _ in rows], dtype=int)
    parts = features_of([(bytes(weekday), bytes(weekend)) for _, weekday, weekend in rows])
    parts *= coincidence_of(pools)[pool]
    return np.array([load(parts[:, pool == n].sum(axis=1), curves[n]) for n in range(len(pools))]).reshape(
        len(pools), SLOTS
    )


def features_of(profiles: list[tuple[bytes, bytes]]) -> np.ndarray:
    """[4, disks, 48] from stored profiles, all at once."""
    empty = bytes(3 * HOURS * 4)
    joined = b"".join((weekday or empty) + (weekend or empty) for weekday, weekend in profiles)
    raw = np.frombuffer(joined, dtype=np.float32).reshape(len(profiles), 2, 3, HOURS).astype(float)
    read, write, kib = (raw[:, :, n].reshape(len(profiles), SLOTS) for n in range(3))
    return features(read, write, kib)


def coincidence_of(pools: list[Pool], alone: int = 0) -> np.ndarray:
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


def _within_policies(reach: np.ndarray, disks: list[int], stores: list[Datastore], place: np.ndarray) -> np.ndarray:
    """``reach`` without the datastores that do not serve a disk's policy. Where it lies it may stay."""
    served: dict[int, list[int]] = {}
    places = PolicyPlace.objects.filter(datastore__in=stores, answer=Answer.HAS)
    for policy, store in places.values_list("policy_id", "datastore_id"):
        served.setdefault(policy, []).append(store)
    had = dict(Compliance.objects.filter(disk__placement__datastore__in=stores).values_list("disk_id", "policy_id"))
    if not had:
        return reach
    number = {policy: n for n, policy in enumerate(sorted(set(had.values())), 1)}
    column = {store.pk: n for n, store in enumerate(stores)}
    # The first row is that of disks without a policy.
    allowed = np.zeros((len(number) + 1, len(stores)), dtype=bool)
    allowed[0] = True
    for policy, n in number.items():
        allowed[n, [column[store] for store in served.get(policy, ())]] = True
    within: np.ndarray = reach & allowed[[number.get(had.get(disk, 0), 0) for disk in disks]]
    here = np.arange(len(disks)), place
    within[here] = reach[here]
    return within


def _lawful(
    stores: list[Datastore], disks: list[tuple[Any, ...]], place: np.ndarray, held: Sequence[bool]
) -> np.ndarray:
    """[disks, stores] Where each disk may lie: mounted, serving its policy, and not held empty but where it lies."""
    reach = _within_policies(_reach(stores, [disk[7] for disk in disks]), [disk[0] for disk in disks], stores, place)
    here = np.arange(len(place)), place
    within: np.ndarray = reach & ~np.array(held, dtype=bool)
    within[here] = reach[here]
    return within


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
