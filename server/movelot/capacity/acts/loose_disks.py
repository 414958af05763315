"""Lots that delete disks that no machine has, once it is proved that none has them and their names were typed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import timedelta

from django.utils.timezone import now

from movelot.inventory.models import Device, Disk, LooseDisk, Machine, Mount, Volume
from movelot.inventory.placement import strangers_let_in
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.loose_disks import DeleteLooseDisk
from movelot.placement.returned_room import StoreRoom, measured, room_of
from movelot_core.units import count_of, format_size

DISKS_MAX = 50
# What was written to more lately is not deleted: something uses it.
QUIET = timedelta(days=30)


@dataclass(frozen=True)
class LooseForm(LotForm):
    """Disks that no machine has, by their primary keys, and their names as they were typed, with commas between."""

    disks: list[int] = field(default_factory=list)
    confirm: str = ""


@dataclass
class LoosePlan(LotPlan):
    """The disks, and the room that they return."""

    disks: list[str]
    stores: list[StoreRoom]


class DeleteLooseKind(LotKind[LooseForm, LoosePlan]):
    """Deletes disks that no machine has: nothing brings them back."""

    name, form, plan = "delete_disks", LooseForm, LoosePlan

    def drafted(self, form: LooseForm, lot: Lot) -> Draft[LooseForm, LoosePlan]:
        rows = LooseDisk.objects.filter(pk__in=form.disks[:DISKS_MAX]).select_related("datastore")
        disks = list(rows.prefetch_related("datastore__extents").order_by("name", "pk"))
        if not disks:
            check = Check("disks are chosen", STOP, "No datastore lists any of them any more.")
            return Draft("Delete disks that no machine has", checks=[check])
        plan = LoosePlan([disk.name for disk in disks], _returned(disks))
        what = disks[0].name if len(disks) == 1 else count_of(len(disks), "disk")
        checks = [*_proof(disks), _meant(disks, form.confirm)]
        steps = StepPlan()
        if not any(check.level == STOP for check in checks):
            checks += _add_steps(steps, disks)
        facts = {disk.name: f"on {disk.datastore.name}, last written {_written(disk) or 'never'}" for disk in disks}
        return Draft(f"Delete {what}, which no machine has", steps, plan, checks, facts)

    def outcome(self, lot: Lot, plan: LoosePlan) -> list[MeasuredRow]:
        return measured(plan.stores)


def _written(disk: LooseDisk) -> str:
    return disk.last_written_at.isoformat() if disk.last_written_at else ""


def _returned(disks: Sequence[LooseDisk]) -> list[StoreRoom]:
    room: dict[int, int] = {}
    for disk in disks:
        room[disk.datastore_id] = room.get(disk.datastore_id, 0) + disk.size_bytes
    return room_of(room)


def _proof(disks: Sequence[LooseDisk]) -> Iterator[Check]:
    """That no machine has them: by all hosts, all machines' descriptions, and when they were last written to."""
    hosts = Device.objects.filter(kind=Device.Kind.HOST)
    had = Disk.objects.filter(identity__in=[disk.identity for disk in disks], machine__placement__isnull=False)
    for name, machine in had.values_list("name", "machine__name"):
        yield Check("no machine has them", STOP, f"{machine} has {name} now.")
    silent = sorted(hosts.exclude(state=Device.State.LINKED).values_list("name", flat=True))
    if silent:
        text = f"{', '.join(silent)} cannot be asked: machines there may have them."
        yield Check("no machine has them", STOP, text)
    elif not had:
        machines = count_of(Machine.objects.filter(gone_at=None).count(), "machine")
        text = f"none of {machines} on {count_of(hosts.count(), 'host')}"
        yield Check("no machine has them", PASS, text)
    for disk in disks:
        yield from _doubts(disk)
    serials = {serial for disk in disks for serial in disk.datastore.serials}
    strange = strangers_let_in(Volume.objects.filter(serial__in=serials))
    if strange:
        text = f"{', '.join(strange)} may reach their datastores too, of no host that is linked: ask whose."
        yield Check("nobody else reaches them", WARN, text)


def _doubts(disk: LooseDisk) -> Iterator[Check]:
    named = disk.described_by
    if named and Machine.objects.filter(name=named, gone_at=None).exists():
        yield Check(f"what {disk.name} was of", WARN, f"Its description names {named}, which is there without it.")
    elif named:
        yield Check(f"what {disk.name} was of", PASS, f"its description names {named}, which is nowhere")
    if disk.last_written_at is not None and now() - disk.last_written_at < QUIET:
        text = f"{disk.name} was written to {count_of((now() - disk.last_written_at).days, 'day')} ago: it is in use."
        yield Check(f"{disk.name} is quiet", STOP, text)


def _meant(disks: Sequence[LooseDisk], confirm: str) -> Check:
    typed = sorted(name.strip() for name in confirm.split(",") if name.strip())
    wanted = sorted(disk.name for disk in disks)
    if typed != wanted:
        return Check("deleting is meant", STOP, f"Type {', '.join(wanted)} to say that it is meant.")
    size = format_size(sum(disk.size_bytes for disk in disks))
    return Check("deleting is meant", WARN, f"{size} are deleted; nothing brings them back.")


def _add_steps(steps: StepPlan, disks: Sequence[LooseDisk]) -> Iterator[Check]:
    mounts = Mount.objects.filter(datastore__in={disk.datastore_id for disk in disks}).order_by("-host__name")
    hosts = dict(mounts.values_list("datastore_id", "host__name"))
    for disk in disks:
        host = hosts.get(disk.datastore_id)
        if host is None:
            yield Check("it can be deleted", STOP, f"No host mounts {disk.datastore.name} any more.")
            continue
        delete = DeleteLooseDisk(
            identity=disk.identity,
            name=disk.name,
            datastore=disk.datastore.identity,
            datastore_name=disk.datastore.name,
            last_written=_written(disk),
        )
        detail = f"{format_size(disk.size_bytes)} of {disk.datastore.name} come free"
        steps.add(delete.on(host, f"Delete {disk.name} from {host}", detail))
