"""Lots that take a snapshot of a machine, bring it back to one, or merge one or all of them.

Going back first keeps the machine as it is in a snapshot of its own, so that going back can be undone.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from django.db.models import Sum
from django.utils.timezone import now

from movelot.inventory.models import (
    Datastore,
    Disk,
    GivenPolicy,
    Machine,
    MachineSnapshot,
    PolicyPlace,
    SnapshotPart,
)
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import After, AnyHandle, StepPlan
from movelot.lots.steps.power import PowerOff, PowerOn
from movelot.lots.steps.snapshots import GoBack, MergeSnapshot, TakeSnapshot
from movelot.machines.acts.places import Candidates
from movelot.machines.acts.power import OFF_SECONDS, ON_SECONDS
from movelot.placement.policies import asked_by
from movelot_core.placement.requirements.base import Answer
from movelot_core.units import format_size

NAME_MAX = 80
DEEP = 3
# What a snapshot holds grows as its machine writes: so much of its disks has to have room.
ROOM_SHARE = 0.1


@dataclass(frozen=True)
class SnapshotForm(LotForm):
    """A machine, what is done, and the snapshot's name.

    It is taken of the ``disks`` named by their primary keys, of all where none is named.
    """

    machine: int | None = names("machine", None)
    act: Literal["take", "go back", "merge", "merge all"] = "take"
    snapshot: str = ""
    disks: list[int] = field(default_factory=list)


@dataclass
class SnapshotPlan(LotPlan):
    """The machine by its identity, and how many snapshots it has before and should have after."""

    machine: str
    name: str
    act: str
    snapshot: str
    before: int
    after: int


Made = Draft[SnapshotForm, SnapshotPlan]


class SnapshotKind(LotKind[SnapshotForm, SnapshotPlan]):
    """Takes, returns to and merges snapshots of a machine."""

    name, form, plan = "snapshot", SnapshotForm, SnapshotPlan

    def drafted(self, form: SnapshotForm, lot: Lot) -> Made:
        machine = Machine.objects.filter(pk=form.machine or 0).select_related("placement__host").first()
        if machine is None:
            return Draft("Snapshot", checks=[Check("machine is known", STOP, "No host runs it any more.")])
        there = {each.name: each for each in MachineSnapshot.objects.filter(machine=machine)}
        made = {"take": _take, "go back": _go_back, "merge": _merge, "merge all": _merge_all}[form.act]
        return made(form, machine, there)

    def outcome(self, lot: Lot, plan: SnapshotPlan) -> list[MeasuredRow]:
        """How many snapshots it has, and what they hold."""
        rows = MachineSnapshot.objects.filter(machine__identity=plan.machine)
        held = SnapshotPart.objects.filter(snapshot__in=rows).aggregate(held=Sum("held_bytes"))["held"] or 0
        note = f"they hold {format_size(held)} beside the disks" if held else ""
        return [MeasuredRow("machine", plan.name, "snapshots", plan.before, plan.after, rows.count(), note)]


Known = dict[str, MachineSnapshot]


def _plan(form: SnapshotForm, machine: Machine, there: Known, change: int) -> SnapshotPlan:
    count = len(there)
    return SnapshotPlan(machine.identity, machine.name, form.act, form.snapshot.strip(), count, count + change)


def _which(machine: Machine) -> dict[str, Any]:
    return {"machine": machine.name, "identity": machine.identity}


def _facts(machine: Machine, there: Known) -> dict[str, str]:
    standing = next((each.name for each in there.values() if each.standing), "none")
    return {f"snapshots of {machine.name}": ", ".join(sorted(there)) or "none", "goes on from": standing}


def _take(form: SnapshotForm, machine: Machine, there: Known) -> Made:
    name = form.snapshot.strip()
    title = f"Take a snapshot of {machine.name}"
    wrong = _unusable(name, there, machine)
    disks = list(Disk.objects.filter(machine=machine, raw_serial="", pk__in=form.disks).order_by("name"))
    steps, host = StepPlan(), machine.host.name
    of = ", ".join(disk.name for disk in disks) or "all of its disks"
    where, placed = _where(machine, disks or list(Disk.objects.filter(machine=machine, raw_serial="")))
    if not wrong and placed.level != STOP:
        detail = f"{of}; what it holds is kept on {where.name}" if where else of
        take = TakeSnapshot(
            **_which(machine),
            name=name,
            disks=[disk.identity for disk in disks],
            datastore=where.identity if where else "",
        )
        steps.add(take.on(host, f"Take snapshot {name} of {machine.name}", detail))
    depth = len(there) + 1
    deep = (
        [Check("chain is short", WARN, f"It is the {depth}th: each slows down what is read.")] if depth > DEEP else []
    )
    checks = [Check("name is usable", STOP, wrong) if wrong else Check("name is usable", PASS, f"of {of}")]
    checks += [placed, *deep]
    return Draft(title, steps, _plan(form, machine, there, 1), checks, _facts(machine, there))


def _where(machine: Machine, disks: Sequence[Disk]) -> tuple[Datastore | None, Check]:
    """Where the policy of the machine's snapshots has what they hold; None for beside each disk."""
    given = GivenPolicy.objects.filter(snapshots_of=machine, policy__retired_at=None).select_related("policy").first()
    if given is None:
        return None, Check("where it is kept", PASS, "beside each disk: its snapshots have no policy of their own")
    policy, beside = given.policy, {disk.datastore.pk for disk in disks if disk.datastore}
    serving = PolicyPlace.objects.filter(policy=policy, answer=Answer.HAS)
    if beside <= set(serving.values_list("datastore_id", flat=True)):
        return None, Check("where it is kept", PASS, f"beside each disk: {policy} is served there")
    needed = int(sum(disk.size_bytes for disk in disks) * ROOM_SHARE)
    candidates = Candidates.mounted_by([machine.host])
    found = candidates.take(needed, policy.pk)
    if found is not None:
        text = f"on {found.name}, where {policy} is served and {format_size(needed)} have room, a tenth of its disks"
        return found, Check("where it is kept", PASS, text)
    why = candidates.why_none(needed, policy.pk)
    if asked_by(policy).anyway:
        return None, Check("where it is kept", WARN, f"{why} It is kept beside each disk anyway, as {policy} allows.")
    return None, Check("where it is kept", STOP, f"{why} Its snapshots have the policy {policy}.")


def _unusable(name: str, there: Known, machine: Machine) -> str:
    """Why a snapshot cannot be called so; empty where it can."""
    if not name:
        return "Type a name for it, as what is about to be done: before-upgrade."
    if len(name) > NAME_MAX:
        return f"A name has {NAME_MAX} characters at most."
    return f"{machine.name} has a snapshot {name} already." if name in there else ""


def _missing(form: SnapshotForm, machine: Machine, there: Known, title: str) -> Made:
    text = f"{machine.name} has no snapshot {form.snapshot.strip() or 'without a name'}."
    return Draft(title, checks=[Check("snapshot is there", STOP, text)], facts=_facts(machine, there))


def _go_back(form: SnapshotForm, machine: Machine, there: Known) -> Made:
    name, host = form.snapshot.strip(), machine.host.name
    title = f"Bring {machine.name} back to {name}"
    if name not in there:
        return _missing(form, machine, there, title)
    safety = _free_name(f"before going back to {name}"[:NAME_MAX], there)
    steps, which, on = StepPlan(), _which(machine), machine.power == "On"
    after: After = ()
    if on:
        off = PowerOff(**which).on(host, f"Switch {machine.name} off", "its guest is asked first", seconds=OFF_SECONDS)
        after = steps.add(off)
    take = TakeSnapshot(**which, name=safety, disks=[])
    kept = steps.add(take.on(host, f"Take snapshot {safety}", "so that this can be undone"), after)
    back = GoBack(**which, wanted=name, before=safety)
    gone = steps.add(back.on(host, f"Bring {machine.name} back to {name}"), kept)
    if on:
        steps.add(PowerOn(**which).on(host, f"Switch {machine.name} on again", seconds=ON_SECONDS), gone)
    text = f"What was written since {name} was taken is kept in {safety}, and is not seen any more."
    checks = [Check("what is left behind", WARN, text)]
    if on:
        checks.append(Check("what stops", WARN, f"{machine.name} is off while it goes back."))
    return Draft(title, steps, _plan(form, machine, there, 1), checks, _facts(machine, there))


def _free_name(name: str, there: Known) -> str:
    """The name, with a number where it is taken."""
    tried, number = name, 1
    while tried in there:
        number += 1
        tried = f"{name[: NAME_MAX - 4]} {number}"
    return tried


def _merge(form: SnapshotForm, machine: Machine, there: Known) -> Made:
    name = form.snapshot.strip()
    title = f"Merge snapshot {name} of {machine.name}"
    if name not in there:
        return _missing(form, machine, there, title)
    return _merged(form, machine, there, [there[name]], title)


def _merge_all(form: SnapshotForm, machine: Machine, there: Known) -> Made:
    """One after the other, the oldest first: its machine is slowed down by one at a time."""
    title = f"Merge all snapshots of {machine.name}"
    if not there:
        text = f"{machine.name} has no snapshot any more."
        return Draft(title, checks=[Check("snapshots are there", STOP, text)], facts=_facts(machine, there))
    oldest_first = sorted(there.values(), key=lambda each: (each.taken_at or now(), each.pk))
    return _merged(form, machine, there, oldest_first, title)


def _merged(form: SnapshotForm, machine: Machine, there: Known, merging: Sequence[MachineSnapshot], title: str) -> Made:
    parts = SnapshotPart.objects.filter(snapshot__in=merging).values_list("snapshot").annotate(held=Sum("held_bytes"))
    held: dict[int, int] = dict(parts.order_by())
    steps, after = StepPlan(), list[AnyHandle]()
    for snapshot in merging:
        merge = MergeSnapshot(**_which(machine), name=snapshot.name)
        detail = f"{format_size(held.get(snapshot.pk, 0))} come free; the machine runs on"
        named = f"Merge snapshot {snapshot.name} of {machine.name}"
        after = [steps.add(merge.on(machine.host.name, named, detail), after)]
    names = ", ".join(snapshot.name for snapshot in merging)
    text = f"There is no way back to {names} then; this cannot be undone."
    checks = [Check("it is not needed", WARN, text), _room_while_merging(machine, max(held.values(), default=0))]
    return Draft(title, steps, _plan(form, machine, there, -len(merging)), checks, _facts(machine, there))


def _room_while_merging(machine: Machine, largest_bytes: int) -> Check:
    """Whether each datastore of its disks has room for what a snapshot holds until that is merged."""
    stores = Datastore.objects.filter(disk_placements__disk__machine=machine).distinct().order_by("free_bytes")
    tight = stores.first()
    if tight is not None and tight.free_bytes < largest_bytes:
        needed = f"{format_size(largest_bytes)} are needed while they merge"
        return Check("room while merging", STOP, f"{tight.name} has {format_size(tight.free_bytes)} free; {needed}.")
    text = f"{format_size(largest_bytes)} are needed while they merge, and are free"
    return Check("room while merging", PASS, text)
