"""A machine as its page shows it: disks with policies and places, snapshots as a chain, what was done with it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from django.db.models import Prefetch, Sum
from django.shortcuts import get_object_or_404

from movelot.inventory.models import (
    Compliance,
    Datastore,
    Disk,
    GivenPolicy,
    Machine,
    MachineSnapshot,
    PartCompliance,
    PastCompliance,
    SnapshotPart,
)
from movelot.lots.models import LotThing
from movelot.placement.new_disks import peak_iops

PAST_MAX = 50


@dataclass
class PastState:
    """How the disk stood to a policy for a while that is over."""

    policy: str
    state: str
    reason: str
    since: datetime
    until: datetime


@dataclass
class MachineDisk:
    """A disk of the machine; a ``thin`` one takes only what was written of it.

    ``given`` is the policy that is given to it alone, null for none; ``policy`` is the one it has and ``because`` why,
    ``state`` how it stands to it; all empty without one. A raw disk has no datastore. Cap and floor are in IOPS, 0 for
    none, null where its host tells none; ``limited_by`` says whether the host or the array keeps it to them.
    """

    id: int
    name: str
    size_bytes: int
    written_bytes: int | None
    thin: bool
    datastore_id: int | None
    datastore: str
    raw: bool
    pinned: bool
    given: int | None
    policy: str
    because: str
    state: str
    reason: str
    since: datetime | None
    peak_iops: float
    cap_iops: int | None
    floor_iops: int | None
    limited_by: str
    past: list[PastState]


@dataclass
class PartState:
    """How its own files, or a snapshot, stand to the policy that they have, why they have it; all empty without one."""

    policy: str
    because: str
    state: str
    reason: str
    since: datetime | None


@dataclass
class SnapshotAnswer:
    """A snapshot after its ``parent``, with what it holds; the machine goes on from the one that is ``standing``.

    ``place`` is the datastore that has it apart from the disks, empty where it lies beside them.
    """

    id: int
    name: str
    parent: str
    taken_at: datetime | None
    standing: bool
    disks: int
    held_bytes: int
    place: str
    stands: PartState


@dataclass
class LotOfMachine:
    """A lot that worked on the machine or a disk of it."""

    id: int
    title: str
    state: str
    at: datetime | None


@dataclass
class MachineAnswer:
    """A machine; ``given`` is the policy that is given to the whole of it, null for none.

    ``given_files`` and ``given_snapshots`` are those of its own files and its snapshots alone.
    """

    id: int
    name: str
    host_id: int
    host: str
    cluster: str
    since: datetime
    power: str
    os: str
    address: str
    processors: int
    memory_bytes: int
    home: str
    given: int | None
    given_files: int | None
    given_snapshots: int | None
    files: PartState
    disks: list[MachineDisk]
    snapshots: list[SnapshotAnswer]
    lots: list[LotOfMachine]


def machine_answer(key: int) -> MachineAnswer:
    """The machine. 404 for one that is not there."""
    given = "given_policy", "files_policy", "snapshots_policy", "files_compliance__policy"
    machine = get_object_or_404(Machine.objects.select_related("placement__host__cluster", *given), pk=key)
    home = Datastore.objects.filter(identity=machine.home).first() if machine.home else None
    host = machine.host
    disks = list(_disks(machine))
    return MachineAnswer(
        machine.pk,
        machine.name,
        host.pk,
        host.name,
        host.cluster.name if host.cluster else "",
        machine.placement.since,
        machine.power,
        machine.os,
        machine.address,
        machine.processors,
        machine.memory_bytes,
        home.name if home else "",
        _given_by(machine, "given_policy"),
        _given_by(machine, "files_policy"),
        _given_by(machine, "snapshots_policy"),
        _part_state(getattr(machine, "files_compliance", None)),
        [_disk(disk) for disk in disks],
        _snapshots(machine),
        _lots(
            [
                f"machine {machine.identity}",
                # While it was made it had no identity yet.
                f"machine name {machine.name}",
                *(f"disk {disk.identity}" for disk in disks),
            ]
        ),
    )


def _given_by(machine: Machine, name: str) -> int | None:
    given: GivenPolicy | None = getattr(machine, name, None)
    return given.policy_id if given else None


def _part_state(stands: PartCompliance | None) -> PartState:
    if stands is None:
        return PartState("", "", "", "", None)
    return PartState(stands.policy.name, stands.because, stands.state, stands.reason, stands.since)


def _disks(machine: Machine) -> Iterable[Disk]:
    past = PastCompliance.objects.select_related("policy").order_by("-until", "-pk")
    rows = Disk.objects.filter(machine=machine).select_related(
        "placement__datastore", "given_policy", "compliance__policy"
    )
    return rows.prefetch_related(Prefetch("past_compliance", past)).order_by("name", "pk")


def _disk(disk: Disk) -> MachineDisk:
    stands: Compliance | None = getattr(disk, "compliance", None)
    given: GivenPolicy | None = getattr(disk, "given_policy", None)
    store = disk.datastore
    return MachineDisk(
        disk.pk,
        disk.name,
        disk.size_bytes,
        disk.written_bytes,
        disk.thin,
        store.pk if store else None,
        store.name if store else "",
        bool(disk.raw_serial),
        disk.pinned,
        given.policy_id if given else None,
        stands.policy.name if stands else "",
        stands.because if stands else "",
        stands.state if stands else "",
        stands.reason if stands else "",
        stands.since if stands else None,
        round(peak_iops(disk), 1),
        disk.cap_iops,
        disk.floor_iops,
        disk.limited_by,
        [
            PastState(past.policy.name, past.state, past.reason, past.since, past.until)
            for past in disk.past_compliance.all()[:PAST_MAX]
        ],
    )


def _snapshots(machine: Machine) -> list[SnapshotAnswer]:
    """In the order in which they were taken."""
    rows = MachineSnapshot.objects.filter(machine=machine).select_related("compliance__policy")
    rows = rows.order_by("taken_at", "pk")
    apart = Datastore.objects.filter(identity__in=rows.exclude(place="").values("place"))
    places = dict(apart.values_list("identity", "name"))
    parts = SnapshotPart.objects.filter(snapshot__machine=machine).order_by()
    held = dict(parts.values_list("snapshot_id").annotate(held=Sum("held_bytes")))
    counts: dict[int, int] = {}
    for snapshot in parts.values_list("snapshot_id", flat=True):
        counts[snapshot] = counts.get(snapshot, 0) + 1
    return [
        SnapshotAnswer(
            row.pk,
            row.name,
            row.parent,
            row.taken_at,
            row.standing,
            counts.get(row.pk, 0),
            held.get(row.pk, 0),
            places.get(row.place, "elsewhere") if row.place else "",
            _part_state(getattr(row, "compliance", None)),
        )
        for row in rows
    ]


def _lots(things: list[str]) -> list[LotOfMachine]:
    """Lots that worked on any of the things, the last first."""
    rows = LotThing.objects.filter(thing__in=things).select_related("lot").order_by("-lot_id")
    lots = {row.lot_id: row.lot for row in rows[: PAST_MAX * 4]}
    return [LotOfMachine(lot.pk, lot.title, lot.state, lot.started_at) for lot in [*lots.values()][:PAST_MAX]]
