"""What it takes to empty datastores: their disks and machines' own files go elsewhere, and what cannot go is told.

Journey: a pool is to be retired, or a datastore made anew with a smaller volume. By hand one moves disk by disk, finds
at the end that templates, the files of machines or a snapshot are still there, and starts again. Here all of it is
looked at first; nothing is drafted that would end with a datastore half empty.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np

from movelot.attach.default_store import default_of
from movelot.inventory.known_groups import KnownGroup, known_group
from movelot.inventory.models import (
    BalanceGroup,
    Compliance,
    Datastore,
    Disk,
    LooseDisk,
    Machine,
    MachineSnapshot,
    Mount,
    PartCompliance,
    PolicyPlace,
    StoredImage,
)
from movelot.inventory.sentences import first_of
from movelot.lots.kinds import PASS, STOP, WARN, Check
from movelot.lots.models import Lot
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.machine_files import MoveFiles
from movelot.lots.steps.move_disk import between
from movelot.placement.copies import add_copies, rates_of
from movelot.placement.homeless import why_homeless
from movelot.placement.still import still_now
from movelot_core.balance.drain import Drained, drain
from movelot_core.balance.group import Ints, broken_musts
from movelot_core.balance.order import OrderedMove, left_out, order_moves
from movelot_core.balance.plan import plan_for
from movelot_core.placement.requirements.base import Answer
from movelot_core.units import count_of, format_size


@dataclass
class CopyRow:
    """A disk that moves; ``start`` and ``end`` are seconds from the lot's start."""

    disk: str
    source: str
    target: str
    size_bytes: int
    start: float
    end: float


@dataclass
class FilesRow:
    """Own files of a machine that move."""

    machine: str
    source: str
    target: str


@dataclass
class Emptying:
    """What moves, and why something cannot (``stays``, in sentences); nothing has been added to a lot yet."""

    ordered: list[tuple[KnownGroup, list[OrderedMove]]] = field(default_factory=list)
    files: list[tuple[Machine, Datastore, Datastore]] = field(default_factory=list)
    stays: list[str] = field(default_factory=list)
    makes_room: int = 0

    @property
    def copies(self) -> list[CopyRow]:
        return [
            CopyRow(
                disk=known.group.disks[step.move.disk],
                source=known.group.datastores[step.move.source],
                target=known.group.datastores[step.move.target],
                size_bytes=int(step.move.size_bytes),
                start=step.slot.start,
                end=step.slot.end,
            )
            for known, ordered in self.ordered
            for step in ordered
        ]

    @property
    def file_rows(self) -> list[FilesRow]:
        return [FilesRow(machine.name, source.name, target.name) for machine, source, target in self.files]

    def checks(self) -> Iterator[Check]:
        """Whether all of it can go elsewhere, and what moves for it."""
        for text in self.stays:
            yield Check("all of it can go elsewhere", STOP, text)
        copies = self.copies
        if not copies or self.stays:
            return
        size, targets = format_size(sum(c.size_bytes for c in copies)), ", ".join(sorted({c.target for c in copies}))
        text = f"{count_of(len(copies), 'copy', 'copies')}, {size}, to {targets}; machines run on"
        yield Check("all of it can go elsewhere", PASS, text)
        yield Check("ceilings", PASS, "no datastore and no pool goes over a ceiling that was under it")
        for known, ordered in self.ordered:
            if ordered:
                yield from still_now(known.row)
        if self.makes_room:
            text = f"{count_of(self.makes_room, 'other disk')} of the group move to make room for them."
            yield Check("what else moves", WARN, text)

    def add_steps(self, plan: StepPlan) -> list[AnyHandle]:
        """Add the copies in their order and the moves of files; what ends once the datastores are empty."""
        handles: list[AnyHandle] = []
        for known, ordered in self.ordered:
            handles += add_copies(plan, known, ordered)
        for machine, source, target in self.files:
            move = MoveFiles(machine=machine.name, identity=machine.identity, **between(source, target))
            title, detail = f"Move the files of {machine.name}", f"{source.name} → {target.name}"
            handles.append(plan.add(move.on(machine.host.name, title, detail)))
        return plan.barrier(handles)


def copies_seen(lot: Lot) -> list[CopyRow]:
    """The copies of a lot's plan as it was last drafted."""
    return [CopyRow(**row) for row in (lot.plan or {}).get("copies", [])]


def emptying(stores: Sequence[Datastore], seen: Sequence[CopyRow] = ()) -> Emptying:
    """How all of ``stores`` are emptied at once: nothing goes from one of them to another.

    What was ``seen`` planned before stays the plan for as long as it holds: nobody runs another than they looked at.
    """
    found = Emptying()
    keys = [store.pk for store in stores]
    found.stays += _not_in_groups(stores)
    for row in BalanceGroup.objects.filter(members__datastore__in=keys).distinct().order_by("name"):
        _drain_group(found, known_group(row), keys, seen)
    _place_files(found, stores)
    for store in stores:
        beside = _beside(store) + default_of(store)
        if beside:
            found.stays.append(f"{store.name} is used by {first_of(beside)}: move or remove them first.")
    return found


def _not_in_groups(stores: Sequence[Datastore]) -> Iterator[str]:
    """Disks on datastores of no group have nowhere that is known to go to."""
    alone = [store for store in stores if not hasattr(store, "membership")]
    for store in alone:
        count = Disk.objects.filter(placement__datastore=store).count()
        if count:
            text = (
                f"{store.name} is in no balance group, so that nobody says where its {count_of(count, 'disk')} may go"
            )
            yield f"{text}: put it in one."


def _drain_group(found: Emptying, known: KnownGroup, keys: Sequence[int], seen: Sequence[CopyRow]) -> None:
    numbers = np.array([n for n, key in enumerate(known.store_keys) if key in keys], dtype=np.int64)
    place = _place_seen(known, numbers, seen)
    made = drain(known.group, numbers) if place is None else Drained(plan_for(known.group, place, 0.0), (), ())
    ordered = order_moves(known.group, made.plan.moves, rates_of(known))
    if ordered:
        found.ordered.append((known, ordered))
    found.makes_room += sum(step.move.source not in numbers for step in ordered)
    left_out = {move.disk for move in made.plan.moves} - {step.move.disk for step in ordered}
    found.stays += [f"No order has room for {known.group.disks[disk]} at every instant." for disk in sorted(left_out)]
    found.stays += _why_stay(known, made)


def _place_seen(known: KnownGroup, leaving: Ints, seen: Sequence[CopyRow]) -> Ints | None:
    """Where all goes by what was seen planned; None where that no longer empties ``leaving`` under all Musts."""
    disks = {name: n for n, name in enumerate(known.group.disks)}
    stores = {name: n for n, name in enumerate(known.group.datastores)}
    place = known.group.place.copy()
    for copy in seen:
        # Of a staged move the last leg is what counts.
        if copy.disk in disks and copy.target in stores:
            place[disks[copy.disk]] = stores[copy.target]
    empty = bool(seen) and not np.isin(place, leaving).any()
    return place if empty and not broken_musts(known.group, place) and not left_out(known.group, place).size else None


def _why_stay(known: KnownGroup, made: Drained) -> Iterator[str]:
    group = known.group
    if made.pinned:
        names = first_of([group.disks[disk] for disk in made.pinned])
        verb = "is" if len(made.pinned) == 1 else "are"
        yield f"{names} {verb} pinned where they lie: take that back under Rules."
    for each in made.homeless[:5]:
        yield f"{group.disks[each.disk]} finds no place: {why_homeless(group, each)}."
    if len(made.homeless) > 5:
        yield f"Nor do {len(made.homeless) - 5} more of {known.row.name} find one."


def _place_files(found: Emptying, stores: Sequence[Datastore]) -> None:
    """Own files go where the machine's largest disk will be, if it serves them; else where most room is."""
    leaving = {store.identity: store for store in stores}
    rows = Machine.objects.filter(home__in=leaving).select_related("placement__host", "files_compliance")
    machines = [machine for machine in rows.order_by("name", "pk") if hasattr(machine, "placement")]
    if not machines:
        return
    mounted: dict[int, list[Datastore]] = defaultdict(list)
    mounts = Mount.objects.filter(host__in={machine.host.pk for machine in machines})
    for mount in mounts.select_related("datastore").order_by("-datastore__free_bytes", "datastore__name"):
        if mount.datastore.identity not in leaving:
            mounted[mount.host_id].append(mount.datastore)
    served = set(PolicyPlace.objects.filter(answer=Answer.HAS).values_list("policy_id", "datastore_id"))
    goes_to = _places_to_be(found, machines)
    nowhere: list[str] = []
    for machine in machines:
        stands: PartCompliance | Compliance | None = getattr(machine, "files_compliance", None)
        policy = stands.policy_id if stands else None
        may = [s for s in mounted[machine.host.pk] if policy is None or (policy, s.pk) in served]
        first = next((store for store in may if store.pk in goes_to[machine.pk]), may[0] if may else None)
        if first is None:
            nowhere.append(machine.name)
        else:
            found.files.append((machine, leaving[machine.home], first))
    if nowhere:
        text = "no other datastore that its host mounts serves their policy"
        found.stays.append(f"The own files of {first_of(nowhere)} find no place: {text}.")


def _places_to_be(found: Emptying, machines: Sequence[Machine]) -> dict[int, set[int]]:
    """The datastores on which the disks of each machine will be, by primary keys."""
    moves = {
        known.disk_keys[step.move.disk]: known.store_keys[step.move.target]
        for known, ordered in found.ordered
        for step in ordered
    }
    places: dict[int, set[int]] = defaultdict(set)
    disks = Disk.objects.filter(machine__in=machines, placement__isnull=False)
    for disk, machine, store in disks.values_list("pk", "machine_id", "placement__datastore_id"):
        places[machine].add(moves.get(disk, store))
    return places


def _beside(store: Datastore) -> list[str]:
    """What is on a datastore that does not move by itself, with what it is."""
    found = [f"{kind} {name}" for kind, name in store.contents]
    images = StoredImage.objects.filter(datastore=store).order_by("name").values_list("name", flat=True)
    found += [f"image {name}" for name in images if f"image {name}" not in found]
    loose = LooseDisk.objects.filter(datastore=store).order_by("name").values_list("name", flat=True)
    found += [f"disk {name}, which no machine has" for name in loose]
    kept = MachineSnapshot.objects.filter(place=store.identity).order_by("machine__name", "name")
    return found + [f"snapshot {name} of {machine}" for name, machine in kept.values_list("name", "machine__name")]
