"""Which datastores are in which balance group, who trades with whom there, and what another choice would mean.

Journey: two clusters share an array, and the groups that came with them each know half of what slows it. One group of
both is made: its datastores are ticked, and before anything is stored it is said which of them trade with one another
and which do not (exports do not take disks of volumes, nor do hosts run what they do not all mount), which group they
leave, and which rules would no longer be looked after. A group that is not wanted any more is retired: its datastores
and everything on them stay as they are, and no plan touches them.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from movelot.inventory.models import (
    BalanceGroup,
    Cluster,
    Datastore,
    Disk,
    GroupMember,
    HeldEmpty,
    PlacementRule,
    Pool,
)
from movelot.inventory.placement import LOCAL, kinds_by_store, pools_by_store
from movelot.inventory.rule_kinds import RULE_KINDS
from movelot.inventory.rule_kinds.base import OfGroup, RuleDisk
from movelot.inventory.rules import rules_in_force, rules_of
from movelot.placement.places import clusters_mounting
from movelot_core.balance.parts import parts
from movelot_core.placement.requirements.storage import SAID
from movelot_core.units import count_of

NAMES_MAX = 4
NO_GROUP = "no group"


@dataclass
class MemberStore:
    """A datastore that is in a group, or may be: the kind of its storage, what lies beneath it, and who holds
    it empty."""

    id: int
    name: str
    kind: str
    capacity_bytes: int
    pool: str
    array: str
    group: str
    clusters: list[str]
    held_by: str
    held_at: datetime | None


@dataclass
class GroupPart:
    """Datastores of a group that trade disks with one another, and with no others; ``remarks`` say what that lacks."""

    kind: str
    called: str
    clusters: list[str]
    datastores: list[MemberStore]
    remarks: list[str]


@dataclass
class GroupMembers:
    """A group with its parts; new datastores of the cluster that it ``joins`` become members by themselves."""

    id: int
    name: str
    number: int
    joins: str
    by: str
    at: datetime | None
    parts: list[GroupPart]
    lost_rules: list[str]


@dataclass
class AllMembers:
    """All groups, the datastores that are in none, and the clusters whose new datastores may join one."""

    groups: list[GroupMembers]
    alone: list[MemberStore]
    clusters: list[str]


@dataclass
class MembersEffect:
    """What a choice of datastores would make of a group: its parts, and what would be otherwise than now."""

    parts: list[GroupPart]
    changes: list[str]


def member_stores(groups: Mapping[int, str] | None = None) -> dict[int, MemberStore]:
    """All datastores by primary key, in the order of their names; ``groups`` has the name of each one's group."""
    names = _groups() if groups is None else groups
    kinds, beneath, mounting = kinds_by_store(), pools_by_store(), clusters_mounting()
    pools = {pool.pk: pool for pool in Pool.objects.select_related("device")}
    found = {}
    held = {row.datastore_id: row for row in HeldEmpty.objects.all()}
    for store in Datastore.objects.order_by("name", "pk"):
        pool = pools.get(beneath.get(store.pk, 0))
        found[store.pk] = MemberStore(
            store.pk,
            store.name,
            kinds.get(store.pk, LOCAL),
            store.capacity_bytes,
            pool.name if pool else "",
            pool.device.name if pool else "",
            names.get(store.pk, ""),
            sorted(mounting.get(store.pk, ())),
            held[store.pk].by if store.pk in held else "",
            held[store.pk].at if store.pk in held else None,
        )
    return found


def _groups() -> dict[int, str]:
    """The name of each datastore's group, by the datastore's primary key."""
    return dict(GroupMember.objects.values_list("datastore_id", "group__name"))


def all_members() -> AllMembers:
    """Every group with its members."""
    stores = member_stores()
    of: dict[str, list[MemberStore]] = defaultdict(list)
    for store in stores.values():
        of[store.group].append(store)
    lost = _retired_rules(stores.values())
    groups = BalanceGroup.objects.select_related("cluster").order_by("name")
    return AllMembers(
        [_told(group, of[group.name], lost.get(group.name, [])) for group in groups],
        of[""],
        list(Cluster.objects.order_by("name").values_list("name", flat=True)),
    )


def members_of(group: BalanceGroup) -> GroupMembers:
    """One group with its members."""
    stores = member_stores()
    lost = _retired_rules(stores.values()).get(group.name, [])
    return _told(group, [store for store in stores.values() if store.group == group.name], lost)


def _told(group: BalanceGroup, stores: Sequence[MemberStore], lost: list[str]) -> GroupMembers:
    joins = group.cluster.name if group.cluster else ""
    return GroupMembers(group.pk, group.name, group.number, joins, group.by, group.at, group_parts(stores), lost)


def group_parts(stores: Sequence[MemberStore]) -> list[GroupPart]:
    """The parts of a group with these members."""
    found = parts([store.kind for store in stores], [store.clusters for store in stores])
    return [_part(part.kind, [stores[n] for n in part.stores]) for part in found]


def _part(kind: str, stores: list[MemberStore]) -> GroupPart:
    clusters = sorted({cluster for store in stores for cluster in store.clusters})
    return GroupPart(kind, SAID[kind], clusters, stores, list(_lacks(stores, clusters)))


def _lacks(stores: Sequence[MemberStore], clusters: Sequence[str]) -> Iterable[str]:
    if not clusters:
        yield f"No cluster has {first_names(stores)} on all its hosts: nothing moves there."
    elif len(stores) == 1:
        yield "It trades with no other: none is of its kind and on all hosts that it is on."
    elif len({(store.array, store.pool) for store in stores}) == 1 and stores[0].pool:
        yield f"All of it lies in {stores[0].pool}: moves even out fill, and make nothing faster."


def first_names(stores: Sequence[MemberStore]) -> str:
    """The first names of some, and how many more."""
    names = [store.name for store in stores[:NAMES_MAX]]
    more = [f"{len(stores) - NAMES_MAX} more"] if len(stores) > NAMES_MAX else []
    return ", ".join([*names, *more])


def effect_of(group: BalanceGroup | None, chosen: Iterable[int]) -> MembersEffect:
    """What it would mean if exactly these datastores, by primary key, were the members of a group, or of a new one."""
    stores, name, keys = member_stores(), group.name if group else "the new group", set(chosen)
    wanted = [store for key, store in stores.items() if key in keys]
    before = {key: store.group for key, store in stores.items()}
    after = {key: "" if group and at == group.name else at for key, at in before.items()}
    after |= {store.id: name for store in wanted}
    changes = [
        f"{first_names(each)} {'leaves' if len(each) == 1 else 'leave'} {left} for {going or NO_GROUP}."
        for (left, going), each in _moving(stores, before, after).items()
        if left
    ]
    return MembersEffect(group_parts(wanted), changes + rules_torn(before, after))


def _moving(
    stores: Mapping[int, MemberStore], before: Mapping[int, str], after: Mapping[int, str]
) -> dict[tuple[str, str], list[MemberStore]]:
    found: dict[tuple[str, str], list[MemberStore]] = defaultdict(list)
    for key, store in stores.items():
        if before[key] != after[key]:
            found[before[key], after[key]].append(store)
    return found


def rules_torn(before: Mapping[int, str], after: Mapping[int, str]) -> list[str]:
    """What becomes of rules: one is looked after within a group, so that disks in another one, or in none, are not.

    Both have the name of each datastore's group by its primary key, empty for none; only rules on disks of datastores
    that change groups are told of.
    """
    touched = {at for key in before if before[key] != after[key] for at in (before[key], after[key])} - {""}
    if not touched:
        return []
    said = []
    for rule, where in _rules_by_store([key for key in before if before[key] in touched | {""}]).items():
        was, will = (_by_group(where, at) for at in (before, after))
        if was != will and (len(will) > 1 or "" in will):
            (most, at), *rest = sorted(((count, at or NO_GROUP) for at, count in will.items()), reverse=True)
            others = "".join(f", {count} in {other}" for count, other in rest)
            disks = count_of(most, "disk of it would be", "disks of it would be")
            said.append(f"“{rule}” is kept only within a group: {disks} in {at}{others}.")
    return said


def _by_group(where: Counter[int], groups: Mapping[int, str]) -> Counter[str]:
    """How many disks of a rule are in each group."""
    found = Counter[str]()
    for store, disks in where.items():
        found[groups[store]] += disks
    return found


def _rules_by_store(stores: Iterable[int]) -> dict[str, Counter[int]]:
    """Of each rule on disks to one another: how many of its disks lie on each of these datastores."""
    kinds = [kind.name for kind in RULE_KINDS.values() if kind.to_one_another]
    rules = list(rules_in_force().filter(kind__in=kinds))
    if not rules:
        return {}
    rows = list(
        Disk.objects.filter(placement__datastore__in=list(stores)).values_list(
            "pk", "machine_id", "placement__datastore_id"
        )
    )
    sites = dict.fromkeys(PlacementRule.ApartBy.values, (0,))
    disks_there = [RuleDisk(disk, machine) for disk, machine, _store in rows]
    found = rules_of(OfGroup(disks_there, [], sites), rules)
    disks: dict[str, set[int]] = defaultdict(set)
    for name, of_rule in [(each.name, each.disks) for each in found.splits] + [(b.name, b.disks) for b in found.bonds]:
        disks[name].update(of_rule)
    return {rule: Counter(rows[n][2] for n in numbers) for rule, numbers in sorted(disks.items())}


def _retired_rules(stores: Iterable[MemberStore]) -> dict[str, list[str]]:
    """By group: the rules on disks of its datastores, which nobody would look after once it is retired."""
    group_of = {store.id: store.group for store in stores}
    lost: dict[str, list[str]] = defaultdict(list)
    for rule, where in _rules_by_store(group_of).items():
        for group, disks in _by_group(where, group_of).items():
            if group and disks > 1:
                lost[group].append(f"“{rule}” with {count_of(disks, 'disk')}")
    return lost
