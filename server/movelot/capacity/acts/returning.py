"""Lots that give dead space back: blocks that volumes hold though nothing above uses them return to their pools.

Worked example: slate-02 holds 6.1 TiB, 3.1 of which are used. A host gives 3 TiB back at the pace that its pool has
room for; the array tells of 3.1 TiB afterwards, and of 3 TiB more that are free in the pool. Nothing is lost by it.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from django.utils.timezone import now

from movelot.capacity.acts.block_pace import pool_pace
from movelot.capacity.dead_space import dead_space
from movelot.capacity.known import uses
from movelot.inventory.models import Datastore, Mount, Pool, Volume
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.kinds import STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.block_work import HoldLess, ReturnBlocks
from movelot_core.units import count_of, format_size

STORES_MAX = 50
# What a volume may hold more than was foreseen: guests write on while blocks are given back.
MARGIN_SHARE = 0.1


@dataclass(frozen=True)
class ReturnForm(LotForm):
    """Datastores, by their primary keys."""

    datastores: list[int] = field(default_factory=list)


@dataclass
class DeadVolume:
    """A volume with its datastore: what it holds, and what of that is dead."""

    datastore: int
    name: str
    volume: str
    pool: int
    pool_name: str
    held_bytes: int
    dead_bytes: int
    bytes_per_second: float = 0.0


@dataclass
class ReturnPlan(LotPlan):
    """What is given back."""

    volumes: list[DeadVolume]


class ReturnKind(LotKind[ReturnForm, ReturnPlan]):
    """Gives dead blocks of datastores back to their pools."""

    name, form, plan = "return_blocks", ReturnForm, ReturnPlan

    def drafted(self, form: ReturnForm, lot: Lot) -> Draft[ReturnForm, ReturnPlan]:
        stores = {store.pk: store for store in Datastore.objects.filter(pk__in=form.datastores[:STORES_MAX])}
        found = _dead_volumes(stores)
        title = f"Give dead space of {found[0].name if len(found) == 1 else count_of(len(found), 'datastore')} back"
        known = {each.datastore for each in found}
        checks = [
            Check(f"{store.name} has dead space", WARN, f"Its array holds nothing for {store.name} that is not used.")
            for key, store in stores.items()
            if key not in known
        ]
        if not found:
            checks.append(Check("there is dead space", STOP, "Nothing of what was chosen can be given back."))
            return Draft("Give dead space back", checks=checks)
        pools = {
            pool.pk: pool for pool in Pool.objects.filter(pk__in={each.pool for each in found}).select_related("device")
        }
        for key, pool in pools.items():
            mine = [each for each in found if each.pool == key]
            pace = pool_pace(pool, "returned", sum(each.dead_bytes for each in mine), now())
            checks.append(pace.check)
            for each in mine:
                each.bytes_per_second = pace.bytes_per_second
        steps = StepPlan()
        checks += _add_steps(steps, found)
        facts = {f"held by {each.name}": format_size(each.held_bytes) for each in found}
        return Draft(title, steps, ReturnPlan(found), checks, facts)

    def outcome(self, lot: Lot, plan: ReturnPlan) -> list[MeasuredRow]:
        """What each volume holds."""
        held = dict(
            Volume.objects.filter(serial__in=[each.volume for each in plan.volumes]).values_list(
                "serial", "allocated_bytes"
            )
        )
        return [
            MeasuredRow(
                "volume",
                each.name,
                "held in bytes",
                each.held_bytes,
                each.held_bytes - each.dead_bytes,
                held.get(each.volume),
                f"{format_size(each.dead_bytes)} of {each.pool_name}",
            )
            for each in plan.volumes
        ]


def _dead_volumes(stores: Mapping[int, Datastore]) -> list[DeadVolume]:
    """The volumes beneath datastores that hold dead blocks, most first."""
    found = [
        DeadVolume(
            each.datastore,
            stores[each.datastore].name,
            each.volume.serial,
            each.pool.pk,
            each.pool.name,
            each.volume.allocated_bytes,
            each.dead_bytes,
        )
        for each in dead_space(uses())
        if each.datastore in stores
    ]
    return sorted(found, key=lambda each: (-each.dead_bytes, each.name))


def _add_steps(steps: StepPlan, found: Sequence[DeadVolume]) -> Iterator[Check]:
    """One volume after the other in each pool, so that the pace is that of one."""
    volumes = {
        volume.serial: volume
        for volume in Volume.objects.filter(serial__in=[each.volume for each in found]).select_related("device")
    }
    hosts: dict[int, str] = {}
    mounts = Mount.objects.filter(datastore__in=[each.datastore for each in found]).order_by("-host__name")
    hosts.update(mounts.values_list("datastore_id", "host__name"))
    before: dict[int, AnyHandle] = {}
    for each in found:
        host, volume = hosts.get(each.datastore), volumes[each.volume]
        if host is None:
            yield Check(f"{each.name} is mounted", STOP, f"No host mounts {each.name}: none can give its blocks back.")
            continue
        act = ReturnBlocks(
            serial=each.volume, name=each.name, size_bytes=each.dead_bytes, bytes_per_second=each.bytes_per_second
        )
        title, detail = f"Give {format_size(each.dead_bytes)} of {each.name} back from {host}", "machines run on"
        seconds = each.dead_bytes / each.bytes_per_second
        after = [before[each.pool]] if each.pool in before else []
        returned = steps.add(act.on(host, title, detail, seconds=seconds), after)
        most = each.held_bytes - int(each.dead_bytes * (1 - MARGIN_SHARE))
        look = HoldLess(uri=volume.uri, name=each.name, serial=each.volume, most_bytes=most)
        text = f"See on {volume.device.name} that {each.name} holds less"
        before[each.pool] = steps.add(look.on(volume.device.name, text, f"{format_size(most)} or less"), [returned])
