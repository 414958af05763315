"""Lots that let a machine go to another host, while it runs."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.inventory.models import Datastore, Device, Disk, HostDevice, Machine, Mount
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.machines import MigrateMachine, SeeMachine


@dataclass(frozen=True)
class MigrateForm(LotForm):
    """A machine, and the host that it goes to, by name."""

    machine: int | None = names("machine", None)
    host: str = names("host")


@dataclass
class MigratePlan(LotPlan):
    """The machine by its identity, and where it is and goes."""

    machine: str
    name: str
    source: str
    target: str


class MigrateKind(LotKind[MigrateForm, MigratePlan]):
    """Lets a machine go to another host that mounts all that it lies on."""

    name, form, plan = "migrate", MigrateForm, MigratePlan

    def drafted(self, form: MigrateForm, lot: Lot) -> Draft[MigrateForm, MigratePlan]:
        machine = Machine.objects.filter(pk=form.machine or 0).select_related("placement__host__cluster").first()
        hosts = Device.objects.filter(name=form.host, kind=Device.Kind.HOST).select_related("cluster")
        target = hosts.first()
        if machine is None or target is None:
            text = "No host runs the machine any more." if machine is None else "Choose the host that it goes to."
            return Draft("Move a machine", checks=[Check("machine and host are known", STOP, text)])
        source = machine.host
        title = f"Move {machine.name} to {target.name}"
        if source == target:
            text = f"{target.name} runs {machine.name} already."
            return Draft(title, checks=[Check("something to change", STOP, text)])
        plan = MigratePlan(machine.identity, machine.name, source.name, target.name)
        lacks = _lacks(machine, target)
        checks = (
            [Check("host sees all of it", STOP, f"{target.name} does not see {', '.join(lacks)}.")] if lacks else []
        )
        checks = checks or [Check("host sees all of it", PASS, f"{target.name} mounts all that it lies on")]
        if source.cluster_id != target.cluster_id:
            text = f"{target.name} is of {target.cluster or 'no cluster'}: policies given to clusters are others there."
            checks.append(Check("same cluster", WARN, text))
        steps = StepPlan()
        if not lacks:
            which = {"machine": machine.name, "identity": machine.identity}
            go = MigrateMachine(**which, source=source.name, target=target.name)
            gone = steps.add(go.on(source.name, f"Let {machine.name} go to {target.name}", "it runs on meanwhile"))
            see = SeeMachine(**which, source=source.name, there=target.name)
            steps.add(see.on(target.name, f"See that {target.name} runs {machine.name}"), gone)
        return Draft(title, steps, plan, checks, {f"host of {machine.name}": source.name})

    def outcome(self, lot: Lot, plan: MigratePlan) -> list[MeasuredRow]:
        """Whether the other host runs it."""
        there = Machine.objects.filter(identity=plan.machine, placement__host__name=plan.target).count()
        return [MeasuredRow("machine", plan.name, f"on {plan.target}", 0, 1, there)]


def _sees(target: Device, lacks: list[str]) -> Check:
    if lacks:
        return Check("host sees all of it", STOP, f"{target.name} does not see {', '.join(lacks)}.")
    return Check("host sees all of it", PASS, f"{target.name} mounts all that it lies on")


def _lacks(machine: Machine, target: Device) -> list[str]:
    """What the machine lies on and the host does not mount or see, by name."""
    disks = Disk.objects.filter(machine=machine)
    stores = set(disks.filter(placement__isnull=False).values_list("placement__datastore_id", flat=True))
    if machine.home:
        stores |= set(Datastore.objects.filter(identity=machine.home).values_list("pk", flat=True))
    mounted = set(Mount.objects.filter(host=target).values_list("datastore_id", flat=True))
    lacking = Datastore.objects.filter(pk__in=stores - mounted).order_by("name").values_list("name", flat=True)
    seen = HostDevice.objects.filter(device=target).values("serial")
    raw = disks.exclude(raw_serial="").exclude(raw_serial__in=seen).order_by("name").values_list("name", flat=True)
    return [*lacking, *raw]
