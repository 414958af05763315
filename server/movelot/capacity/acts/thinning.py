"""Lots that have disks take only what was written of them.

Worked example: of a disk of 180 GiB 9 % are written. Thin it takes 16.2 GiB, and 163.8 come back to its datastore; the
volume beneath holds them until its host gives blocks back.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from django.db.models import Sum

from movelot.inventory.models import Datastore, Disk, SnapshotPart, Volume
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.provisioning import ProvisionDisk
from movelot.placement.returned_room import StoreRoom, measured, room_of
from movelot_core.units import count_of, format_size

DISKS_MAX = 50


@dataclass(frozen=True)
class ThinForm(LotForm):
    """Disks by their primary keys."""

    disks: list[int] = field(default_factory=list)


@dataclass
class ThinPlan(LotPlan):
    """The disks, and the room that they return."""

    disks: list[str]
    stores: list[StoreRoom]


class ThinKind(LotKind[ThinForm, ThinPlan]):
    """Makes thick disks thin; their machines run on."""

    name, form, plan = "make_thin", ThinForm, ThinPlan

    def drafted(self, form: ThinForm, lot: Lot) -> Draft[ThinForm, ThinPlan]:
        rows = Disk.objects.filter(pk__in=form.disks[:DISKS_MAX], placement__isnull=False).order_by("name", "pk")
        disks = list(rows.select_related("machine__placement__host", "placement__datastore"))
        if not disks:
            return Draft("Make disks thin", checks=[Check("disks are chosen", STOP, "None of them is there any more.")])
        title = f"Make {disks[0].name if len(disks) == 1 else count_of(len(disks), 'disk')} thin"
        facts = {f"what {disk.name} takes": format_size(disk.taken_bytes) for disk in disks}
        wrong = list(_wrong(disks))
        if wrong:
            return Draft(title, checks=wrong, facts=facts)
        returned: dict[int, int] = defaultdict(int)
        steps = StepPlan()
        for disk in disks:
            _add_step(steps, disk)
            returned[disk.placement.datastore_id] += _back(disk)
        plan = ThinPlan([disk.name for disk in disks], room_of(returned))
        return Draft(title, steps, plan, list(_checks(returned)), facts)

    def outcome(self, lot: Lot, plan: ThinPlan) -> list[MeasuredRow]:
        return measured(plan.stores)


def _back(disk: Disk) -> int:
    return disk.size_bytes - (disk.size_bytes if disk.written_bytes is None else disk.written_bytes)


def _wrong(disks: Sequence[Disk]) -> Iterator[Check]:
    kept = set(SnapshotPart.objects.filter(disk__in=disks).values_list("disk_id", flat=True))
    for disk in disks:
        if disk.thin:
            yield Check(f"{disk.name} is thick", STOP, f"{disk.name} takes only what was written of it already.")
        elif disk.written_bytes is None:
            yield Check(f"{disk.name} is known", STOP, f"Its host does not tell what is written of {disk.name}.")
        elif disk.pk in kept:
            yield Check(f"no snapshot keeps {disk.name}", STOP, f"Snapshots keep {disk.name} as it is: merge them.")


def _add_step(steps: StepPlan, disk: Disk) -> None:
    store, machine = disk.placement.datastore, disk.machine
    step = ProvisionDisk(
        machine=machine.name,
        identity=machine.identity,
        disk=disk.identity,
        name=disk.name,
        thin=True,
        returned_bytes=_back(disk),
        size_bytes=disk.size_bytes,
        datastore=store.identity,
        datastore_name=store.name,
        serial=next(iter(store.serials), ""),
    )
    detail = f"{format_size(_back(disk))} of {store.name} come free; {machine.name} runs on"
    steps.add(step.on(machine.host.name, f"Make {disk.name} thin", detail))


def _checks(returned: dict[int, int]) -> Iterator[Check]:
    """What comes back where, what the pool beneath has of it, and what guests may take again."""
    stores = Datastore.objects.filter(pk__in=returned).prefetch_related("extents").order_by("name")
    disks = Disk.objects.filter(placement__datastore__in=stores).order_by()
    whole = dict(disks.values_list("placement__datastore_id").annotate(size=Sum("size_bytes")))
    block = set(Volume.objects.filter(thin=True, kind=Volume.Kind.BLOCK).values_list("serial", flat=True))
    for store in stores:
        back = format_size(returned[store.pk])
        yield Check(f"room of {store.name}", PASS, f"{back} come back to it, once these disks were read through")
        if set(store.serials) & block:
            text = f"the volume of {store.name} holds them until its blocks are given back (see: What can come back)"
            yield Check(f"pool of {store.name}", PASS, text)
        over = whole[store.pk] + store.other_bytes - store.capacity_bytes
        if over > 0:
            text = f"Should all guests of {store.name} write all that they may, it would lack {format_size(over)}."
            yield Check(f"promises of {store.name}", WARN, text)
    yield Check("can be undone", PASS, "by giving them their whole size again, if there is room for it then")
