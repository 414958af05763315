"""Lots that delete a machine with its disks and snapshots, once its name was typed."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Sum

from movelot.inventory.models import TAKEN_BYTES, Datastore, Disk, Machine, SnapshotPart
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import After, StepPlan
from movelot.lots.steps.machines import DeleteMachine
from movelot.lots.steps.power import PowerOff
from movelot.machines.acts.power import OFF_SECONDS
from movelot.placement.returned_room import StoreRoom, measured, room_of
from movelot_core.units import format_size


@dataclass(frozen=True)
class DeleteForm(LotForm):
    """A machine, and its name as it was typed."""

    machine: int | None = names("machine", None)
    confirm: str = ""


@dataclass
class DeletePlan(LotPlan):
    """The machine, and the room that it returns."""

    machine: str
    stores: list[StoreRoom]


class DeleteMachineKind(LotKind[DeleteForm, DeletePlan]):
    """Switches a machine off and deletes it: nothing brings it back."""

    name, form, plan = "delete_machine", DeleteForm, DeletePlan

    def drafted(self, form: DeleteForm, lot: Lot) -> Draft[DeleteForm, DeletePlan]:
        machine = Machine.objects.filter(pk=form.machine or 0).select_related("placement__host").first()
        if machine is None:
            check = Check("machine is known", STOP, "No host runs it any more.")
            return Draft("Delete a machine", checks=[check])
        plan = DeletePlan(machine.name, _returned(machine))
        raw = list(Disk.objects.filter(machine=machine).exclude(raw_serial="").values_list("name", flat=True))
        steps = StepPlan()
        confirmed = form.confirm.strip() == machine.name
        if confirmed and not raw:
            _add_steps(steps, machine, plan)
        facts = {
            "disks": ", ".join(Disk.objects.filter(machine=machine).order_by("name").values_list("name", flat=True)),
            f"power of {machine.name}": machine.power,
        }
        return Draft(f"Delete {machine.name}", steps, plan, _checks(machine, plan, raw, confirmed), facts)

    def outcome(self, lot: Lot, plan: DeletePlan) -> list[MeasuredRow]:
        return measured(plan.stores)


def _returned(machine: Machine) -> list[StoreRoom]:
    held: dict[int, int] = {}
    disks = Disk.objects.filter(machine=machine, placement__isnull=False)
    for store, size in disks.values_list("placement__datastore_id", TAKEN_BYTES):
        held[store] = held.get(store, 0) + size
    parts = SnapshotPart.objects.filter(snapshot__machine=machine, disk__placement__isnull=False).order_by()
    beside = parts.filter(snapshot__place="").values_list("disk__placement__datastore_id")
    for store, size in beside.annotate(held=Sum("held_bytes")):
        held[store] = held.get(store, 0) + size
    apart = dict(parts.exclude(snapshot__place="").values_list("snapshot__place").annotate(held=Sum("held_bytes")))
    for store, identity in Datastore.objects.filter(identity__in=apart).values_list("pk", "identity"):
        held[store] = held.get(store, 0) + apart[identity]
    left = Datastore.objects.filter(identity=machine.home).values_list("pk", flat=True).first()
    if machine.swap_bytes and left is not None:
        held[left] = held.get(left, 0) + machine.swap_bytes
    return room_of(held)


def _add_steps(steps: StepPlan, machine: Machine, plan: DeletePlan) -> None:
    which = {"machine": machine.name, "identity": machine.identity}
    after: After = ()
    if machine.power == "On":
        off = PowerOff(**which)
        detail = "its guest is asked first"
        after = steps.add(off.on(machine.host.name, f"Switch {machine.name} off", detail, seconds=OFF_SECONDS))
    room = sum(each.after_bytes - each.before_bytes for each in plan.stores)
    delete = DeleteMachine(**which)
    steps.add(delete.on(machine.host.name, f"Delete {machine.name}", f"{format_size(room)} come free"), after)


def _checks(machine: Machine, plan: DeletePlan, raw: list[str], confirmed: bool) -> list[Check]:
    if raw:
        text = f"It has {', '.join(raw)}: take {'it' if len(raw) == 1 else 'them'} from the machine first."
        return [Check("no raw volume", STOP, text)]
    if not confirmed:
        text = f"Type {machine.name} to say that it is meant: its disks and snapshots go with it."
        return [Check("deleting is meant", STOP, text)]
    where = ", ".join(f"{format_size(each.after_bytes - each.before_bytes)} of {each.name}" for each in plan.stores)
    checks = [Check("deleting is meant", WARN, f"{where or 'Nothing'} is deleted; nothing brings it back.")]
    if machine.power == "On":
        checks.append(Check("what stops", WARN, f"{machine.name} is on, and is switched off first."))
    else:
        checks.append(Check("what stops", PASS, "nothing: it is off"))
    return checks
