"""Lots that make machines: each on the least busy host, its disks where the planner puts all of them together.

A machine is switched on once everything of it is in place, never before.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from movelot.inventory.models import BalanceGroup, Cluster, Datastore, Device, Machine, MachinePlacement, Policy
from movelot.lots.documents import LotPlan
from movelot.lots.fields import FieldProblem
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import Handle, StepPlan
from movelot.lots.steps.images import FillDisk, LinkDisk
from movelot.lots.steps.machine_disks import AddDisk, DiskMade
from movelot.lots.steps.machines import MakeMachine
from movelot.lots.steps.power import PowerOn
from movelot.lots.steps.values import Nothing
from movelot.machines.acts.power import ON_SECONDS
from movelot.machines.acts.wishes import wish_policies
from movelot.machines.making.contents import Contents, checks_of
from movelot.machines.making.form import MeantMachines, NewMachineForm, read
from movelot.placement.limiting import Limiting, add_limits, set_arrays
from movelot.placement.new_disks import PlaceRow, Proposal, WantedDisk, propose
from movelot.placement.policies import asked_by
from movelot_core.units import count_of, format_size

PLACES_MAX = 60
# What a host copies within its datastores, until lots have taught better.
FILL_BYTES_PER_SECOND = 200 * 1024**2


@dataclass
class ProposedDisk:
    """A disk of each new machine: where those of all machines go, and what becomes of the first one's datastore.

    ``store`` is the datastore of the first machine's disk, null where none takes it; ``stores`` the names of those of
    all machines.
    """

    size_bytes: int
    policy: str
    store: int | None
    stores: list[str]
    fill_before: float
    fill: float
    peak_before_ms: float
    peak_ms: float
    expected: str
    places: list[PlaceRow]
    fitting: int


@dataclass
class NewMachinePlan(LotPlan):
    """What the page shows: names with their hosts, disks with their places, and what is wrong beside fields."""

    cluster: str
    names: list[str]
    hosts: list[str]
    disks: list[ProposedDisk]
    problems: list[FieldProblem] = field(default_factory=list)
    total_bytes: int = 0


class NewMachineKind(LotKind[NewMachineForm, NewMachinePlan]):
    """Makes machines with their disks, and switches them on."""

    name, form, plan = "new_machine", NewMachineForm, NewMachinePlan
    always_plans = True

    def drafted(self, form: NewMachineForm, lot: Lot) -> Draft[NewMachineForm, NewMachinePlan]:
        form = form if form.cluster else replace(form, cluster=_first_cluster())
        meant, title = read(form), _title(form)
        cluster = Cluster.objects.filter(name=form.cluster).first()
        plan = NewMachinePlan(form.cluster, meant.names or [], [], [], meant.problems)
        checks = [Check(f"{each.field} is usable", STOP, f"{each.message} {each.hint}") for each in meant.problems]
        group = BalanceGroup.objects.filter(cluster=cluster).first() if cluster else None
        if cluster is None or group is None:
            text = "Choose a cluster whose hosts mount datastores."
            return Draft(title, plan=plan, checks=[Check("cluster is known", STOP, text)], form=form)
        if meant.disks is None or meant.problems:
            return Draft(title, plan=plan, checks=checks or [_untyped("size of each disk")], form=form)
        wanted = [disk for _ in range(meant.count) for disk in meant.disks]
        found = propose(cluster, wanted, group, len(meant.disks))
        plan.total_bytes = meant.count * sum(disk.size_bytes for disk in meant.disks)
        plan.disks = _proposed(meant, found)
        hosts = _hosts(cluster, form.host, meant)
        plan.hosts = [host.name for host in hosts]
        checks += _checks(plan, meant, found) + checks_of(meant.contents, hosts)
        steps = StepPlan()
        if meant.complete and hosts and None not in found.stores:
            _add_steps(steps, form, meant, found, hosts)
        facts = {"hosts": ", ".join(plan.hosts), "places": ", ".join(s for disk in plan.disks for s in disk.stores)}
        return Draft(title, steps, plan, checks, facts, form)

    def reserve(self, lot: Lot, plan: NewMachinePlan) -> None:
        wish_policies(lot)

    def outcome(self, lot: Lot, plan: NewMachinePlan) -> list[MeasuredRow]:
        """Machines that are there, and that are on."""
        made = Machine.objects.filter(name__in=plan.names)
        on = made.filter(power="On").count()
        wanted = len(plan.names)
        steps = lot.steps.filter(kind=PowerOn.kind).count()
        return [
            MeasuredRow("cluster", plan.cluster, "new machines", 0, wanted, made.count()),
            MeasuredRow("cluster", plan.cluster, "new machines that are on", 0, steps, on),
        ]


def _first_cluster() -> str:
    """The cluster of the group with most datastores: where most machines are made."""
    groups = BalanceGroup.objects.filter(cluster__isnull=False).select_related("cluster")
    best = max(groups, key=lambda group: (group.datastores.count(), group.name), default=None)
    return best.cluster.name if best and best.cluster else ""


def _title(form: NewMachineForm) -> str:
    return f"New machine {form.name.strip()}".strip()


def _untyped(what: str) -> Check:
    return Check("form is complete", STOP, f"Type the {what}.")


def _proposed(meant: MeantMachines, found: Proposal) -> list[ProposedDisk]:
    """Each disk of the first machine, with where those of all the others go."""
    disks = meant.disks or []
    named = dict(Datastore.objects.filter(pk__in=_chosen(found)).values_list("pk", "name"))
    policies = dict(Policy.objects.values_list("pk", "name"))
    rows = []
    for n, disk in enumerate(disks):
        stores = found.stores[n :: len(disks)]
        store, places = stores[0], found.rows[n]
        chosen = next((row for row in places if row.chosen), None)
        fill_before, peak_before = found.before[store] if store else (0.0, 0.0)
        rows.append(
            ProposedDisk(
                disk.size_bytes,
                policies.get(disk.policy or 0, ""),
                store,
                [named[each] if each else "nowhere" for each in stores],
                fill_before,
                chosen.fill if chosen else 0.0,
                peak_before,
                chosen.peak_ms if chosen else 0.0,
                found.expected[n],
                places[:PLACES_MAX],
                sum(row.fits for row in places),
            )
        )
    return rows


def _chosen(found: Proposal) -> set[int]:
    return {store for store in found.stores if store is not None}


def _hosts(cluster: Cluster, chosen: str, meant: MeantMachines) -> list[Device]:
    """A host for each machine: the one that was chosen, or each time the one with least memory given to machines.

    All of them mount the places proposed, as these serve the whole cluster.
    """
    hosts = list(Device.objects.filter(kind=Device.Kind.HOST, cluster=cluster).order_by("name"))
    if chosen:
        return [host for host in hosts if host.name == chosen] * meant.count
    running = MachinePlacement.objects.filter(host__in=hosts, machine__power="On")
    given = {host.pk: 0 for host in hosts}
    for key, memory in running.values_list("host_id", "machine__memory_bytes"):
        given[key] += memory
    found = []
    for _ in range(meant.count if hosts else 0):
        host = min(hosts, key=lambda each: (given[each.pk], each.name))
        given[host.pk] += meant.memory_bytes or 0
        found.append(host)
    return found


def _checks(plan: NewMachinePlan, meant: MeantMachines, found: Proposal) -> list[Check]:
    checks = []
    if not meant.complete:
        missing = {"name": meant.names, "number of processors": meant.processors, "memory": meant.memory_bytes}
        checks.append(_untyped(", ".join(what for what, value in missing.items() if value is None)))
    if not plan.hosts:
        checks.append(Check("a host for it", STOP, f"{plan.cluster} has no such host."))
    for n, disk in enumerate(plan.disks, start=1):
        without = disk.stores.count("nowhere")
        if without:
            chosen = (meant.disks or [])[n - 1].datastore is not None
            checks.append(Check(f"a place for disk {n}", STOP, _nowhere(n, without, disk, chosen)))
    if not any(check.level == STOP for check in checks):
        places = sorted({store for disk in plan.disks for store in disk.stores})
        checks.append(Check("a place for each disk", PASS, f"on {', '.join(places)}, below both ceilings"))
        checks += _policy_checks(plan)
        checks.append(Check("hosts see each place", PASS, f"every host of {plan.cluster} mounts them"))
    return checks


def _policy_checks(plan: NewMachinePlan) -> list[Check]:
    anyway = [
        Check("in policy", WARN, f"Disk {n} goes to {row.name}, {row.verdict}. It moves as soon as one serves it.")
        for n, disk in enumerate(plan.disks, start=1)
        for row in disk.places
        if row.chosen and row.reasons
    ]
    if anyway:
        return anyway
    without = [str(n) for n, disk in enumerate(plan.disks, start=1) if not disk.policy]
    if not without:
        return [Check("in policy", PASS, "each disk lies where its policy is served")]
    which = f"Disk {without[0]} has" if len(without) == 1 else f"Disks {', '.join(without)} have"
    return [Check("in policy", WARN, f"{which} no policy: any datastore with room will do.")]


def _nowhere(number: int, without: int, disk: ProposedDisk, chosen: bool) -> str:
    nearest = [row for row in disk.places if not row.fits][:2]
    said = "; ".join(f"{row.name}: {row.verdict}" for row in nearest)
    of = "" if without == len(disk.stores) else f" of {count_of(without, 'machine')}"
    fits = " Others would do: choose none for it to be proposed." if chosen and disk.fitting else ""
    return f"No datastore takes disk {number}{of} ({format_size(disk.size_bytes)}). {said}.{fits}"


def _add_steps(
    steps: StepPlan, form: NewMachineForm, meant: MeantMachines, found: Proposal, hosts: Sequence[Device]
) -> None:
    """For each machine: make it, add its disks, and switch it on once these are there."""
    disks = meant.disks or []
    stores = {store.pk: store for store in Datastore.objects.filter(pk__in=_chosen(found))}
    limits, arrays = _limits(disks), set_arrays()
    for number, (name, host) in enumerate(zip(meant.names or [], hosts, strict=True)):
        mine = [stores[key or 0] for key in found.stores[number * len(disks) : (number + 1) * len(disks)]]
        make = MakeMachine(
            machine=name,
            processors=meant.processors or 0,
            memory_bytes=meant.memory_bytes or 0,
            home=mine[0].identity if mine else _home(host),
        )
        detail = "least busy host that sees all of it" if not form.host else "as chosen"
        made = steps.add(make.on(host.name, f"Make {name} on {host.name}", detail))
        added = []
        for n, (disk, store, contents) in enumerate(zip(disks, mine, meant.contents, strict=True), start=1):
            add = AddDisk(
                machine=name,
                identity=made.result.identity,
                name=f"{name} disk {n}",
                size_bytes=disk.size_bytes,
                datastore=store.identity,
                datastore_name=store.name,
                serial=store.serials[0],
                policy=disk.policy,
                thin=bool(contents and contents.linked),
            )
            title = f"Add disk {n} of {name} on {store.name}"
            there = steps.add(add.on(host.name, title, format_size(disk.size_bytes)), made)
            wanted = limits.get(disk.policy or 0, (0, 0))
            if any(wanted):
                on_disk = {"machine": name, "identity": made.result.identity, "disk": there.result.identity}
                named = {**on_disk, "name": add.name}
                limiting = Limiting(named, host.name, arrays.get(store.serials[0], ""), wanted)
                added += add_limits(steps, limiting, there)
            added.append(_filled(steps, add, there, contents, host) if contents else there)
        if form.then == "on":
            on = PowerOn(machine=name, identity=made.result.identity)
            text = "once all of it is in place"
            steps.add(on.on(host.name, f"Switch {name} on", text, seconds=ON_SECONDS), added or [made])


def _filled(
    steps: StepPlan, add: AddDisk, there: Handle[DiskMade], contents: Contents, host: Device
) -> Handle[Nothing]:
    """The step that copies what the disk is made from, or has it share blocks with that."""
    made_from: dict[str, Any] = {
        "machine": add.machine,
        "identity": add.identity,
        "disk": there.result.identity,
        "name": add.name,
        "source": contents.identity,
        "source_name": contents.name,
        "data_bytes": contents.data_bytes,
    }
    if contents.linked:
        link = LinkDisk(**made_from)
        return steps.add(link.on(host.name, f"Link {add.name} to {contents.name}", "nothing is copied"), there)
    fill = FillDisk(**made_from)
    detail = f"{format_size(contents.data_bytes)} from {contents.datastore_name}"
    seconds = max(1.0, contents.data_bytes / FILL_BYTES_PER_SECOND)
    return steps.add(fill.on(host.name, f"Copy {contents.name} into {add.name}", detail, seconds=seconds), there)


def _limits(disks: Sequence[WantedDisk]) -> dict[int, tuple[int, int]]:
    """The cap and the floor that each policy of the disks asks, by its primary key."""
    rows = Policy.objects.filter(pk__in={disk.policy for disk in disks if disk.policy}).prefetch_related("versions")
    return {row.pk: asked_by(row).limits() for row in rows}


def _home(host: Device) -> str:
    """Where a machine without disks has its own files."""
    mount = host.mounts.select_related("datastore").order_by("datastore__name").first()
    return host.default_datastore or (mount.datastore.identity if mount else "")
