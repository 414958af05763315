"""Lots that have machines' own files on other datastores."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from movelot.inventory.models import Compliance, Datastore, Device, Machine, PartCompliance
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.machine_files import MoveFiles
from movelot.lots.steps.move_disk import between
from movelot.machines.acts.places import Candidates
from movelot_core.units import count_of

MACHINES_MAX = 200
REFUSED_SAID = 5


@dataclass(frozen=True)
class FilesForm(LotForm):
    """Machines by their primary keys, and the datastore by its own; the best one is taken for each where none is."""

    machines: list[int] = field(default_factory=list)
    datastore: int | None = names("datastore", None)


@dataclass
class FilesMove:
    """The own files of a machine, by its identity, and between which datastores they go."""

    machine: str
    name: str
    source: str
    target: str
    target_identity: str


@dataclass
class FilesPlan(LotPlan):
    """Which files move."""

    moves: list[FilesMove]


class FilesKind(LotKind[FilesForm, FilesPlan]):
    """Moves own files of machines, which run on."""

    name, form, plan = "move_files", FilesForm, FilesPlan

    def drafted(self, form: FilesForm, lot: Lot) -> Draft[FilesForm, FilesPlan]:
        rows = Machine.objects.filter(pk__in=form.machines[:MACHINES_MAX]).exclude(home="")
        rows = rows.select_related("placement__host", "files_compliance")
        machines = [machine for machine in rows.order_by("name", "pk") if hasattr(machine, "placement")]
        if not machines:
            text = "No machine is chosen whose host tells where its own files are."
            return Draft("Move files of machines", checks=[Check("machines are known", STOP, text)])
        chosen = Datastore.objects.filter(pk=form.datastore).first() if form.datastore else None
        homes = {store.identity: store for store in Datastore.objects.filter(identity__in={m.home for m in machines})}
        steps, plan, refused = StepPlan(), FilesPlan([]), list[str]()
        candidates: dict[int, Candidates] = {}
        for machine in machines:
            host, source = machine.host, homes.get(machine.home)
            if host.pk not in candidates:
                candidates[host.pk] = Candidates.mounted_by([host])
            known = candidates[host.pk]
            target = _target(machine, known, chosen)
            if source is None or target is None or source == target:
                refused.append(_why_not(machine, known, source, chosen))
                continue
            plan.moves.append(FilesMove(machine.identity, machine.name, source.name, target.name, target.identity))
            add_files(steps, machine, host, (source, target))
        checks = _checks(plan.moves, refused)
        facts = {f"files of {machine.name}": homes[machine.home].name for machine in machines if machine.home in homes}
        return Draft(_title(machines), steps, plan, checks, facts)

    def outcome(self, lot: Lot, plan: FilesPlan) -> list[MeasuredRow]:
        """How many machines have their files where they were to go."""
        homes = dict(
            Machine.objects.filter(identity__in=[m.machine for m in plan.moves]).values_list("identity", "home")
        )
        there = sum(homes.get(move.machine) == move.target_identity for move in plan.moves)
        return [MeasuredRow("machines", "", "files moved", 0, len(plan.moves), there)]


def _title(machines: Sequence[Machine]) -> str:
    named = machines[0].name if len(machines) == 1 else count_of(len(machines), "machine")
    return f"Move the files of {named}"


def policy_of_files(machine: Machine) -> int | None:
    """The policy that a machine's own files have, as last judged."""
    stands = getattr(machine, "files_compliance", None)
    return stands.policy_id if stands else None


def _target(machine: Machine, known: Candidates, chosen: Datastore | None) -> Datastore | None:
    """The chosen datastore if the host mounts it, else where the files are if that serves them, else the best one."""
    if chosen is not None:
        return chosen if chosen in known.stores else None
    policy = policy_of_files(machine)
    here = next((store for store in known.stores if store.identity == machine.home), None)
    if policy is not None and here is not None and here.pk in known.serving(policy):
        return here
    return known.take(0, policy, [here.pk] if here else [])


def _why_not(machine: Machine, known: Candidates, source: Datastore | None, chosen: Datastore | None) -> str:
    if source is None:
        return f"{machine.name}: no datastore that is known has them."
    if chosen is not None:
        where = (
            f"they are on {chosen.name} already" if source == chosen else f"{known.hosts} does not mount {chosen.name}"
        )
        return f"{machine.name}: {where}."
    policy = policy_of_files(machine)
    stands: PartCompliance | None = getattr(machine, "files_compliance", None)
    if stands is not None and stands.state == Compliance.State.IN:
        return f"{machine.name}: they lie where their policy is served."
    return f"{machine.name}: {known.why_none(0, policy)}"


def add_files(steps: StepPlan, machine: Machine, host: Device, ends: tuple[Datastore, Datastore]) -> AnyHandle:
    """The step that moves the files of a machine from one datastore to another."""
    source, target = ends
    move = MoveFiles(machine=machine.name, identity=machine.identity, **between(source, target))
    return steps.add(move.on(host.name, f"Move the files of {machine.name}", f"{source.name} → {target.name}"))


def _checks(moves: Sequence[FilesMove], refused: Sequence[str]) -> list[Check]:
    if not moves:
        return [Check("somewhere to go", STOP, " ".join(refused[:REFUSED_SAID]))]
    where = ", ".join(sorted({move.target for move in moves}))
    checks = [Check("somewhere to go", PASS, f"{where}; each host mounts it, and disks stay where they are")]
    if refused:
        checks.append(Check("left where they are", PASS, " ".join(refused[:REFUSED_SAID])))
    return checks
