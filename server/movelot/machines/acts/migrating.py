"""Lots that let a machine go to another host, while it runs.

What that host does not mount moves first, to datastores that both hosts mount and that serve its policies.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from movelot.inventory.models import Datastore, Device, Disk, HostDevice, Machine, MachineSnapshot, Mount
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.machines import MigrateMachine, SeeMachine
from movelot.lots.steps.move_disk import MoveDisk, between
from movelot.machines.acts.files import add_files, policy_of_files
from movelot.machines.acts.places import Candidates
from movelot_core.units import format_size


@dataclass(frozen=True)
class MigrateForm(LotForm):
    """A machine, and the host that it goes to, by name."""

    machine: int | None = names("machine", None)
    host: str = names("host")


@dataclass
class MigratePlan(LotPlan):
    """The machine by its identity, and where it is and goes; ``moved`` says what moves first, and where to."""

    machine: str
    name: str
    source: str
    target: str
    moved: list[str] = field(default_factory=list)


class MigrateKind(LotKind[MigrateForm, MigratePlan]):
    """Lets a machine go to another host, after what that does not mount has moved."""

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
        first = _First(machine, source, target)
        plan = MigratePlan(machine.identity, machine.name, source.name, target.name, first.said)
        checks = [first.check()]
        if source.cluster_id != target.cluster_id:
            text = f"{target.name} is of {target.cluster or 'no cluster'}: policies given to clusters are others there."
            checks.append(Check("same cluster", WARN, text))
        steps = StepPlan()
        if not first.stuck:
            which = {"machine": machine.name, "identity": machine.identity}
            go = MigrateMachine(**which, source=source.name, target=target.name)
            text = f"Let {machine.name} go to {target.name}"
            gone = steps.add(go.on(source.name, text, "it runs on meanwhile"), first.add(steps))
            see = SeeMachine(**which, source=source.name, there=target.name)
            steps.add(see.on(target.name, f"See that {target.name} runs {machine.name}"), gone)
        return Draft(title, steps, plan, checks, {f"host of {machine.name}": source.name})

    def outcome(self, lot: Lot, plan: MigratePlan) -> list[MeasuredRow]:
        """Whether the other host runs it."""
        there = Machine.objects.filter(identity=plan.machine, placement__host__name=plan.target).count()
        return [MeasuredRow("machine", plan.name, f"on {plan.target}", 0, 1, there)]


class _First:
    """What has to move before a machine may go to a host that does not mount all of it; ``stuck`` is what cannot."""

    def __init__(self, machine: Machine, source: Device, target: Device) -> None:
        self.machine, self.source, self.target = machine, source, target
        self.mounted = set(Mount.objects.filter(host=target).values_list("datastore_id", flat=True))
        self.both = Candidates.mounted_by([source, target])
        self.stuck = [*self._raw(), *self._snapshots()]
        self.disks: list[tuple[Disk, Datastore, Datastore]] = []
        self.files: tuple[Datastore, Datastore] | None = None
        if self.both.stores:
            self._place_disks()
            self._place_files()
        else:
            self.stuck.append(f"it and {source.name} mount no datastore in common. Attach one to both first.")

    def __repr__(self) -> str:
        return f"<_First {self.machine.name}: {len(self.disks)} disks, {len(self.stuck)} stuck>"

    @property
    def said(self) -> list[str]:
        """What moves, and where to."""
        found = [f"{disk.name} to {to.name}" for disk, _out_of, to in self.disks]
        return [*found, f"its own files to {self.files[1].name}"] if self.files else found

    def check(self) -> Check:
        """Whether the host will see all of it."""
        if self.stuck:
            return Check(
                "host sees all of it", STOP, f"{self.target.name} does not see all of it: {' '.join(self.stuck)}"
            )
        if self.said:
            size = format_size(sum(disk.taken_bytes for disk, _out_of, _to in self.disks))
            text = f"{', '.join(self.said)} first, {size} in all: {self.target.name} does not mount where they lie"
            return Check("host sees all of it", PASS, text)
        return Check("host sees all of it", PASS, f"{self.target.name} mounts all that it lies on")

    def add(self, steps: StepPlan) -> list[AnyHandle]:
        """The steps that move it."""
        found: list[AnyHandle] = []
        for disk, out_of, to in self.disks:
            move = MoveDisk(
                disk=disk.identity,
                machine=self.machine.name,
                name=disk.name,
                size_bytes=disk.taken_bytes,
                **between(out_of, to),
            )
            detail = f"{out_of.name} → {to.name}, {format_size(disk.taken_bytes)}: {self.target.name} mounts it"
            slots = (f"datastore {out_of.name}", f"datastore {to.name}")
            found.append(steps.add(move.on(self.source.name, f"Move {disk.name}", detail, slots=slots)))
        if self.files:
            found.append(add_files(steps, self.machine, self.source, self.files))
        return found

    def _raw(self) -> Iterator[str]:
        """Raw volumes that the host does not see: they cannot move."""
        seen = HostDevice.objects.filter(device=self.target).values("serial")
        raw = Disk.objects.filter(machine=self.machine).exclude(raw_serial="").exclude(raw_serial__in=seen)
        for name in raw.order_by("name").values_list("name", flat=True):
            yield f"{name} is a volume that it has as it is: show it to {self.target.name} first."

    def _snapshots(self) -> Iterator[str]:
        """Snapshots kept apart from their disks: they do not move with these."""
        apart = MachineSnapshot.objects.filter(machine=self.machine).exclude(place="").order_by("name")
        there = set(Datastore.objects.filter(pk__in=self.mounted).values_list("identity", flat=True))
        for name, place in apart.values_list("name", "place"):
            if place not in there:
                yield f"What snapshot {name} holds lies where it is not mounted: merge it first."

    def _place_disks(self) -> None:
        rows = Disk.objects.filter(machine=self.machine, placement__isnull=False).select_related(
            "placement__datastore", "compliance"
        )
        # The largest first: they find a place in fewest datastores.
        for disk in rows.exclude(placement__datastore__in=self.mounted).order_by("-size_bytes", "name"):
            stands = getattr(disk, "compliance", None)
            policy = stands.policy_id if stands else None
            to = self.both.take(disk.taken_bytes, policy)
            if to is None:
                self.stuck.append(f"{disk.name} finds no place. {self.both.why_none(disk.taken_bytes, policy)}")
            else:
                self.disks.append((disk, disk.placement.datastore, to))

    def _place_files(self) -> None:
        home = Datastore.objects.filter(identity=self.machine.home).first() if self.machine.home else None
        if home is None or home.pk in self.mounted:
            return
        policy = policy_of_files(self.machine)
        to = self.both.take(0, policy)
        if to is None:
            self.stuck.append(f"Its own files find no place. {self.both.why_none(0, policy)}")
        else:
            self.files = home, to
