"""Lots that give a machine a disk, make one of its disks larger, or delete one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from movelot.inventory.models import BalanceGroup, Datastore, Disk, GivenPolicy, Machine, Policy, SnapshotPart
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.fields import FieldProblem, read_field
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.machine_disks import AddDisk, EnlargeDisk, RemoveDisk
from movelot.machines.acts.wishes import wish_policies
from movelot.placement.new_disks import Proposal, WantedDisk, propose
from movelot_core.units import format_share, format_size, parse_size


@dataclass(frozen=True)
class DiskForm(LotForm):
    """A machine and what is done.

    For a disk that is added: its size, the policy that it needs and the datastore, each by its primary key; without a
    datastore one is proposed. For one that is there: the disk, its new size, or its name as it was typed to delete it.
    """

    machine: int | None = names("machine", None)
    act: Literal["add", "enlarge", "delete"] = "add"
    size: str = ""
    policy: int | None = None
    datastore: int | None = names("datastore", None)
    disk: int | None = names("disk", None)
    confirm: str = ""


@dataclass
class DiskPlan(LotPlan):
    """The machine by its identity, and the bytes of its disks before and after."""

    machine: str
    name: str
    before_bytes: int
    after_bytes: int


Made = Draft[DiskForm, DiskPlan]


class MachineDiskKind(LotKind[DiskForm, DiskPlan]):
    """Adds, enlarges and deletes disks of a machine."""

    name, form, plan = "machine_disk", DiskForm, DiskPlan

    def drafted(self, form: DiskForm, lot: Lot) -> Made:
        machine = Machine.objects.filter(pk=form.machine or 0).select_related("placement__host__cluster").first()
        if machine is None:
            return Draft("Change a disk", checks=[Check("machine is known", STOP, "No host runs it any more.")])
        if form.act == "add":
            return _add(form, machine)
        disk = Disk.objects.filter(machine=machine, pk=form.disk or 0).select_related("placement__datastore").first()
        if disk is None or disk.datastore is None:
            text = f"{machine.name} has no such disk on a datastore."
            return Draft(f"Change a disk of {machine.name}", checks=[Check("disk is known", STOP, text)])
        return (_enlarge if form.act == "enlarge" else _delete)(form, machine, disk, disk.datastore)

    def reserve(self, lot: Lot, plan: DiskPlan) -> None:
        wish_policies(lot)

    def outcome(self, lot: Lot, plan: DiskPlan) -> list[MeasuredRow]:
        """The size of all of its disks."""
        now = _bytes_of(Machine.objects.filter(identity=plan.machine).first())
        return [MeasuredRow("machine", plan.name, "disks in bytes", plan.before_bytes, plan.after_bytes, now)]


def _bytes_of(machine: Machine | None) -> int:
    return sum(Disk.objects.filter(machine=machine).values_list("size_bytes", flat=True)) if machine else 0


def _plan(machine: Machine, change: int) -> DiskPlan:
    before = _bytes_of(machine)
    return DiskPlan(machine.identity, machine.name, before, before + change)


def _which(machine: Machine) -> dict[str, Any]:
    return {"machine": machine.name, "identity": machine.identity}


def _size(form: DiskForm) -> tuple[int | None, list[Check]]:
    """The size as it was typed, bare numbers in GiB; or what is wrong with it."""
    problems: list[FieldProblem] = []
    size = read_field(problems, "size", form.size, lambda text: parse_size(text, "GiB"))
    if size is not None:
        return size, []
    text = f"{problems[0].message} {problems[0].hint}" if problems else "Type how large it is to be, as 80 GiB."
    return None, [Check("size is usable", STOP, text)]


def _add(form: DiskForm, machine: Machine) -> Made:
    title = f"Add a disk to {machine.name}"
    size, checks = _size(form)
    cluster = machine.host.cluster
    group = BalanceGroup.objects.filter(cluster=cluster).first() if cluster else None
    if size is None or cluster is None or group is None:
        text = f"{machine.host.name} is in no cluster with datastores to choose from."
        return Draft(title, checks=checks or [Check("places are known", STOP, text)])
    policy = Policy.objects.filter(pk=form.policy or 0, retired_at=None).first() or _whole(machine)
    wanted = WantedDisk(size, policy.pk if policy else None, datastore=form.datastore, machine=machine.pk)
    found = propose(cluster, [wanted], group, 1)
    store = Datastore.objects.filter(pk=found.stores[0] or 0).first()
    if store is None:
        return Draft(title, checks=[Check("a place for it", STOP, _nowhere(found, form.datastore))])
    name = _next_name(machine)
    steps = StepPlan()
    add = AddDisk(
        **_which(machine),
        name=name,
        size_bytes=size,
        datastore=store.identity,
        datastore_name=store.name,
        serial=store.serials[0],
        policy=form.policy,
    )
    steps.add(add.on(machine.host.name, f"Add {name} on {store.name}", f"{format_size(size)}, empty"))
    row = next(row for row in found.rows[0] if row.chosen)
    fill, peak = found.before[store.pk]
    text = f"{store.name}: {format_share(fill)} → {format_share(row.fill)} full, {peak:.1f} → {row.peak_ms:.1f} ms"
    checks = [Check("a place for it", PASS, f"{text}; {found.expected[0]}")]
    if policy is not None:
        checks.append(Check("in policy", PASS, f"{store.name} serves {policy.name}"))
    facts = {f"disks of {machine.name}": name, "place": store.name}
    return Draft(title, steps, _plan(machine, size), checks, facts)


def _whole(machine: Machine) -> Policy | None:
    """The policy that is given to the whole machine."""
    given = GivenPolicy.objects.filter(machine=machine, policy__retired_at=None).select_related("policy").first()
    return given.policy if given else None


def _nowhere(found: Proposal, chosen: int | None) -> str:
    """Why no datastore takes it: that which was chosen, or the nearest ones."""
    rows = [row for row in found.rows[0] if chosen in (None, row.id)][:3]
    said = "; ".join(f"{row.name}: {row.verdict}{_because(row.reasons)}" for row in rows)
    return f"No datastore takes it. {said}." if said else "The cluster has no datastore."


def _because(reasons: list[str]) -> str:
    return f" ({', '.join(reasons)})" if reasons else ""


def _next_name(machine: Machine) -> str:
    taken = set(Disk.objects.filter(machine=machine).values_list("name", flat=True))
    number = len(taken) + 1
    while f"{machine.name} disk {number}" in taken:
        number += 1
    return f"{machine.name} disk {number}"


def _enlarge(form: DiskForm, machine: Machine, disk: Disk, store: Datastore) -> Made:
    title = f"Enlarge {disk.name}"
    size, checks = _size(form)
    if size is None:
        return Draft(title, checks=checks)
    more = size - disk.size_bytes
    if more <= 0:
        text = f"{disk.name} has {format_size(disk.size_bytes)}; it can only become larger."
        return Draft(title, checks=[Check("size is usable", STOP, text)])
    if SnapshotPart.objects.filter(disk=disk).exists():
        text = f"Snapshots keep {disk.name} as it is: merge them first."
        return Draft(title, checks=[Check("no snapshot keeps it", STOP, text)])
    if more > store.free_bytes:
        text = f"{store.name} has {format_size(store.free_bytes)} free; {format_size(more)} more are needed."
        return Draft(title, checks=[Check("room for it", STOP, text)])
    steps = StepPlan()
    enlarge = EnlargeDisk(
        **_which(machine),
        disk=disk.identity,
        name=disk.name,
        before_bytes=disk.size_bytes,
        wanted_bytes=size,
        datastore=store.identity,
    )
    detail = f"{format_size(disk.size_bytes)} → {format_size(size)}; the machine runs on"
    steps.add(enlarge.on(machine.host.name, f"Enlarge {disk.name}", detail))
    after = (store.capacity_bytes - store.free_bytes + more) / max(1, store.capacity_bytes)
    ceiling = _ceiling(store)
    level = WARN if ceiling is not None and after > ceiling else PASS
    over = f", over its ceiling of {format_share(ceiling)}" if level == WARN and ceiling is not None else ""
    checks = [
        Check("room for it", level, f"{store.name} will be {format_share(after)} full{over}"),
        Check("guest", WARN, "The guest sees the room once its file system is grown there, which Move Lot cannot do."),
        Check("can be undone", WARN, "Nothing makes a disk smaller again; this cannot be undone."),
    ]
    facts = {f"size of {disk.name}": format_size(disk.size_bytes), "place": store.name}
    return Draft(title, steps, _plan(machine, more), checks, facts)


def _ceiling(store: Datastore) -> float | None:
    group = BalanceGroup.objects.filter(datastores=store).first()
    return group.fill_ceiling if group else None


def _delete(form: DiskForm, machine: Machine, disk: Disk, store: Datastore) -> Made:
    title = f"Delete {disk.name}"
    facts = {f"disks of {machine.name}": disk.name, f"power of {machine.name}": machine.power}
    if machine.power == "On":
        text = f"{machine.name} is on and uses it: switch it off first."
        return Draft(title, checks=[Check("machine is off", STOP, text)], facts=facts)
    plan = _plan(machine, -disk.size_bytes)
    if form.confirm.strip() != disk.name:
        text = f"Type {disk.name} to say that it is meant: what is on it is lost."
        return Draft(title, StepPlan(), plan, [Check("deleting is meant", STOP, text)], facts)
    steps = StepPlan()
    remove = RemoveDisk(**_which(machine), disk=disk.identity, name=disk.name)
    steps.add(remove.on(machine.host.name, title, f"{format_size(disk.taken_bytes)} of {store.name} come free"))
    text = f"{format_size(disk.size_bytes)} of {store.name} are deleted; nothing brings them back."
    return Draft(title, steps, plan, [Check("deleting is meant", WARN, text)], facts)
