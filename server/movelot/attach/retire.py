"""Lots that retire pools: what lies on them goes elsewhere, hosts let go of their volumes, then volumes and pools go.

Journey: an old array's support ends. Its pools are emptied by Balance, datastore by datastore; then each is unmounted,
withdrawn and deleted on every host and on the array, and the pools with them: a week of evenings with a list on paper.
Here it is one lot. Several pools are emptied together, so that nothing goes from one that leaves to another.

Worked example: pool basalt-deep has three volumes, each a datastore; 14 disks lie on two of them. 14 copies, then for
each volume: unmounted by three hosts, withdrawn, gone from each host, deleted; last the pool.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from movelot.attach.block.raw import raw_users
from movelot.attach.emptying import CopyRow, Emptying, FilesRow, copies_seen, emptying
from movelot.attach.storage import storage_kind_of
from movelot.attach.storage.base import Leaving
from movelot.inventory.models import Datastore, Device, Disk, Extent, Pool, Volume
from movelot.inventory.sentences import first_of
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.pools import DeletePool
from movelot_core.units import count_of, format_size

POOLS_MAX = 20


@dataclass(frozen=True)
class RetireForm(LotForm):
    """Pools of one array by their primary keys, and their names as they were typed, with commas between.

    With ``keep`` volumes and pools stay on the array, empty and offered to nobody, so that it can be undone.
    """

    pools: list[int] = field(default_factory=list)
    keep: bool = False
    confirm: str = ""


@dataclass
class LeavingVolume:
    """A volume that goes, with the datastore on it, if any."""

    name: str
    datastore: str


@dataclass
class RetirePlan(LotPlan):
    """What leaves, and where what lies on it goes."""

    pools: list[str]
    pool_ids: list[int]
    array: str
    keep: bool
    volumes: list[LeavingVolume]
    copies: list[CopyRow]
    files: list[FilesRow]


class RetireKind(LotKind[RetireForm, RetirePlan]):
    """Empties pools and takes them away."""

    name, form, plan = "retire", RetireForm, RetirePlan
    drafted_by_job = True

    def drafted(self, form: RetireForm, lot: Lot) -> Draft[RetireForm, RetirePlan]:
        rows = Pool.objects.filter(pk__in=form.pools[:POOLS_MAX]).select_related("device")
        pools = list(rows.order_by("name", "pk"))
        if not pools or len({pool.device_id for pool in pools}) > 1:
            text = "Choose pools of one array." if pools else "No array lists them any more."
            return Draft("Retire pools", checks=[Check("pools are chosen", STOP, text)])
        volumes = _volumes(pools)
        stores = _stores(volumes)
        found = emptying(list(stores.values()), copies_seen(lot))
        leaving = [Leaving(each, stores.get(each.serial), _hosts(each), form.keep) for each in volumes]
        plan = _planned(pools, leaving, found, form.keep)
        checks = [*_checks(leaving, found), *_meant(pools, leaving, form)]
        steps = StepPlan()
        if not found.stays:
            _add_steps(steps, [] if form.keep else pools, leaving, found)
        facts = {f"volumes of {pool.name}": str(sum(each.pool_id == pool.pk for each in volumes)) for pool in pools}
        facts |= {f"place of {copy.disk}": copy.source for copy in plan.copies}
        return Draft(f"Retire {' and '.join(plan.pools)}", steps, plan, checks, facts)

    def outcome(self, lot: Lot, plan: RetirePlan) -> list[MeasuredRow]:
        """Disks that are elsewhere, and what is left of the pools."""
        left = Volume.objects.filter(pool__in=plan.pool_ids)
        serials = left.values("serial")
        disks = Disk.objects.filter(placement__datastore__extents__serial__in=serials).count()
        copies = len(plan.copies)
        rows = [MeasuredRow("pool", ", ".join(plan.pools), "disks on it", copies, 0, disks)]
        if plan.keep:
            offered = left.filter(offers__isnull=False).distinct().count()
            return [*rows, MeasuredRow("pool", ", ".join(plan.pools), "volumes offered", len(plan.volumes), 0, offered)]
        there = Pool.objects.filter(pk__in=plan.pool_ids).count()
        rows.append(MeasuredRow("array", plan.array, "volumes of the pools", len(plan.volumes), 0, left.count()))
        return [*rows, MeasuredRow("array", plan.array, "pools that leave", len(plan.pools), 0, there)]


def _volumes(pools: Sequence[Pool]) -> list[Volume]:
    """All that lies in the pools and stands by itself: what lives in a volume set goes with its machine."""
    rows = Volume.objects.filter(pool__in=pools).exclude(kind=Volume.Kind.MEMBER)
    return list(rows.select_related("pool", "device").order_by("pool__name", "name", "pk"))


def _stores(volumes: Sequence[Volume]) -> dict[str, Datastore]:
    """The datastores on them, by serial."""
    extents = Extent.objects.filter(serial__in=[volume.serial for volume in volumes])
    rows = extents.select_related("datastore__membership").order_by("datastore__name")
    return {extent.serial: extent.datastore for extent in rows}


def _hosts(volume: Volume) -> list[Device]:
    return storage_kind_of(volume).hosts_with(volume)


def _planned(pools: Sequence[Pool], leaving: Sequence[Leaving], found: Emptying, keep: bool) -> RetirePlan:
    return RetirePlan(
        pools=[pool.name for pool in pools],
        pool_ids=[pool.pk for pool in pools],
        array=pools[0].device.name,
        keep=keep,
        volumes=[LeavingVolume(each.volume.name, each.store.name if each.store else "") for each in leaving],
        copies=found.copies,
        files=found.file_rows,
    )


def _checks(leaving: Sequence[Leaving], found: Emptying) -> Iterator[Check]:
    yield from found.checks()
    for each in leaving:
        users = raw_users(each.volume)
        if users:
            text = f"{each.volume.name} is used as it is by {first_of(users)}: nothing copies it. Take it away first."
            yield Check("all of it can go elsewhere", STOP, text)
        spanned = len(each.store.serials) if each.store else 1
        if each.store and spanned > 1:
            text = f"{each.store.name} lies on {count_of(spanned, 'volume')}: take it away by itself first."
            yield Check("all of it can go elsewhere", STOP, text)
    yield from _lost(leaving)


def _lost(leaving: Sequence[Leaving]) -> Iterator[Check]:
    """What goes without having been copied, in words."""
    if not leaving or leaving[0].keep:
        return
    bare = [each.volume.name for each in leaving if each.store is None and not raw_users(each.volume)]
    if bare:
        yield Check("volumes without a datastore", WARN, f"{first_of(bare)}: nobody knows what is on them.")
    for each in leaving:
        if each.store is not None and each.store.other_bytes:
            text = f"{format_size(each.store.other_bytes)} of {each.store.name} are neither disks nor what moves with"
            yield Check("files that nobody knows", WARN, f"{text} them, such as swap and logs: they are lost.")


def _meant(pools: Sequence[Pool], leaving: Sequence[Leaving], form: RetireForm) -> Iterator[Check]:
    wanted = sorted(pool.name for pool in pools)
    if form.keep:
        yield Check(
            "can be undone", PASS, "volumes and pools stay on the array, offered to nobody; undone, disks return"
        )
        return
    typed = sorted(name.strip() for name in form.confirm.split(",") if name.strip())
    if typed != wanted:
        text = f"Deleting cannot be undone. Type {', '.join(wanted)} to allow it, or keep them on the array."
        yield Check("deleting is meant", STOP, text)
        return
    what = f"{count_of(len(leaving), 'volume')} and {count_of(len(pools), 'pool')}"
    yield Check(
        "deleting is meant", WARN, f"{what} are deleted once nothing is left on them; nothing brings them back."
    )


def _add_steps(steps: StepPlan, pools: Sequence[Pool], leaving: Sequence[Leaving], found: Emptying) -> None:
    """Empty all, take each volume away, and delete the ``pools`` that are not kept, each once nothing is in it."""
    empty = found.add_steps(steps)
    gone: dict[int, list[AnyHandle]] = defaultdict(lambda: [*empty])
    for each in leaving:
        gone[each.volume.pool_id] += storage_kind_of(each.volume).take_away(steps, each, empty)
    for pool in pools:
        delete = DeletePool(uri=pool.uri, name=pool.name)
        detail = f"{format_size(pool.capacity_bytes)}, only if it holds no volume; cannot be undone"
        steps.add(delete.on(pool.device.name, f"Delete pool {pool.name}", detail), gone[pool.pk])
