"""Where new disks of a cluster's machines go, all together, with the reasons for and against each datastore."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from movelot.inventory.known_groups import SLOTS, KnownGroup, features_of, group_version, known_group, rules_within
from movelot.inventory.models import BalanceGroup, Cluster, Compliance, Device, Disk, Mount, Policy, PolicyPlace
from movelot.inventory.profiles import hourly_iops
from movelot.inventory.rule_kinds.base import RuleDisk
from movelot.placement.policies import asked_by
from movelot_core.balance.group import Bools
from movelot_core.balance.place import Refusal
from movelot_core.balance.rules import left_by_rules
from movelot_core.latency import Floats, ServiceCurve, features, load
from movelot_core.placement.advice import NOWHERE, NewDisks, Place, advise, places
from movelot_core.placement.requirements.base import Answer
from movelot_core.units import format_size

READ_SHARE, USUAL_KIB = 0.7, 8.0
NOTHING_LIKE_IT = "no load is expected: nothing like it is measured"


@dataclass(frozen=True)
class WantedDisk:
    """A disk to be made: its size, its policy by primary key, the IOPS it is expected to ask at its busiest hour.

    Without these it is expected to ask what disks of its policy do for their size. ``datastore`` is the one that a
    person chose, by primary key; ``machine`` the one that is there already and gets it, whose rules hold for it.
    """

    size_bytes: int
    policy: int | None = None
    iops: float | None = None
    datastore: int | None = None
    machine: int | None = None


@dataclass
class PlaceRow:
    """A datastore for a new disk: ``chosen`` for it, or what stands against it, and what it would become.

    ``verdict`` is in words; ``reasons`` are all that stand against it by the policy and by hosts.
    """

    id: int
    name: str
    pool: str
    fits: bool
    chosen: bool
    verdict: str
    fill: float
    peak_ms: float
    reasons: list[str]


@dataclass(frozen=True)
class Proposal:
    """Where each wanted disk goes, by the datastore's primary key (None: nowhere), and every place for the first ones.

    ``expected`` says what load was reckoned with; ``before`` is the fill and the latency of each datastore as they are.
    """

    stores: list[int | None]
    rows: list[list[PlaceRow]]
    expected: list[str]
    before: Mapping[int, tuple[float, float]]


def propose(cluster: Cluster, wanted: Sequence[WantedDisk], group: BalanceGroup, explained: int) -> Proposal:
    """Places for all of ``wanted`` together, on the datastores of the cluster's group. The same for the same input.

    Every place is told for the first ``explained`` of them: what is made many times alike is explained once.
    """
    known = known_group(group)
    missing = _missing(cluster, known)
    serving = {policy: _serving(policy, known, missing) for policy in {each.policy for each in wanted}}
    anyway = _policies_anyway(serving)
    serving = {policy: _anyway(each, known, missing) if policy in anyway else each for policy, each in serving.items()}
    kept_from = [_kept_from(each, known) for each in wanted]
    lawful = [~np.isin(known.store_keys, list(each)) for each in kept_from]
    may = np.array(
        [serving[each.policy].may & _chosen(each, known) & lawful[n] for n, each in enumerate(wanted)], dtype=bool
    )
    load, expected = _loads(wanted, group)
    sizes = np.array([each.size_bytes for each in wanted], dtype=np.int64)
    disks = NewDisks(sizes, load, may.reshape(len(wanted), len(known.store_keys)))
    place = advise(known.group, known.state, disks)
    rows = []
    for n, each in enumerate(wanted[:explained]):
        serves = serving[each.policy]
        found = places(known.group, known.state, _free_to_choose(disks, n, serves.may & lawful[n]), place, n)
        rows.append(_rows(known, found, int(place[n]), serves.reasons, missing, kept_from[n]))
        if serves.anyway:
            rows[-1] = [_said_anyway(row) if row.chosen or row.fits else row for row in rows[-1]]
    peaks = known.state.peak_ms[known.group.pool_of]
    before = {key: (float(known.state.fill[n]), float(peaks[n])) for n, key in enumerate(known.store_keys)}
    stores = [None if n == NOWHERE else known.store_keys[n] for n in place.tolist()]
    return Proposal(stores, rows, expected, before)


def _kept_from(wanted: WantedDisk, known: KnownGroup) -> dict[int, list[str]]:
    """The datastores, by primary key, that are held empty or that rules on its machine keep a disk from, and why."""
    held = {key: ["it is held empty"] for key, empty in zip(known.store_keys, known.held, strict=True) if empty}
    if wanted.machine is None:
        return held
    rules = rules_within(known, coming=[RuleDisk(0, wanted.machine)])
    number, stores, found = len(known.disk_keys), known.store_keys, held
    for off in rules.kept_off:
        if number in off.disks:
            found.setdefault(stores[off.store], []).append(f"rule {off.name} keeps it from there")
    for name, left in left_by_rules(rules.splits, rules.bonds, number, known.group.place.tolist(), len(stores)):
        for key in (key for key, may in zip(stores, left, strict=True) if not may):
            found.setdefault(key, []).append(f"rule {name} keeps it from there")
    return found


@dataclass(frozen=True)
class _Serving:
    """[s] Which datastores may take a disk of a policy; by primary key, all that stands against each.

    They serve it and are mounted everywhere. ``anyway`` where none does, and these lack least.
    """

    may: Bools
    reasons: dict[int, list[str]]
    anyway: bool = False


def _policies_anyway(policies: Collection[int | None]) -> set[int]:
    """Those that have disks placed where least is lacking while no place serves them."""
    rows = Policy.objects.filter(pk__in=[each for each in policies if each is not None]).prefetch_related("versions")
    return {row.pk for row in rows if asked_by(row).anyway}


def _anyway(serving: _Serving, known: KnownGroup, missing: Mapping[int, str]) -> _Serving:
    """The mounted datastores that lack fewest requirements, where none serves the policy."""
    if serving.may.any():
        return serving
    lacks = {key: len(serving.reasons[key]) for key in known.store_keys if key not in missing}
    least = min(lacks.values(), default=0)
    return replace(
        serving, may=np.array([lacks.get(key) == least for key in known.store_keys], dtype=bool), anyway=bool(lacks)
    )


def _chosen(wanted: WantedDisk, known: KnownGroup) -> Bools:
    """[s] The datastore that a person chose; all where none was."""
    return np.array([wanted.datastore in (None, key) for key in known.store_keys], dtype=bool)


def _free_to_choose(disks: NewDisks, n: int, may: np.ndarray) -> NewDisks:
    """As if no place had been chosen for the disk ``n``: the others are to be seen as well."""
    free = disks.may.copy()
    free[n] = may
    return NewDisks(disks.size_bytes, disks.features, free)


def _serving(policy: int | None, known: KnownGroup, missing: Mapping[int, str]) -> _Serving:
    reasons: dict[int, list[str]] = {key: [] for key in known.store_keys}
    if policy is not None:
        rows = PolicyPlace.objects.filter(policy=policy, datastore__in=known.store_keys)
        columns = "datastore_id", "answer", "reasons"
        told = {store: (answer, lacks) for store, answer, lacks in rows.values_list(*columns)}
        for key in known.store_keys:
            answer, lacks = told.get(key, ("", ["it is not judged yet"]))
            # What could be made for a disk of its own is not set by anybody yet.
            reasons[key] += [] if answer == Answer.HAS else lacks
    for key, text in missing.items():
        reasons[key].append(text)
    return _Serving(np.array([not reasons[key] for key in known.store_keys], dtype=bool), reasons)


def _missing(cluster: Cluster, known: KnownGroup) -> dict[int, str]:
    """Which hosts of the cluster do not mount a datastore, in words, by its primary key."""
    hosts = dict(Device.objects.filter(kind=Device.Kind.HOST, cluster=cluster).values_list("pk", "name"))
    mounted: dict[int, set[int]] = {key: set() for key in known.store_keys}
    mounts = Mount.objects.filter(datastore__in=known.store_keys, host__in=hosts)
    for store, host in mounts.values_list("datastore_id", "host_id"):
        mounted[store].add(host)
    away = {key: sorted(name for host, name in hosts.items() if host not in there) for key, there in mounted.items()}
    return {key: f"{', '.join(names)} does not mount it" for key, names in away.items() if names}


def _rows(
    known: KnownGroup,
    found: Sequence[Place],
    chosen: int,
    reasons: Mapping[int, list[str]],
    missing: Collection[int],
    kept_from: Mapping[int, list[str]],
) -> list[PlaceRow]:
    """``missing`` are datastores that some host of the cluster does not mount, ``kept_from`` those of rules."""
    group = known.group
    rows = []
    for each in found:
        key, fits = known.store_keys[each.store], each.against is None
        rows.append(
            PlaceRow(
                key,
                group.datastores[each.store],
                group.pools[int(group.pool_of[each.store])],
                fits,
                each.store == chosen,
                _verdict(each, key not in missing, bool(kept_from.get(key) and not reasons[key])),
                each.fill,
                each.peak_ms,
                [*reasons[key], *kept_from.get(key, ())],
            )
        )
    # What was proposed comes first, whatever else would do.
    return sorted(rows, key=lambda row: not row.chosen)


def _said_anyway(row: PlaceRow) -> PlaceRow:
    """A place that does not serve the policy, and is taken as none does."""
    return replace(row, verdict=f"out of policy, placed anyway: {'; '.join(row.reasons)}")


def _verdict(place: Place, mounted: bool, ruled: bool) -> str:
    match place.against:
        case None:
            return "fits"
        case Refusal.NO_ROOM:
            return f"over its fill ceiling: short of {format_size(place.short_bytes)}"
        case Refusal.TOO_SLOW:
            return "its pool would be over its latency ceiling"
        case Refusal.UNKNOWN:
            return "its pool would have more load than is known of it (say on its page how much it may have)"
    if ruled:
        return "out of a rule"
    return "not in policy" if mounted else "not mounted by every host"


def _loads(wanted: Sequence[WantedDisk], group: BalanceGroup) -> tuple[Floats, list[str]]:
    """[4, n, 48] What each disk is expected to ask, and in words on what that rests."""
    found, said = np.zeros((4, len(wanted), SLOTS)), []
    for n, each in enumerate(wanted):
        if each.iops is not None:
            found[:, n] = np.repeat(_usual(each.iops), SLOTS, axis=1)
            said.append(f"{each.iops:,.0f} IOPS at any hour, as typed")
            continue
        per_byte, disks = _like(each.policy, group.pk, group_version()) if each.policy else (None, 0)
        if per_byte is None:
            said.append(NOTHING_LIKE_IT)
        else:
            found[:, n] = per_byte * each.size_bytes
            said.append(f"what {disks} disks of its policy ask for their size")
    return found, said


def _usual(iops: float) -> Floats:
    """[4, 1] So many IOPS in the usual mix of reads and writes, and of the usual size."""
    reads, writes = np.array([iops * READ_SHARE]), np.array([iops * (1 - READ_SHARE)])
    return features(reads, writes, np.array([USUAL_KIB]))


def usual_load(iops: float, curve: ServiceCurve) -> float:
    """The load that so many IOPS in the usual mix are on a pool."""
    return float(load(_usual(iops), curve)[0])


def peak_iops(disk: Disk) -> float:
    """IOPS of a disk in its busiest hour of a weekday; 0 where nothing is measured."""
    return float(hourly_iops(disk.weekday_profile).max())


@lru_cache(maxsize=64)
def _like(policy: int, group: int, _version: str) -> tuple[Floats | None, int]:
    """[4, 48] What the group's disks of a policy ask for each byte of theirs, and how many these are."""
    mine = Compliance.objects.filter(policy=policy).values("disk")
    rows = Disk.objects.filter(pk__in=mine, placement__datastore__membership__group=group)
    told = list(rows.exclude(weekday_profile=b"").values_list("size_bytes", "weekday_profile", "weekend_profile"))
    size = sum(row[0] for row in told)
    if not size:
        return None, 0
    parts = features_of([(bytes(weekday), bytes(weekend)) for _size, weekday, weekend in told])
    return parts.sum(axis=1) / size, len(told)
