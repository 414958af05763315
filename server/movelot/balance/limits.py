"""Caps and floors that a balance lot sets beside its moves, as policies ask them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from movelot.inventory.known_groups import KnownGroup
from movelot.inventory.models import Disk, Extent
from movelot.lots.kinds import MeasuredRow
from movelot.lots.step_plan import Handle, StepPlan
from movelot.lots.steps.limits import limits_said
from movelot.lots.steps.values import Nothing
from movelot.placement.limiting import add_limits, limiting_of, set_arrays
from movelot_core.balance.order import OrderedMove
from movelot_core.units import count_of


@dataclass(frozen=True)
class LimitRequest:
    """A disk by its primary key, and the cap and the floor that it is to have, in IOPS; 0 for none."""

    disk: int
    cap: int = 0
    floor: int = 0


@dataclass
class DiskLimits:
    """A disk by its identity, its cap and floor before and as wanted, in IOPS; 0 for none."""

    identity: str
    name: str
    cap_before: int
    floor_before: int
    cap: int
    floor: int


def add_all_limits(
    steps: StepPlan,
    wanted: Sequence[LimitRequest],
    found: KnownGroup,
    ordered: Sequence[OrderedMove],
    handles: Sequence[Handle[Nothing]],
) -> list[DiskLimits]:
    """Set the limits of disks of a group that have others, by whoever keeps them where they will lie.

    Each is set once the last move of its disk, if it has one, is done.
    """
    keepers = keepers_by_store()
    numbers = found.disk_index()
    last = {step.move.disk: n for n, step in enumerate(ordered)}
    rows = Disk.objects.filter(pk__in=[each.disk for each in wanted], cap_iops__isnull=False)
    disks = rows.select_related("machine__placement__host").in_bulk()
    told = []
    for each in wanted:
        disk, number = disks.get(each.disk), numbers.get(each.disk)
        if disk is None or number is None or (disk.cap_iops, disk.floor_iops or 0) == (each.cap, each.floor):
            continue
        move = last.get(number)
        store = int(ordered[move].move.target if move is not None else found.group.place[number])
        limiting = limiting_of(disk, keepers.get(found.store_keys[store], ""), (each.cap, each.floor))
        add_limits(steps, limiting, handles[move] if move is not None else ())
        told.append(DiskLimits(disk.identity, disk.name, *limiting.before, each.cap, each.floor))
    return told


def keepers_by_store() -> dict[int, str]:
    """The array that keeps the limits of disks on a datastore, by its primary key; left out where hosts do."""
    arrays = set_arrays()
    on_sets = Extent.objects.filter(serial__in=arrays).values_list("datastore_id", "serial")
    return {store: arrays[serial] for store, serial in on_sets}


def limits_title(rows: Sequence[DiskLimits]) -> str:
    """The title of a lot that limits disks alone."""
    return f"Limit {rows[0].name if len(rows) == 1 else count_of(len(rows), 'disk')}"


def limit_facts(rows: Sequence[DiskLimits]) -> dict[str, str]:
    """What the limits are before."""
    return {f"limits of {row.name}": limits_said(row.cap_before, row.floor_before) for row in rows}


def limit_rows(rows: Sequence[DiskLimits]) -> list[MeasuredRow]:
    """Each cap and floor as a reading tells it afterwards, beside what was wanted."""
    now = {
        identity: (cap, floor)
        for identity, cap, floor in Disk.objects.filter(identity__in=[row.identity for row in rows]).values_list(
            "identity", "cap_iops", "floor_iops"
        )
    }
    found = []
    for row in rows:
        cap, floor = now.get(row.identity, (None, None))
        found.append(MeasuredRow("disk", row.name, "cap in IOPS", row.cap_before, row.cap, cap))
        if row.floor or row.floor_before:
            found.append(MeasuredRow("disk", row.name, "floor in IOPS", row.floor_before, row.floor, floor))
    return found
